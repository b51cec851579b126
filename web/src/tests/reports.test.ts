import { flushPromises, mount } from '@vue/test-utils'
import { QueryClient, VueQueryPlugin } from '@tanstack/vue-query'
import { createMemoryHistory, createRouter } from 'vue-router'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import ReportsView from '../views/ReportsView.vue'
import EconomicsWorking from '../workings/EconomicsWorking.vue'
import { api } from '../api/client'
import type { components } from '../api/schema.gen'

type Report = components['schemas']['ReportView']
const share = (of: number, all: number) => ({ of, all, value: all ? of / all : 0, low: 0.1, high: 0.9 })
const report = (): Report => ({
  from: '2025-11-25T00:00:00Z',
  until: '2026-11-26T00:00:00Z',
  on_time: { ...share(3, 4), median_late: 1, worst_late: 12 },
  months: [
    { month: '2026-10-01T00:00:00Z', on_time: share(1, 1) },
    { month: '2026-11-01T00:00:00Z', on_time: share(2, 3) },
  ],
  models: [
    { device: 'Ostrel C2 capnograph', family: 'capnograph', devices: 9, found: { ...share(8, 9), high: 0.98 } },
    { device: 'Ostrel V7 ventilator', family: 'ventilator', devices: 2, found: { ...share(2, 2), high: 1 } },
  ],
  states: [{ state: 'in use', devices: 9 }],
  overdue: [
    { risk: 5, count: 2, longest: 1, days: 2 },
    { risk: 4, count: 0, longest: 0, days: 0 },
    { risk: 3, count: 1, longest: 40, days: 40 },
    { risk: 2, count: 0, longest: 0, days: 0 },
    { risk: 1, count: 0, longest: 0, days: 0 },
  ],
  overdue_all: 3,
  work: [{ family: 'capnograph', title: 'Capnograph, verification', runs: 9, hours: 6.5, cost: 403 }],
  runs: 9,
  hours: 6.5,
  unknown: 1,
  gas: [
    { tag: 'HG-22', name: '5 % CO₂', used_l: 120, metered_l: 118, lost_l: 0, flagged: false, cost: 42 },
    { tag: 'HG-40', name: 'CO', used_l: 300, metered_l: 20, lost_l: 280, flagged: true, cost: 105 },
  ],
  used_l: 420,
  lost_l: 280,
  certificates: 1,
  prices: { currency: 'cr', hour: 62, litre: 0.35, certificate: 340 },
  cost: 890,
})

async function page(view: Parameters<typeof mount>[0], path: string) {
  const nothing = { template: '<p />' }
  const router = createRouter({
    history: createMemoryHistory(),
    routes: ['today', 'house', 'reference', 'device', 'workings'].map((name) => ({
      path: `/${name}/:${name === 'house' ? 'sheet' : 'id'}?`,
      name,
      component: nothing,
    })),
  })
  await router.push(path)
  const mounted = mount(view, {
    global: { plugins: [router, [VueQueryPlugin, { queryClient: new QueryClient() }]] },
  })
  await flushPromises()
  return mounted
}

let asked: Record<string, unknown>[] = []
beforeEach(() => (asked = []))
afterEach(() => vi.restoreAllMocks())

describe('a report', () => {
  beforeEach(() => {
    vi.spyOn(api, 'GET').mockImplementation((async (
      _: string,
      init: { params: { query: Record<string, unknown> } },
    ) => {
      asked.push(init.params.query)
      return { data: report(), response: new Response('{}') }
    }) as never)
  })

  it('says the numbers in words that fit them', async () => {
    const text = (await page(ReportsView, '/today')).text()
    for (const words of [
      '75 %',
      '3 of 4',
      '1 day late',
      '12 days',
      '2 of the two gravest',
      'about 7 hours',
      '1 certificate',
      '◆ 280',
      '1 run taken over',
    ])
      expect(text).toContain(words)
    expect(text).toContain('The weakest: Ostrel C2 capnograph, 8 of 9')
    expect(text).not.toContain('1 days')
  })

  it('asks anew for another time, and its paper is on the same', async () => {
    const p = await page(ReportsView, '/today')
    await p.get('input[name=from]').setValue('2026-01-01')
    await p.get('input[name=until]').setValue('2026-03-31')
    await flushPromises()
    expect(asked.at(-1)).toEqual({ from: '2026-01-01', until: '2026-03-31' })
    expect(p.get('a[target=_blank]').attributes('href')).toBe('/api/report.pdf?from=2026-01-01&until=2026-03-31')
  })

  it('names no cost where the lab has no prices', async () => {
    vi.spyOn(api, 'GET').mockImplementation((async () => ({
      data: {
        ...report(),
        cost: 0,
        prices: { currency: '', hour: 0, litre: 0, certificate: 0 },
        work: [],
        gas: [],
        months: [],
      },
      response: new Response('{}'),
    })) as never)
    const text = (await page(ReportsView, '/today')).text()
    expect(text).toContain('name the lab’s prices')
    expect(text).toContain('No gauge was read')
    expect(text).toContain('No run was signed')
  })
})

describe('whether a device is worth calibrating', () => {
  it('begins with what its record knows, a zero too, and leaves the rest to a person', async () => {
    vi.spyOn(api, 'GET').mockImplementation((async (path: string) => ({
      data:
        path === '/api/house'
          ? { prices: { currency: 'crowns' } }
          : {
              tag: 'MB-0511',
              device: 'Ostrel V7 ventilator',
              case: {
                use: 'reference',
                demanded: false,
                tur: 3.07,
                least_tur: 3,
                per_year: 2,
                failures: 0,
                accredited: 0,
                in_house: 0,
                repair: 0,
                replacement: 0,
                remaining: 0,
                life: 0,
              },
              known: [
                { field: 'use', from: 'Others are compared with it: a reference.' },
                { field: 'per_year', from: 'It is calibrated every 183 days: 2 a year.' },
                { field: 'failures', from: '0 failed runs, repairs or falls in 2.2 years: 0 a year.' },
              ],
            },
      response: new Response('{}'),
    })) as never)
    vi.spyOn(api, 'POST').mockImplementation((async (_: string, init: { body: Record<string, unknown> }) => {
      asked.push(init.body)
      return {
        data: {
          sentence: 'Replace it.',
          take: 'replace',
          options: [{ name: 'replace', yearly: 1234.4, parts: '' }],
          formula: 'a sum',
          source: '',
        },
        response: new Response('{}'),
      }
    }) as never)
    const p = await page(EconomicsWorking, '/workings/economics?asset=MB-0511')
    await vi.waitFor(() => expect(asked.at(-1)).toMatchObject({ use: 'reference', per_year: 2, failures: 0 }))
    expect(asked.at(-1)).toMatchObject({ accredited: 380, replacement: 3200 })
    expect(p.text()).toContain('It is calibrated every 183 days')
    expect(p.text()).toContain('put your own figures')
    await vi.waitFor(() => expect(p.text()).toContain('1,234 crowns a year'))
  })
})
