import { beforeEach, describe, expect, it, vi } from 'vitest'
import { flushPromises } from '@vue/test-utils'
import { nextTick } from 'vue'
import ReadingWork from '../bench/ReadingWork.vue'
import type { Problem } from '../api/client'
import { onBench, server } from './page'

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
  feed(steady: boolean) {
    const frame = {
      id: 'frame-1',
      age: 0.1,
      stale: 2,
      by_hand: [],
      status: { state: 'alive', words: 'link alive' },
      traces: [],
      facts: [],
      value: 302,
      steady,
      why: '',
    }
    this.dispatchEvent(new MessageEvent('frame', { data: JSON.stringify(frame) }))
  }
}

const point = {
  id: '300',
  label: '300 mL',
  readings: [],
  expected: { reference: 300, low: 251, high: 349, u: 5, unit: 'mL' },
}
const measure = {
  id: 'volume',
  title: 'Tidal volume',
  resolution: 1,
  round: 0,
  reads: 'mL',
  unit: 'mL',
  points: [point],
  capture: { kind: 'breath-volume', instrument: 'flow-analyser', hands: 'free' },
}
const run = { id: 'r', measures: [measure], findings: [] }

async function bench() {
  server({ '/api/bench': () => ({ sequences: [], links: [], loose_ends: [] }) })
  const on = await onBench(ReadingWork, { run, measure, point, phase: 'as found' })
  await flushPromises()
  return on
}
const stands = async (ms = 1300) => {
  FakeSource.last.feed(true)
  await nextTick()
  await vi.advanceTimersByTimeAsync(ms)
  await flushPromises()
}
const problemOf = (code: string): Problem => ({ title: 'Not now', status: 409, detail: code, code })

describe('a reading that is taken by itself', () => {
  beforeEach(() => {
    vi.stubGlobal('EventSource', FakeSource)
    vi.useFakeTimers({ toFake: ['setTimeout', 'clearTimeout'] })
    return () => vi.useRealTimers()
  })

  it('is taken once it has stood for a moment, and not before', async () => {
    const { send } = await bench()
    await stands(1000)
    expect(send).not.toHaveBeenCalled()
    await vi.advanceTimersByTimeAsync(300)
    expect(send).toHaveBeenCalledExactlyOnceWith({ kind: 'capture', measure: 'volume', point: '300', frame: 'frame-1' })
  })

  it('is not taken where it stirred again, nor over what was typed', async () => {
    const { page, send } = await bench()
    await stands(600)
    FakeSource.last.feed(false)
    await vi.advanceTimersByTimeAsync(2000)
    await page.get('input[name=reading]').setValue('301')
    await stands()
    expect(send).not.toHaveBeenCalled()
  })

  it('is tried again where the moment had passed: nobody stands there to press', async () => {
    for (const code of ['no-reading', 'not-steady', 'frame-gone', 'settings']) {
      const { send, problem } = await bench()
      send.mockImplementationOnce(async () => {
        problem.value = problemOf(code)
        return false
      })
      await stands()
      expect(problem.value, code).toBeUndefined()
      await stands()
      expect(send, code).toHaveBeenCalledTimes(2)
    }
  })

  it('waits for a person where something is really wrong', async () => {
    const { send, problem } = await bench()
    send.mockImplementationOnce(async () => {
      problem.value = problemOf('stale')
      return false
    })
    await stands()
    await stands()
    expect(problem.value?.code).toBe('stale')
    expect(send).toHaveBeenCalledOnce()
  })
})
