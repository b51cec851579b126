import { describe, expect, it } from 'vitest'
import { clock, movedBy, partsOf } from '../rounds/clock'

const day = [
  { job: 'chamber', part: 'set up' },
  { job: 'scale', part: 'whole' },
  { job: 'chamber', part: 'finish' },
  { job: 'pump', part: 'whole' },
]
const jobs = (blocks: { job: string }[]) => blocks.map((b) => b.job)

describe('a round put in order by hand', () => {
  it('names every job twice', () => {
    expect(partsOf(day)).toEqual(['chamber', 'scale', 'scale', 'chamber', 'pump', 'pump'])
  })
  it('moves a part past the next one of another job', () => {
    expect(jobs(movedBy(day, 0, 1))).toEqual(['scale', 'chamber', 'chamber', 'pump'])
    expect(jobs(movedBy(movedBy(day, 0, 1), 1, 1))).toEqual(['scale', 'chamber', 'pump', 'chamber'])
    expect(jobs(movedBy(day, 3, -1))).toEqual(['chamber', 'scale', 'pump', 'chamber'])
  })
  it('stays at the ends', () => {
    expect(movedBy(day, 0, -1)).toBe(day)
    expect(movedBy(day, 3, 1)).toBe(day)
  })
  it('writes the minute of the day', () => expect(clock(485)).toBe('08:05'))
})
