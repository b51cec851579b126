import { mount } from '@vue/test-utils'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { defineComponent, h, nextTick, ref } from 'vue'
import { traceSeconds, useLivePoint, type LivePoint } from '../composables/useLivePoint'

/** A stream that the test feeds. */
class FakeSource extends EventTarget {
  static last: FakeSource
  onopen = () => {}
  onerror = () => {}
  constructor(readonly url: string) {
    super()
    FakeSource.last = this
  }
  close() {}
  feed(...samples: [number, number][]) {
    const traces = [{ channel: 'O2', samples: samples.map(([t, v]) => ({ t, v })) }]
    this.dispatchEvent(new MessageEvent('frame', { data: JSON.stringify({ status: { state: 'alive' }, traces }) }))
  }
}

function watching(goesOn: boolean) {
  const at = ref<LivePoint>({ run: 'r', measure: 'o2', point: 'air' })
  let live!: ReturnType<typeof useLivePoint>
  mount(
    defineComponent({
      setup() {
        live = useLivePoint(at, () => goesOn)
        return () => h('i')
      },
    }),
  )
  return { at, live }
}

beforeEach(() => vi.stubGlobal('EventSource', FakeSource))

describe('a live point', () => {
  it('grows its trace, and forgets what left the screen', () => {
    const { live } = watching(false)
    FakeSource.last.feed([0, 1], [1, 2])
    FakeSource.last.feed([1, 2], [2, 3]) // one that was seen already
    expect(live.traces.value.O2!.t).toEqual([0, 1, 2])
    FakeSource.last.feed([traceSeconds + 1.5, 4])
    expect(live.traces.value.O2!.t).toEqual([2, traceSeconds + 1.5])
  })
  it('begins anew when the instrument’s clock does', () => {
    const { live } = watching(false)
    FakeSource.last.feed([500, 1])
    FakeSource.last.feed([0.1, 7])
    expect(live.traces.value.O2!.v).toEqual([7])
  })
  it('goes on from point to point only where it is one trace', async () => {
    for (const goes of [true, false]) {
      const { at, live } = watching(goes)
      FakeSource.last.feed([0, 20.9])
      at.value = { ...at.value, point: 'gas' }
      await nextTick()
      expect(Object.keys(live.traces.value)).toHaveLength(goes ? 1 : 0)
      at.value = { ...at.value, measure: 'co2' }
      await nextTick()
      expect(live.traces.value).toEqual({})
    }
  })
})

describe('the clock', () => {
  it('goes on when the part of the page that asked first is gone, as when somebody signs in anew', async () => {
    vi.useFakeTimers({ toFake: ['setInterval', 'clearInterval', 'Date'] })
    vi.resetModules()
    const { useClock } = await import('../composables/useClock')
    const Clock = {
      setup: () =>
        (
          (now) => () =>
            h('time', String(now.value))
        )(useClock()),
    }
    const first = mount(Clock)
    const began = Number(first.text())
    first.unmount()
    const second = mount(Clock)
    vi.advanceTimersByTime(61_000)
    await nextTick()
    expect(Number(second.text()) - began).toBe(61_000)
    vi.useRealTimers()
  })
})
