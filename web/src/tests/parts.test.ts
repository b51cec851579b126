import { mount } from '@vue/test-utils'
import { describe, expect, it } from 'vitest'
import ErrorComponents from '../components/ErrorComponents.vue'
import NumberField from '../components/NumberField.vue'
import DueRow from '../components/DueRow.vue'
import TimerRing from '../components/TimerRing.vue'
import FindingPoints from '../bench/FindingPoints.vue'
import DriftHistory from '../references/DriftHistory.vue'
import BudgetTable from '../workings/BudgetTable.vue'
import type { ErrorComponents as Decomposed, Budget, Finding, Reference, Run, Verdict } from '../api/client'
import type { components } from '../api/schema.gen'
import { numberIn, significant, unitWords } from '../composables/words'
import { partly } from './page'

describe('a budget as a table', () => {
  const line = (name: string, share: number, dof = 0) => ({
    name,
    distribution: 'normal' as const,
    width: 0.05,
    k: 2,
    dof,
    standard_uncertainty: 0.025,
    contribution: 0.025,
    share,
  })
  const budget = (dof: number) =>
    partly<Budget>({
      lines: [line('Gas', 0.95), line('Readings', 0.05, 4)],
      combined: 0.0257,
      k: 2,
      expanded: 0.0513,
      coverage: 0.9545,
      effective_dof: dof,
    })

  it('shows every term with its share, and U with its unit', () => {
    const table = mount(BudgetTable, { props: { budget: budget(40), unit: 'vol%' } })
    expect(table.findAll('tbody tr')).toHaveLength(2)
    expect(table.text()).toContain('95 %')
    expect(table.text()).toContain('4.00 dof')
    expect(table.text()).toMatch(/U 0\.0513\s*vol%/)
    expect(table.text()).toContain('effective degrees of freedom 40.0')
  })

  it('does not boast of a million degrees of freedom', () => {
    expect(mount(BudgetTable, { props: { budget: budget(1e7) } }).text()).not.toContain('degrees of freedom')
  })
})

describe('what errors are made of', () => {
  it('tells what stands out by words, not only by colour', () => {
    const components: Decomposed = {
      shape: 'gain',
      offset: 0,
      gain: -0.06,
      parts: [
        { shape: 'offset', size: 0.0001, share: 0.0002, significant: false },
        { shape: 'gain', size: 0.6, share: 1.6, significant: true },
      ],
    }
    const rows = mount(ErrorComponents, { props: { components, unit: 'vol%' } }).findAll('tbody tr')
    expect(rows[0]!.text()).toContain('does not stand out')
    expect(rows[0]!.text()).toContain('–')
    expect(rows[1]!.text()).toContain('0.600 vol%')
    expect(rows[1]!.text()).toContain('160 %')
    expect(rows[1]!.find('.bg-vermilion').exists()).toBe(true)
  })
})

describe('the drift of a reference', () => {
  const certificate = (on: string, value: number) =>
    partly<Reference['certificates'][number]>({
      number: on,
      on: on + 'T00:00:00Z',
      due_on: on + 'T00:00:00Z',
      values: [{ quantity: 'level', value, unit: 'dB[SPL]', u: 0.2, k: 2 }],
    })

  it('is drawn from certificate to certificate, later to the right, higher above', () => {
    const chart = mount(DriftHistory, {
      props: {
        certificates: [certificate('2024-07-18', 93.9), certificate('2025-07-18', 94), certificate('2026-07-18', 94.1)],
      },
    })
    const dots = chart.findAll('circle').map((c) => [Number(c.attributes('cx')), Number(c.attributes('cy'))])
    expect(dots).toHaveLength(3)
    expect(dots[1]![0]).toBeGreaterThan(dots[0]![0]!)
    expect(dots[2]![1]).toBeLessThan(dots[0]![1]!)
    expect(chart.text()).toContain('dB SPL')
  })

  it('needs two certificates to be one', () => {
    expect(
      mount(DriftHistory, { props: { certificates: [certificate('2026-07-18', 94)] } })
        .find('svg')
        .exists(),
    ).toBe(false)
  })
})

describe('the points of a finding', () => {
  it('show the latest verdict, the other schools, and why a point was left out', () => {
    const verdict = (sentence: string) =>
      partly<Verdict>({
        sentence,
        zone: 'inside',
        error_to_limit: 0.2,
        u_to_limit: 0.1,
        schools: [{ title: 'within 50 mL', zone: 'outside', error_to_limit: 2, pass: false }],
      })
    const run = partly<Run>({
      measures: [
        {
          id: 'volume',
          title: 'Volume',
          points: [
            { id: 'a', label: 'slow', found: verdict('Outside.'), left: verdict('Inside.'), readings: [] },
            { id: 'b', label: 'fast', omitted: 'no time', readings: [] },
            { id: 'c', label: 'medium', readings: [] },
          ],
        },
      ],
    })
    const rows = mount(FindingPoints, {
      props: { run, finding: partly<Finding>({ judges: ['volume'] }) },
    }).findAll('ul > li')
    expect(rows[0]!.text()).toContain('Inside.')
    expect(rows[0]!.text()).not.toContain('Outside.')
    expect(rows[0]!.text()).toContain('within 50 mL')
    expect(rows[1]!.text()).toContain('left out: no time')
    expect(rows[2]!.text()).toContain('not read yet')
  })
})

describe('a timer', () => {
  it('empties as time goes by, and is full and still when it is over', () => {
    const ring = (now: string) =>
      mount(TimerRing, {
        props: { started: '2026-03-02T10:00:00Z', until: '2026-03-02T10:10:00Z', now: Date.parse(now) },
      })
    const left = (now: string) => Number(ring(now).findAll('circle')[1]?.attributes('stroke-dasharray')?.split(' ')[0])
    expect(left('2026-03-02T10:00:00Z')).toBeGreaterThan(left('2026-03-02T10:05:00Z'))
    expect(left('2026-03-02T10:05:00Z')).toBeCloseTo(50, 0)
    expect(ring('2026-03-02T10:11:00Z').findAll('circle')).toHaveLength(1)
  })
})

describe('a due activity', () => {
  const due = {
    asset: 'd',
    tag: 'MB-1',
    device: 'C2',
    title: 'Check',
    days: -3,
    risk: 5,
    family: 'capnograph',
    status: 'in use' as const,
    place: 'Theatre',
    site: 'Merrowby',
    procedure: 'p',
  }
  const row = (more: object, mayStart = true) =>
    mount(DueRow, {
      props: { due: partly<components['schemas']['DueView']>({ ...due, ...more }), starting: false, mayStart },
      global: { stubs: { RouterLink: { template: '<a><slot /></a>' } } },
    })

  it('can be started, resumed, or only done by hand', () => {
    expect(row({}).find('button').text()).toBe('Start')
    expect(row({ run: 'r1' }).text()).toContain('Resume')
    expect(row({ procedure: '' }).text()).toContain('by hand')
    expect(row({}, false).find('button').exists()).toBe(false)
    expect(row({}).text()).toContain('3 days overdue')
  })
})

describe('numbers as they are typed and shown', () => {
  it('takes a comma, and never shows a unit code', async () => {
    expect(numberIn(' 4,71 ')).toBe(4.71)
    expect(numberIn('−0.5')).toBe(-0.5)
    expect(numberIn('')).toBeNaN()
    expect(numberIn('4.7x')).toBeNaN()
    expect(unitWords('cm[H2O]')).toBe('cmH₂O')
    expect(significant(0.000123456, 3)).toBe('0.000123')
    expect(significant(-12345, 3)).toBe('−12345')
    expect(significant(undefined)).toBe('–')
    const field = mount(NumberField, { props: { modelValue: '1', label: 'Gauge', unit: 'bar', optional: true } })
    await field.find('input').setValue('61,5')
    expect(field.emitted('update:modelValue')).toEqual([['61,5']])
    expect(field.text()).toContain('if known')
  })
})
