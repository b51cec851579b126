import { describe, expect, it } from 'vitest'
import { clock, movedBy, partsOf } from '../rounds/clock'
import { useLatest } from '../rounds/useLatest'

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

describe('changes of a round that come quickly', () => {
  it('are saved one after another, each thing as it was wished last', async () => {
    const saved: object[] = []
    const answers: (() => void)[] = []
    const { change } = useLatest<{ people?: string[]; jobs?: string[] }>((c) => {
      saved.push(c)
      return new Promise((resolve) => answers.push(resolve))
    })
    const first = change({ people: ['Idris'] })
    change({ people: ['Idris', 'Noor'] })
    change({ jobs: ['scale'] })
    change({ people: ['Idris', 'Noor', 'Fenn'] })
    expect(saved).toEqual([{ people: ['Idris'] }])
    answers.shift()!()
    await Promise.resolve()
    await Promise.resolve()
    expect(saved[1]).toEqual({ people: ['Idris', 'Noor', 'Fenn'], jobs: ['scale'] })
    answers.shift()!()
    expect(await first).toBe(true)
    expect(saved).toHaveLength(2)
  })
})
