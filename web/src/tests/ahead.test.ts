import { describe, expect, it } from 'vitest'
import { ahead, pointKey } from '../offline/ahead'
import type { Run } from '../api/client'
import type { Entry } from '../composables/outbox'
import signed from '../../../testdata/whole-runs/capnograph.view.json'

/** A whole run as it was before anything was done in it. */
function fresh(): Run {
  const run = JSON.parse(JSON.stringify(signed)) as Run
  for (const step of run.steps) Object.assign(step, { done: false, summary: '', answer: undefined })
  for (const m of run.measures)
    for (const p of m.points) Object.assign(p, { readings: [], found: undefined, left: undefined, complete: false })
  return { ...run, status: 'open', current: run.steps[0]!.id, seq: 1 }
}
let given = 0
const waits = (body: Partial<Entry['body']>): Entry => ({
  run: 'r1',
  tag: 'MB-0417',
  what: '',
  body: { id: `given-${++given}`, expect: 1, kind: 'note', ...body },
  by: { id: 'idris', name: 'Idris Vail' },
  at: '2026-03-02T09:00:00Z',
})

describe('a run whose orders wait', () => {
  it('goes on step by step, and judges nothing', () => {
    const run = fresh()
    const entries: Entry[] = []
    for (const step of run.steps.filter((s) => s.kind !== 'sign' && s.kind !== 'finding')) {
      const measure = run.measures.find((m) => m.id === step.id)
      if (!measure) {
        const kind = step.kind === 'wait' ? 'skip' : 'answer'
        entries.push(waits({ kind, step: step.id, answer: 'fine', reason: 'warm' }))
      }
      for (const point of measure?.points ?? [])
        for (let n = 0; n < measure!.repeats; n++)
          entries.push(waits({ kind: 'capture', measure: measure!.id, point: point.id, typed: '5.0' }))
    }
    for (let n = 1; n <= entries.length; n++) {
      const before = ahead(run, entries.slice(0, n - 1))
      const now = ahead(run, entries.slice(0, n))
      expect(now.seq).toBe(before.seq + 1)
      const at = (r: Run) => r.steps.findIndex((s) => s.id === r.current)
      expect(at(now), 'never back').toBeGreaterThanOrEqual(at(before))
    }
    const all = ahead(run, entries)
    expect(all.steps.find((s) => s.id === all.current)?.kind).toBe('finding')
    expect(all.measures.every((m) => m.points.every((p) => p.complete && !p.found))).toBe(true)
    const [first] = run.measures
    const key = pointKey(first!.id, first!.points[0]!.id)
    expect(all.ahead![key]).toEqual(Array(first!.repeats).fill('5.0'))
    expect(run.measures[0]!.points[0]!.complete, 'the run itself is untouched').toBe(false)
  })

  it('starts a timer at the time at which it was given', () => {
    const wait = fresh().steps.find((s) => s.kind === 'wait')
    if (!wait) throw new Error('the run has no timer')
    const { timer, done } = ahead(fresh(), [waits({ kind: 'start-wait', step: wait.id })]).steps.find(
      (s) => s.id === wait.id,
    )!
    expect(done).toBe(false)
    expect(new Date(timer!.until).getTime() - new Date(timer!.started).getTime()).toBe(wait.minutes! * 60_000)
  })
})
