import type { Finding, Measure, Point, Run } from '../api/client'

export interface Spot {
  measure: Measure
  point: Point
}

/** openPoint is the first point of a measure that still needs a reading in the round being read. */
export function openPoint(measure: Measure): Point | undefined {
  return measure.points.find((p) => !p.complete)
}

/** setTogether is the open point that is set together with the one of a measure that was read last: one setting, two readings. */
export function setTogether(run: Run, measure: Measure): Spot | undefined {
  const read = measure.points
    .flatMap((point) => point.readings.map((r) => ({ point, ...r })))
    .filter((r) => !r.withdrawn && !r.void && r.round === measure.round)
    .sort((a, b) => a.at.localeCompare(b.at))
    .pop()
  const other = run.measures.find((m) => m.id === read?.point.pair?.measure)
  const point = other?.points.find((p) => p.id === read?.point.pair?.point)
  return other?.reading && read?.point.complete && point && !point.complete ? { measure: other, point } : undefined
}

/** openSpot is the first open point among the measures of a finding, for a round as left. */
export function openSpot(run: Run, finding: Finding): Spot | undefined {
  for (const id of finding.judges) {
    const measure = run.measures.find((m) => m.id === id)
    const together = measure && setTogether(run, measure)
    if (together) return together
    const point = measure && openPoint(measure)
    if (measure && point) return { measure, point }
  }
  return undefined
}

/** lastReading is the latest reading that can still be withdrawn. */
export function lastReading(run: Run) {
  const all = run.measures
    .filter((m) => m.reading)
    .flatMap((m) => m.points.flatMap((p) => p.readings.map((r) => ({ ...r, measure: m, point: p }))))
    .filter((r) => !r.withdrawn && !r.void && r.round === r.measure.round)
  return all.sort((a, b) => a.at.localeCompare(b.at)).pop()
}

/** canBeDoneAhead says whether a step may be done while a wait before it is still running. */
export function canBeDoneAhead(kind: string): boolean {
  return kind === 'check' || kind === 'ambient' || kind === 'record' || kind === 'bring' || kind === 'cautions'
}
