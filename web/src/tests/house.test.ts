import { flushPromises, mount } from '@vue/test-utils'
import { QueryClient, VueQueryPlugin } from '@tanstack/vue-query'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import DaySheet from '../house/DaySheet.vue'
import FiguresSheet from '../house/FiguresSheet.vue'
import RestoreCopy from '../house/RestoreCopy.vue'
import ReadBack from '../house/ReadBack.vue'
import { api } from '../api/client'
import type { House } from '../house/useHouse'

vi.mock('../composables/useSession', async () => {
  const { can, person, session } = await import('./page')
  return { useSession: () => ({ person, can, session }) }
})

const house = (): House => ({
  people: [
    { id: 'idris', name: 'Idris Vail', role: 'technician', active: true, by: 'password', works: true },
    { id: 'odile', name: 'Odile Marsh', role: 'manager', active: true, by: 'password', works: false },
  ],
  lab: {
    name: 'Workshop',
    rule: { kind: 'simple', tur_floor: 3 },
    policy: { school: 'threshold', threshold: 0.7, max_rounds: 4 },
    review: 'on failure',
  } as House['lab'],
  intervals: {
    targets: [0.85, 0.88, 0.9, 0.92, 0.95],
    ceilings: [1095, 730, 730, 548, 365],
    floor: 30,
    rhythm: 30,
    in_a_row: 3,
    up: 1.5,
    down: 0.5,
    least_out: 2,
    least_seen: 8,
  },
  procedures: [],
  schools: [],
  families: ['ventilator', 'patient-scale'],
  sites: ['Merrowby General', 'Quillet Island Clinic'],
  prices: { currency: 'cr', hour: 62, litre: 0.35, certificate: 340 },
  day: {
    from: '08:00',
    until: '16:30',
    home: 'Merrowby General',
    within: 5,
    capacity: 28,
    idle: 15,
    rise: 100,
    grace: 30,
    hands: { Bring: 2, Step: 1, Record: 1.5, Typed: 1, Linked: 0.4, Finding: 2, Sign: 2, Unknown: 20 },
    rounds: { ahead: 21, jobs: 14, forward: 17 },
    sites: [{ name: 'Merrowby General', travel: 0 }],
  },
  address: '',
  version: 'test',
})
type Sent = { path: string; body: unknown; query?: unknown }
let sent: Sent[] = []
let answers: Record<string, (s: Sent) => unknown> = {}
const refuse = (detail: string) => ({
  error: { title: 'Not recorded', status: 422, detail, code: 'invalid' },
  response: new Response('', { status: 422 }),
})

beforeEach(() => {
  sent = []
  answers = {}
  vi.spyOn(api, 'GET').mockImplementation((async () => ({ data: house(), response: new Response('{}') })) as never)
  vi.spyOn(api, 'POST').mockImplementation((async (
    path: string,
    init: { body: unknown; params?: { query?: unknown } },
  ) => {
    const s = { path, body: init.body, query: init.params?.query }
    sent.push(JSON.parse(JSON.stringify(s)))
    return answers[path]?.(s) ?? { data: house(), response: new Response('{}') }
  }) as never)
})
afterEach(() => vi.restoreAllMocks())

async function shown(sheet: Parameters<typeof mount>[0]) {
  const page = mount(sheet, { global: { plugins: [[VueQueryPlugin, { queryClient: new QueryClient() }]] } })
  await flushPromises()
  return page
}

describe('places and hours', () => {
  it('takes a site of the register that has none of its own yet, and sends only what was changed', async () => {
    const page = await shown(DaySheet)
    expect(page.text()).toContain('Quillet Island Clinic')
    const tuesday = page.get('[aria-label="Quillet Island Clinic on Tu"]')
    for (const day of ['Mo', 'We', 'Th', 'Fr', 'Sa', 'Su'])
      await page.get(`[aria-label="Quillet Island Clinic on ${day}"]`).trigger('click')
    expect(tuesday.attributes('aria-pressed')).toBe('true')
    await page.get('[aria-label="Way to Quillet Island Clinic in minutes"]').setValue('55')
    await page.get('form').trigger('submit')
    await flushPromises()
    expect(sent).toHaveLength(1)
    expect(sent[0]!.body).toEqual({
      ...house().day,
      sites: [
        { name: 'Merrowby General', travel: 0 },
        { name: 'Quillet Island Clinic', travel: 55, weekdays: [2] },
      ],
    })
    expect(page.text()).toContain('Rounds are planned by it')
  })

  it('keeps every entry when it is refused, and says why', async () => {
    answers['/api/house/day'] = () => refuse('The day ends after it begins.')
    const page = await shown(DaySheet)
    await page.get('input[name=until]').setValue('7')
    await page.get('input[name=until]').trigger('change')
    await page.get('form').trigger('submit')
    await flushPromises()
    expect(page.get('[role=alert]').text()).toBe('The day ends after it begins.')
    expect(page.get<HTMLInputElement>('input[name=until]').element.value).toBe('07:00')
  })
})

describe('intervals and prices', () => {
  it('are kept together, and the prices not where the intervals are refused', async () => {
    const page = await shown(FiguresSheet)
    await page.get('input[name=target-5]').setValue('0.97')
    await page.get('input[name=hour]').setValue('70')
    await page.get('form').trigger('submit')
    await flushPromises()
    expect(sent.map((s) => s.path)).toEqual(['/api/house/intervals', '/api/house/prices'])
    expect((sent[0]!.body as { targets: number[] }).targets[4]).toBe(0.97)
    expect(sent[1]!.body).toMatchObject({ hour: 70, currency: 'cr' })

    sent = []
    answers['/api/house/intervals'] = () => refuse('Floor and rhythm must be a day at least.')
    await page.get('form').trigger('submit')
    await flushPromises()
    expect(sent).toHaveLength(1)
    expect(page.get('[role=alert]').text()).toContain('a day at least')
  })
})

/** choose puts a file into a file field, as a person does. */
async function choose(page: Awaited<ReturnType<typeof shown>>, selector: string, name: string, text: string) {
  const input = page.get<HTMLInputElement>(selector)
  Object.defineProperty(input.element, 'files', { value: [new File([text], name)], configurable: true })
  await input.trigger('change')
  await flushPromises()
  await vi.waitFor(() => expect(sent.length).toBeGreaterThan(0))
  await flushPromises()
}

describe('a copy put back', () => {
  const kept = { events: 12, devices: 1, runs: 2, last: '2026-03-02T10:00:00Z', restored: false }

  it('is looked at first, and goes in only after a person said so', async () => {
    answers['/api/house/restore'] = (s) => ({
      data: { ...kept, restored: (s.query as { go: boolean }).go, aside: 'ledger.db.20260302' },
      response: new Response('{}'),
    })
    const page = await shown(RestoreCopy)
    await choose(page, 'input[name=copy]', 'copy.db', 'x')
    expect(sent[0]!.query).toEqual({ go: false })
    expect(page.text()).toContain('12 events, 2 runs, 1 device, up to')
    const button = page.get('button')
    expect(button.attributes('disabled')).toBeDefined()
    await page.get('input[name=sure]').setValue(true)
    expect(button.attributes('disabled')).toBeUndefined()
    await button.trigger('click')
    await flushPromises()
    expect(sent.at(-1)!.query).toEqual({ go: true })
    expect(page.text()).toContain('kept as ledger.db.20260302')
  })

  it('that does not hold changes nothing and says so', async () => {
    answers['/api/house/restore'] = () => refuse('The backup does not hold; nothing was changed.')
    const page = await shown(RestoreCopy)
    await choose(page, 'input[name=copy]', 'copy.db', 'x')
    expect(page.get('[role=alert]').text()).toContain('nothing was changed')
    expect(page.find('button').exists()).toBe(false)
  })
})

describe('a run read back', () => {
  const view = {
    id: 'r',
    tag: 'MB-1',
    device: 'Ostrel C2',
    title: 'Verification',
    status: 'signed',
    result: 'conforms',
    by: 'Idris Vail',
    on: '2026-03-02T10:00:00Z',
    events: 1,
    head: 'abc',
    points: 3,
    here: 'unknown',
    taken: false,
    lines: [{ title: 'CO₂', points: 3, inside: 3 }],
  }
  it('can be taken in where this record does not know it', async () => {
    answers['/api/records'] = (s) => ({
      data: (s.query as { go: boolean }).go
        ? { ...view, here: 'same', missing: 'It is in the record.', taken: true }
        : view,
      response: new Response('{}'),
    })
    const page = await shown(ReadBack)
    await choose(page, 'input[name=run]', 'run.json', '{}')
    expect(page.text()).toContain('It holds: 1 event in their chain, 3 verdicts')
    await page.get('button').trigger('click')
    await flushPromises()
    expect(sent.map((s) => s.query)).toEqual([{ go: false }, { go: true }])
    expect(page.text()).toContain('It is in the record.')
    expect(page.find('button').exists()).toBe(false)
  })
})
