import { describe, expect, it } from 'vitest'
import { lastReading, openPoint, openSpot } from '../bench/reading'
import type { Finding, Measure, Run } from '../api/client'
import { partly } from './page'

const reading = (id: string, at: string, more = {}) => ({ id, at, round: 0, phase: 'as found', values: [1], ...more })
const measure = (id: string, points: object[], more = {}) =>
  partly<Measure>({ id, round: 0, reading: true, points, ...more })
const run = (...measures: Measure[]) => partly<Run>({ measures })

describe('the point to read next', () => {
  it('is the first that is not complete', () => {
    expect(
      openPoint(
        measure('co2', [
          { id: 'a', complete: true },
          { id: 'b', complete: false },
        ]),
      )?.id,
    ).toBe('b')
    expect(openPoint(measure('co2', [{ id: 'a', complete: true }]))).toBeUndefined()
  })

  it('goes through the measures of a finding in its order', () => {
    const first = measure('rate', [{ id: 'x', complete: false, readings: [] }])
    const second = measure('co2', [{ id: 'y', complete: false, readings: [] }])
    const finding = partly<Finding>({ judges: ['co2', 'rate'] })
    expect(openSpot(run(first, second), finding)?.point.id).toBe('y')
  })

  it('is the one that is set together with the last, as long as that is open', () => {
    const read = {
      id: 'a',
      complete: true,
      readings: [reading('1', '2026-03-02T10:00:00Z')],
      pair: { measure: 'pulse', point: 'p' },
    }
    const saturation = measure('spo2', [read, { id: 'b', complete: false, readings: [] }])
    const pulse = (complete: boolean) => measure('pulse', [{ id: 'p', complete, readings: [] }])
    const finding = partly<Finding>({ judges: ['spo2', 'pulse'] })
    expect(openSpot(run(saturation, pulse(false)), finding)?.point.id).toBe('p')
    expect(openSpot(run(saturation, pulse(true)), finding)?.point.id).toBe('b')
  })
})

describe('the reading that Backspace withdraws', () => {
  it('is the latest that stands, in the round being read', () => {
    const co2 = measure('co2', [
      { id: 'a', readings: [reading('1', '2026-03-02T10:00:00Z'), reading('2', '2026-03-02T10:02:00Z')] },
      { id: 'b', readings: [reading('3', '2026-03-02T10:05:00Z', { withdrawn: 'mistyped' })] },
    ])
    expect(lastReading(run(co2))?.id).toBe('2')
  })

  it('is never one of a closed phase', () => {
    const points = [{ id: 'a', readings: [reading('1', '2026-03-02T10:00:00Z')] }]
    expect(lastReading(run(measure('co2', points, { round: 1 })))).toBeUndefined()
    expect(lastReading(run(measure('co2', points, { reading: false })))).toBeUndefined()
  })
})
