import { flushPromises, mount } from '@vue/test-utils'
import { describe, expect, it, vi } from 'vitest'
import AgendaList from '../rounds/AgendaList.vue'
import DayStrip from '../rounds/DayStrip.vue'
import WhatIfCurve from '../intervals/WhatIfCurve.vue'
import IntervalSheet from '../intervals/IntervalSheet.vue'
import ControlChart from '../control/ControlChart.vue'
import NewControlLot from '../control/NewControlLot.vue'
import type { components } from '../api/schema.gen'
import { dialog, partly, person, refuse, server, shown, submit, type } from './page'

vi.mock('../composables/useSession', async () => {
  const { can, person, session } = await import('./page')
  return { useSession: () => ({ person, can, session }) }
})

type Block = components['schemas']['Block']
const block = (job: string, part: Block['part'], from: number, until: number, travel = 0) =>
  partly<Block>({ job, part, person: 'Idris Vail', place: 'Ward 3', from, until, travel })
const day = [
  block('chamber', 'set up', 480, 500),
  block('scale', 'whole', 500, 540),
  block('chamber', 'finish', 560, 570),
  block('pump', 'whole', 610, 640, 40),
]
const jobs = ['chamber', 'scale', 'pump'].map((id) =>
  partly<components['schemas']['RoundJob']>({ id, tag: id.toUpperCase(), title: `${id}, verification` }),
)

describe('a day in order', () => {
  const agenda = (blocks = day) => mount(AgendaList, { props: { blocks, jobs, many: false }, attachTo: document.body })

  it('says what runs by itself meanwhile, and the way that counts', () => {
    const rows = agenda()
      .findAll('li')
      .map((r) => r.text())
    expect(rows[0]).toContain('08:00–08:20')
    expect(rows[0]).toContain('then it runs by itself; finish at 09:20')
    expect(rows[1]).not.toContain('on the way')
    expect(rows[3]).toContain('40 min on the way to')
  })

  it('is put in order by keys and buttons, past the next other job, and stops at the ends', async () => {
    const page = agenda()
    const rows = page.findAll('li')
    await rows[1]!.trigger('keydown', { key: 'ArrowUp', altKey: true })
    await rows[0]!.get('[aria-label="CHAMBER later"]').trigger('click')
    await rows[0]!.trigger('keydown', { key: 'ArrowUp', altKey: true })
    await rows[3]!.trigger('keydown', { key: 'ArrowDown', altKey: true })
    await rows[2]!.trigger('keydown', { key: 'ArrowDown' })
    expect(page.emitted('order')).toEqual([
      [['scale', 'scale', 'chamber', 'chamber', 'pump', 'pump']],
      [['scale', 'scale', 'chamber', 'chamber', 'pump', 'pump']],
    ])
    expect(rows[0]!.get('[aria-label="CHAMBER earlier"]').attributes('disabled')).toBeDefined()
    await rows[1]!.trigger('keydown', { key: 'Delete' })
    expect(page.emitted('leave')).toEqual([['scale']])
  })

  it('keeps the cursor on what was moved, wherever the new plan puts it', async () => {
    const page = agenda()
    await page.findAll('li')[3]!.trigger('keydown', { key: 'ArrowUp', altKey: true })
    await page.setProps({ blocks: [day[3]!, day[0]!, day[1]!, day[2]!] })
    await flushPromises()
    expect(document.activeElement?.textContent).toContain('PUMP')
    await page.findAll('li')[0]!.trigger('keydown', { key: 'ArrowDown', altKey: true })
    await page.setProps({
      blocks: [day[0]!, block('pump', 'set up', 500, 510), day[1]!, day[2]!, block('pump', 'finish', 600, 610)],
    })
    await flushPromises()
    expect(document.activeElement).toBe(page.findAll('li')[1]!.element)
    ;(document.activeElement as HTMLElement).blur()
    await page.setProps({ blocks: [...day] })
    await flushPromises()
    expect(document.activeElement, 'a plan that nobody here moved takes no cursor').toBe(document.body)
  })

  it('is drawn to scale, with its waits', () => {
    const strip = mount(DayStrip, {
      props: { name: 'Idris Vail', blocks: day, from: 480, until: 960, at: 'pump' },
    })
    const widths = strip.findAll('[title]').map((b) => [b.attributes('title'), b.attributes('style')])
    expect(widths[3]![0]).toBe('10:10 to 10:40')
    expect(widths[3]![1]).toContain('width: 6.25%')
    expect(strip.findAll('.bg-brass')).toHaveLength(1)
    expect(strip.findAll('.bottom-2')).toHaveLength(1)
    expect(strip.get('.bottom-2').attributes('style')).toContain('width: 12.5%')
  })
})

const choice = (days: number) => ({
  days,
  out: days / 1000,
  exposure: days / 100,
  hours: 365 / days,
  recall: `${days} days have to be looked back on`,
})
const view = (more: object = {}) => ({
  subject: 'Ostrel C2 capnograph',
  sentence: '9 of 90 were found out: 214 days keep 92 %.',
  days: 214,
  current: 365,
  way: 'reliability',
  found: [
    { way: 'reliability', days: 214, words: '9 of 90 found out' },
    { way: 'drift', days: 0, words: 'nothing moves' },
  ],
  curve: [90, 214, 365, 730].map(choice),
  bound: false,
  records: 90,
  out: 9,
  devices: 12,
  ...more,
})

describe('how often', () => {
  it('marks on the curve what is, and what is recommended, with both numbers', () => {
    const curve = mount(WhatIfCurve, {
      props: {
        curve: view().curve,
        pick: (c: { out: number }) => c.out,
        title: 'Found out',
        words: (v: number) => `${100 * v} %`,
        current: 365,
        recommended: 214,
      },
    })
    expect(curve.findAll('circle').map((c) => c.classes().includes('fill-brass'))).toEqual([true, false])
    expect(curve.findAll('text').map((t) => t.text())).toEqual(['21.4 %', '214 d', '36.5 %', '365 d'])
    const [at, now] = curve.findAll('circle').map((c) => Number(c.attributes('cx')))
    expect((at! - 8) / (now! - 8)).toBeCloseTo(214 / 365)
  })

  it('is accepted by a lead, for all devices of a model, with the sentence why', async () => {
    const sent = server({ '/api/intervals/model': () => ({}) })
    const model = { maker: 'Ostrel', model: 'C2', procedure: 'capnograph-verification' }
    const { page } = await shown(IntervalSheet, { view: view(), model })
    expect(page.text()).toContain('an estimate')
    expect(page.get('form button').text()).toBe('Accept for 12 devices')
    expect(page.text(), 'before it is accepted').toContain('214 days have to be looked back on')
    await page.get('[name=days]').setValue('360')
    expect(page.text()).toContain('365 days have to be looked back on')
    await page.get('[name=days]').setValue('180')
    await page.get('[name=why]').setValue('with the ferry')
    await page.get('form').trigger('submit')
    await flushPromises()
    expect(sent[0]).toMatchObject({ params: { query: model }, body: { days: 180, sentence: 'with the ferry' } })
    expect(page.get('[role=status]').text()).toContain('180 days are in force')
  })

  it('says so where it is refused, where nobody may, and where too little is known', async () => {
    server({ '/api/activities/{id}/interval': () => refuse('A rule binds it: at most 365 days.') })
    let { page } = await shown(IntervalSheet, { view: view({ devices: 1, curve: [choice(365)] }), activity: 'a1' })
    expect(page.text()).toContain('Too little is known of this model')
    await page.get('form').trigger('submit')
    await flushPromises()
    expect(page.get('[role=alert]').text()).toBe('A rule binds it: at most 365 days.')
    expect(page.find('[role=status]').exists()).toBe(false)
    person.value.role = 'technician'
    ;({ page } = await shown(IntervalSheet, { view: view({ bound: true }), activity: 'a1' }))
    expect(page.find('form').exists()).toBe(false)
    expect(page.text()).toContain('these are upper bounds')
  })
})

describe('controls over time', () => {
  const level = {
    level: 1,
    lot: 'C1',
    expires: '2027-01-31T00:00:00Z',
    unit: 'mmol/L',
    code: 'mmol/L',
    bias: 0.4,
    cv: 1.2,
    n: 30,
    sigma: 4.25,
    words: 'good',
    allowed: 10,
    expired: false,
    lot_id: 'C1-1',
    mean: 5,
    sd: 0.06,
  }
  type ControlRun = components['schemas']['ControlChart']['runs'][number]
  const run = (id: string, daysAgo: number, z: number, lot: string, more: Partial<ControlRun> = {}) =>
    partly<ControlRun>({
      id,
      at: new Date(Date.now() - daysAgo * 86_400_000).toISOString(),
      words: 'accepted',
      points: [
        { level: 1, lot, value: 5, z },
        { level: 2, lot: 'D1', value: 15, z: 0 },
      ],
      ...more,
    })
  const runs = [
    run('r1', 20, 0, 'C0'),
    run('r2', 10, 2.4, 'C1', { warning: true, words: 'a warning' }),
    run('r3', 5, 6, 'C1', { rejected: true, words: 'rejected: beyond 3 SD' }),
    run('r4', 0, -1, 'C1'),
  ]
  const chart = () => mount(ControlChart, { props: { level, runs, days: 30 } })

  it('tells by shape what was rejected and what is a warning, and says the words', () => {
    const page = chart()
    expect(page.findAll('path[fill="var(--vermilion)"]')).toHaveLength(1)
    expect(page.get('title').text()).toContain('rejected: beyond 3 SD')
    expect(page.findAll('circle[stroke="var(--brass)"]')).toHaveLength(1)
    expect(page.findAll('circle[fill="var(--ink)"]')).toHaveLength(2)
    expect(page.text()).toContain('until 31 Jan 2027')
    expect(page.text()).toContain('lot C1')
  })

  it('puts time and deviation where they belong, and keeps what is far out in sight', () => {
    const page = chart()
    const [first, last] = page
      .findAll('circle[fill="var(--ink)"]')
      .map((c) => [Number(c.attributes('cx')), Number(c.attributes('cy'))])
    expect(first![0]).toBeCloseTo(30 + (10 / 30) * 860, 0)
    expect(last![0]).toBeCloseTo(890, 0)
    expect(first![1]).toBe(66)
    expect(last![1]).toBeGreaterThan(66)
    const top = Number(/^M[\d.]+ (-?[\d.]+)l/.exec(page.get('path[fill="var(--vermilion)"]').attributes('d')!)![1])
    expect(top).toBe(3)
  })

  it('gets a new lot, scanned into the field of the lot', async () => {
    const sent = server({
      '/api/lots/label': () => ({ lot: 'C1-NEW', expires: '2027-06-30T00:00:00Z' }),
      '/api/controls/{asset}/lots': (s) => (s.body.mean ? {} : refuse('“mean” is missing.', 'mean')),
    })
    const { page } = await shown(NewControlLot, { chart: { asset: 'MB-0500', analyte: 'glucose', levels: [level] } })
    type('lot', '(01)09999999000010(17)270630(10)C1-NEW')
    await flushPromises()
    await submit()
    expect(document.querySelector('[role=alert]')!.textContent).toBe('“Mean” is missing.')
    expect(document.activeElement).toBe(dialog().querySelector('[name=mean]'))
    type('mean', '5,1')
    type('sd', '0,1')
    await submit()
    expect(sent.at(-1)).toMatchObject({
      params: { path: { asset: 'MB-0500' } },
      body: {
        analyte: 'glucose',
        level: 1,
        lot: 'C1-NEW',
        unit: 'mmol/L',
        mean: '5,1',
        sd: '0,1',
        allowed: '10',
        expires: '2027-06-30',
      },
    })
    expect(page.emitted('close')).toHaveLength(1)
  })
})
