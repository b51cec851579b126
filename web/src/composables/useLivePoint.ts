import { onBeforeUnmount, ref, shallowRef, watch, type Ref } from 'vue'
import type { LiveFrame } from '../api/client'
import { openStream } from './useStream'

export interface LivePoint {
  run: string
  measure: string
  point: string
}

/** How much of a trace is kept on screen, in seconds. */
export const traceSeconds = 30

/** useLivePoint shows a point's link as it is now: the last frame and the trace. */
export function useLivePoint(at: Ref<LivePoint | undefined>) {
  const frame = shallowRef<LiveFrame>()
  const trace = shallowRef<{ t: number[]; v: number[] }>({ t: [], v: [] })
  const trouble = ref('')
  let stop = () => {}

  function take(next: LiveFrame) {
    frame.value = next
    trouble.value = ''
    const samples = next.traces[0]?.samples ?? []
    if (samples.length === 0) return
    const t = trace.value.t.concat(samples.map((s) => s.t))
    const v = trace.value.v.concat(samples.map((s) => s.v))
    const last = t[t.length - 1] ?? 0
    const from = t.findIndex((x) => x >= last - traceSeconds && x <= last)
    trace.value = { t: t.slice(from), v: v.slice(from) }
  }

  function close() {
    stop()
    stop = () => {}
    frame.value = undefined
    trace.value = { t: [], v: [] }
    trouble.value = ''
  }

  watch(
    () => (at.value ? `${at.value.run} ${at.value.measure} ${at.value.point}` : ''),
    () => {
      close()
      const p = at.value
      if (!p) return
      const query = new URLSearchParams({ measure: p.measure, point: p.point })
      stop = openStream(
        `/api/runs/${p.run}/live?${query}`,
        { frame: (data) => take(JSON.parse(data)), trouble: (data) => (trouble.value = JSON.parse(data).detail) },
        (connected) => {
          if (!connected)
            trouble.value = 'The connection to the server is interrupted. It is tried again; what was recorded is kept.'
        },
      )
    },
    { immediate: true },
  )
  onBeforeUnmount(close)
  return { frame, trace, trouble }
}
