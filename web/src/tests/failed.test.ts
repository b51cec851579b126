import { describe, expect, it, vi } from 'vitest'
import FailedSoFar from '../bench/FailedSoFar.vue'
import TestsTable from '../equipment/TestsTable.vue'
import type { Run, Step } from '../api/client'
import type { components } from '../api/schema.gen'
import { dialog, partly, person, refuse, server, shown, submit, type } from './page'

vi.mock('../composables/useSession', async () => {
  const { can, person, session } = await import('./page')
  return { useSession: () => ({ person, can, session }) }
})

const outside = { pass: false, sentence: 'Outside. 0.44, at most 0.20.' }
const run = (closed = 0) =>
  partly<Run>({
    findings: [{ id: 'tight', closed, judges: ['leak'] }],
    measures: [
      {
        id: 'leak',
        title: 'Leak',
        set_up: ['Is every joint pushed home?'],
        points: [{ label: 'at 40', found: outside, gross_open: false }],
      },
    ],
    steps: [{ id: 'mains', kind: 'check', title: 'Mains', answer: 'not fine', note: 'no battery', tests: true }],
  })
const adjustable = { ...run(), findings: [{ ...run().findings[0]!, controls: [{ id: 'span' }] }] } as unknown as Run
const step = (id: string, kind: Step['kind'] = 'check') => partly<Step>({ id, kind })

describe('what has failed so far', () => {
  it('is said above the step in hand, with what to look at, and leads there', async () => {
    const { page } = await shown(FailedSoFar, { run: run(), step: step('exchanger') })
    expect(page.text()).toContain('Leak at 40. Outside. 0.44, at most 0.20. Is every joint pushed home?')
    expect(page.text()).toContain('Mains. Failed: no battery')
    await page.get('button').trigger('click')
    expect(page.emitted('look')).toEqual([['leak']])
  })
  it('is not said twice: where it is read, where it is judged, and once it was', async () => {
    expect((await shown(FailedSoFar, { run: run(), step: step('leak', 'measure') })).page.text()).not.toContain('Leak')
    expect((await shown(FailedSoFar, { run: run(), step: step('tight', 'finding') })).page.text()).toBe('')
    expect((await shown(FailedSoFar, { run: adjustable, step: step('exchanger') })).page.text()).not.toContain('Leak')
    expect((await shown(FailedSoFar, { run: run(1), step: step('mains') })).page.text()).toBe('')
  })
})

describe('the tests of an analyser', () => {
  const device = partly<components['schemas']['AssetView']>({
    tag: 'MB-0723',
    tests: [
      {
        test: 'urea',
        procedure: 'chemistry-urea',
        unit: 'mmol/L',
        words: 'Expired on 2026-11-15',
        stopped: true,
        lots: [{ role: 'Calibrator', lot: 'K-2607', expires: '2026-06-25T00:00:00Z', expired: true }],
        figures: [{ id: 'factor', words: 'Factor 41.2 mmol/L (U 0.5)', change: -9.04 }],
      },
    ],
  })

  it('say which may be used, what they were calibrated with, and how their figures moved', async () => {
    const { page } = await shown(TestsTable, { device, busy: false })
    expect(page.text()).toContain('◆ no patient sample')
    expect(page.text()).toContain('K-2607')
    expect(page.text()).toMatch(/expired\s+25 Jun 2026/)
    expect(page.text()).toContain('Factor 41.2 mmol/L (U 0.5) −9.0 % since the one before')
    await page.get('[aria-label="Calibrate urea"]').trigger('click')
    expect(page.emitted('calibrate')).toEqual([['chemistry-urea']])
    person.value = { ...person.value, role: 'technician' }
    const other = await shown(TestsTable, { device, busy: false })
    expect(other.page.text()).not.toContain('Correct …')
  })

  it('are corrected only with the samples that it rests on; what is refused loses nothing', async () => {
    let answer: unknown = refuse('A correction rests on 20 samples at least.', 'pairs')
    const sent = server({
      '/api/workings/comparison': () => ({
        words: 'A factor: divide what was found by 1.08.',
        n: 12,
        slope: 1.08,
        intercept: 0,
        slope_ci: [1.07, 1.09],
        intercept_ci: [-0.1, 0.1],
      }),
      '/api/assets/{id}/tests/{test}/correction': () => answer,
    })
    const { page } = await shown(TestsTable, { device, busy: false })
    await page
      .findAll('button')
      .find((b) => b.text().startsWith('Correct'))!
      .trigger('click')
    type('pairs', '3\t3.2')
    type('against', 'central laboratory')
    await submit()
    expect(dialog().textContent).toContain('20 samples at least')
    expect(dialog().querySelector<HTMLTextAreaElement>('[name=pairs]')!.value).toBe('3\t3.2')
    answer = {}
    await submit()
    expect(sent.filter((s) => s.path.endsWith('correction')).at(-1)!.params.path).toEqual({
      id: 'MB-0723',
      test: 'urea',
    })
    expect(page.emitted('changed')).toHaveLength(1)
  })
})
