import { describe, expect, it, vi } from 'vitest'
import { ago, brief, clockTime, countdown, dayWords, decimals, dueWords, elapsed, shown } from '../composables/words'

describe('numbers at the resolution of the display', () => {
  it.each([
    [0.05, 2],
    [5, 0],
    [0.1, 1],
    [0.002, 3],
  ])('%s needs %s decimals', (resolution, n) => expect(decimals(resolution)).toBe(n))

  it('shows a typographic minus, a plus only on errors, and no minus zero', () => {
    expect(shown(-0.312, 0.01)).toBe('−0.31')
    expect(shown(0.312, 0.01, true)).toBe('+0.31')
    expect(shown(-0.0001, 0.01, true)).toBe('0.00')
    expect(shown(37.4, 0.1)).toBe('37.4')
  })

  it('never shows what is no number', () => {
    for (const value of [Number.NaN, Number.POSITIVE_INFINITY, undefined, null]) expect(shown(value, 0.1)).toBe('')
  })
})

describe('errors and limits', () => {
  it.each([
    [15.498, 0.001, '15.5'],
    [0.3124, 0.001, '0.312'],
    [-40.04, 0.01, '−40.0'],
    [999.6, 0.001, '1000'],
    [0.00004, 0.01, '0.00'],
    [0, 0.01, '0'],
  ])('%s at %s is %s', (value, resolution, written) => expect(brief(value, resolution)).toBe(written))

  it('has a sign where it is an error, and nothing where there is none', () => {
    expect(brief(2.5, 0.1, true)).toBe('+2.5')
    expect(brief(undefined, 0.1)).toBe('')
    expect(brief(Number.NaN, 0.1)).toBe('')
  })
})

describe('times of day', () => {
  it.each([
    ['8', '08:00'],
    ['805', '08:05'],
    ['1730', '17:30'],
    ['8.05', '08:05'],
    ['8:5', '08:05'],
    [' 09:40 ', '09:40'],
    ['', ''],
    ['25', '25'],
    ['12:75', '12:75'],
    ['noon', 'noon'],
  ])('%s is %s', (typed, written) => expect(clockTime(typed)).toBe(written))
})

describe('days', () => {
  it.each(['2026-11-24', '2026-11-24T00:00:00+13:00', '2026-11-24T00:00:00Z', '2026-11-24T00:00:00-08:00'])(
    '%s is the 24th, wherever the browser is',
    (date) => {
      for (const there of ['Pacific/Auckland', 'UTC', 'America/Los_Angeles']) {
        vi.stubEnv('TZ', there)
        expect(dayWords(date)).toBe('24 Nov 2026')
      }
      vi.unstubAllEnvs()
    },
  )
  it('is nothing where there is none', () => expect(dayWords(undefined)).toBe(''))
})

describe('times in words', () => {
  it('tells how long something is open', () => {
    expect(elapsed(30_000)).toBe('under 1 min')
    expect(elapsed(4 * 60_000)).toBe('4 min')
    expect(elapsed(130 * 60_000)).toBe('2 h 10 min')
    expect(elapsed(3 * 86_400_000)).toBe('3 days')
  })

  it('counts a timer down to zero and not below', () => {
    expect(countdown(684_000)).toBe('11:24')
    expect(countdown(3_725_000)).toBe('1:02:05')
    expect(countdown(-5)).toBe('0:00')
  })

  it('says how a due day lies to today', () => {
    expect([-3, -1, 0, 1, 9].map(dueWords)).toEqual([
      '3 days overdue',
      '1 day overdue',
      'due today',
      'due tomorrow',
      'due in 9 days',
    ])
  })

  it('says how long past a moment is', () => {
    const now = Date.parse('2026-03-02T10:00:00Z')
    expect(ago(undefined, now)).toBe('never')
    expect(ago('2026-03-01T09:00:00Z', now)).toBe('yesterday')
    expect(ago('2025-02-02T09:00:00Z', now)).toBe('13 months ago')
  })
})
