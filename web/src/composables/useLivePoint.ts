import { computed, onBeforeUnmount, ref, shallowRef, watch, type Ref } from 'vue'
import { useIntervalFn } from '@vueuse/core'
import type { LiveFrame } from '../api/client'
import { openStream } from './useStream'

export interface LivePoint {
  run: string
  measure: string
  point: string
}

/** How much of a trace is kept on screen, in seconds; of one that goes on from point to point. */
export const traceSeconds = 30
export const gasSeconds = 120

export type Traces = Record<string, { t: number[]; v: number[] }>

/**
 * useLivePoint shows a point's link as it is now: the last frame and the trace of each
 * channel. Where goesOn says so, the traces go on from one point of a measure to the next.
 */
export function useLivePoint(at: Ref<LivePoint | undefined>, goesOn: () => boolean = () => false) {
  const frame = shallowRef<LiveFrame>()
  const traces = shallowRef<Traces>({})
  const trouble = ref('')
  let stop = () => {}
  let arrived = 0

  const now = ref(Date.now())
  useIntervalFn(() => (now.value = Date.now()), 250)
  /** How old what the link shows is, in real seconds: the server's word, and the time since that came. */
  const age = computed(() => (frame.value ? frame.value.age + Math.max(now.value - arrived, 0) / 1000 : 0))
  const stale = computed(() => !!frame.value && !frame.value.key && age.value > (frame.value.stale || 2))

  function take(next: LiveFrame) {
    frame.value = next
    arrived = now.value = Date.now()
    trouble.value = ''
    const grown: Traces = { ...traces.value }
    for (const fresh of next.traces) {
      const before = grown[fresh.channel] ?? { t: [], v: [] }
      const end = before.t[before.t.length - 1] ?? -Infinity
      const first = fresh.samples[0]?.t ?? end
      // A clock that went back is an instrument that began anew.
      const kept = first < end - traceSeconds ? { t: [], v: [] } : before
      const samples = fresh.samples.filter((s) => (kept === before ? s.t > end : true))
      const t = kept.t.concat(samples.map((s) => s.t))
      const v = kept.v.concat(samples.map((s) => s.v))
      const last = t[t.length - 1] ?? 0
      const from = Math.max(
        0,
        t.findIndex((x) => x >= last - (goesOn() ? gasSeconds : traceSeconds)),
      )
      grown[fresh.channel] = { t: t.slice(from), v: v.slice(from) }
    }
    traces.value = grown
  }

  function close(keep = false) {
    stop()
    stop = () => {}
    frame.value = undefined
    if (!keep) traces.value = {}
    trouble.value = ''
  }

  watch(
    () => (at.value ? `${at.value.run} ${at.value.measure} ${at.value.point}` : ''),
    (_, before) => {
      const p = at.value
      close(goesOn() && !!p && !!before?.startsWith(`${p.run} ${p.measure} `))
      if (!p) return
      let told = false
      const query = new URLSearchParams({ measure: p.measure, point: p.point })
      stop = openStream(
        `/api/runs/${p.run}/live?${query}`,
        {
          frame: (data) => {
            told = false
            take(JSON.parse(data))
          },
          trouble: (data) => {
            told = true
            trouble.value = JSON.parse(data).detail
          },
        },
        (connected) => {
          // The server ends a stream that it has nothing for: what it said of that stays.
          if (!connected && !told)
            trouble.value = 'The connection to the server is interrupted. It is tried again; what was recorded is kept.'
        },
      ).stop
    },
    { immediate: true },
  )
  onBeforeUnmount(() => close())
  return { frame, traces, trouble, age, stale }
}
