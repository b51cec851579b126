import type { Entry } from '../composables/outbox'
import type { Measure, Point, Run, Step } from '../api/client'

/** What was given while nothing answered, by the step, or the measure and point, that it was given for. */
export type Ahead = Record<string, string[]>
export const pointKey = (measure: string, point: string) => `${measure} ${point}`

type Given = Entry['body']
interface Spot {
  measure: Measure
  point: Point
}

/**
 * ahead is a run as its page goes on while nothing answers: what was given and waits here counts as done, so that the next
 * step comes up. Nothing is judged by it; the server does that when it is sent.
 */
export function ahead(run: Run, waiting: Entry[]): Run & { ahead?: Ahead } {
  if (!waiting.length) return run
  const next: Run & { ahead: Ahead } = { ...(JSON.parse(JSON.stringify(run)) as Run), ahead: {} }
  for (const { body, at } of waiting) give(next, body, at)
  for (const measure of next.measures) {
    const step = next.steps.find((s) => s.id === measure.id)
    if (step && measure.points.every((p) => p.complete || p.omitted)) step.done = true
  }
  next.current = next.steps.find((s) => !s.done)?.id ?? next.current
  next.seq += waiting.length
  return next
}

function give(run: Run & { ahead: Ahead }, given: Given, at: string) {
  const step = run.steps.find((s) => s.id === given.step)
  if (step) return giveStep(run, step, given, at)
  const measure = run.measures.find((m) => m.id === given.measure)
  const point = measure?.points.find((p) => p.id === given.point)
  if (measure && point) return givePoint(run, { measure, point }, given, at)
  if (given.kind === 'open-loose-end' && given.what) run.loose_ends.push({ what: given.what, opened_at: at, by: '' })
  const end = run.loose_ends.find((e) => e.what === given.what && !e.closed_at)
  if (given.kind === 'close-loose-end' && end) end.closed_at = at
}

function giveStep(run: Run & { ahead: Ahead }, step: Step, given: Given, at: string) {
  run.ahead[step.id] = [given.kind]
  step.summary = 'waits here'
  step.at = at
  if (given.kind === 'start-wait') {
    const until = new Date(new Date(at).getTime() + (step.minutes ?? 0) * 60_000).toISOString()
    step.timer = { step: step.id, title: step.title, started: at, until, over: false }
    return
  }
  step.done = true
  if (given.kind === 'answer') step.answer = given.answer
  if (given.kind === 'skip') step.skipped = given.reason
}

function givePoint(run: Run & { ahead: Ahead }, { measure, point }: Spot, given: Given, at: string) {
  const key = pointKey(measure.id, point.id)
  if (given.kind === 'moved') point.move = undefined
  if (given.kind === 'check-set-up') point.set_up_seen = true
  if (given.kind === 'start-stage') point.stage = { ...point.stage, before: given.typed, started: at }
  if (given.kind === 'stop-stage') point.stage = { ...point.stage, stopped: at }
  if (given.kind === 'omit') point.omitted = given.reason
  if (given.kind !== 'capture') return
  const all = [...(run.ahead[key] ?? []), given.absent ? 'none' : (given.typed ?? '')]
  run.ahead[key] = all
  const taken = point.readings.filter((r) => !r.withdrawn && r.round === measure.round).length
  point.complete = taken + all.length >= measure.repeats
}
