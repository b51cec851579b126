import { flushPromises } from '@vue/test-utils'
import { nextTick } from 'vue'
import { describe, expect, it, vi } from 'vitest'
import ActivityForm from '../equipment/ActivityForm.vue'
import ActivityList from '../equipment/ActivityList.vue'
import EventForm from '../equipment/EventForm.vue'
import GasBook from '../references/GasBook.vue'
import ChecksBetween from '../references/ChecksBetween.vue'
import FoundBefore from '../references/FoundBefore.vue'
import FoundOut from '../references/FoundOut.vue'
import SendOut from '../references/SendOut.vue'
import LotForm from '../references/LotForm.vue'
import CertificateForm from '../references/CertificateForm.vue'
import NoticeCard from '../lookback/NoticeCard.vue'
import { dialog, person, refuse, server, shown, submit, type } from './page'

vi.mock('../composables/useSession', async () => {
  const { can, person, session } = await import('./page')
  return { useSession: () => ({ person, can, session }) }
})

const activity = (more: object) => ({
  id: 'a1',
  title: 'Capnograph, verification',
  status: 'valid',
  words: 'Valid until 2027-06-10',
  triggers: 'every 12 months',
  due_on: '2027-06-10T00:00:00Z',
  last_on: '2026-06-10T00:00:00Z',
  ...more,
})

describe('what recurs on a device', () => {
  const all = [
    activity({ procedure: 'capnograph-verification' }),
    activity({
      id: 'a2',
      title: 'Filter, change',
      uses: 500,
      used: 480,
      unit: 'hours',
      left_days: 6,
      status: 'expiring',
    }),
    activity({ id: 'a3', title: 'Legal verification', outside: true, due_on: undefined, status: 'never' }),
  ]
  const offered = async (role: string) => {
    person.value.role = role
    const { page } = await shown(ActivityList, { activities: all })
    return all.map((a) =>
      page
        .get(`[data-activity="${a.title}"]`)
        .findAll('button')
        .map((b) => b.text().replace(' …', '')),
    )
  }

  it.each([
    [
      'lead',
      [
        ['Defer', 'Re-plan'],
        ['Done', 'Failed', 'Count', 'Defer', 'Re-plan'],
        ['Done', 'Failed'],
      ],
    ],
    ['technician', [['Defer'], ['Done', 'Failed', 'Count', 'Defer'], ['Done', 'Failed']]],
    ['trainee', [[], ['Count'], []]],
    ['manager', [['Defer', 'Re-plan'], ['Defer', 'Re-plan'], []]],
  ])('offers a %s what a %s may do, and never to dismiss it', async (role, choices) => {
    expect(await offered(role)).toEqual(choices)
  })

  it('says how much of its use is left, and what is only recorded here', async () => {
    const { page } = await shown(ActivityList, { activities: all })
    expect(page.get('[data-activity="Filter, change"]').text()).toMatch(/480\s*of 500 hours, about 6 days left/)
    expect(page.get('[data-activity="Legal verification"]').text()).toContain('recorded here, never issued')
  })

  it('is put off to a day, with the reason; a refusal keeps both', async () => {
    let refused = true
    const sent = server({
      '/api/activities/{id}': () =>
        refused ? refuse('“reason” is missing. Nothing was recorded.', 'reason') : { tag: 'MB-1' },
    })
    const { page } = await shown(ActivityList, { activities: all })
    await page.get('[data-activity="Capnograph, verification"] button').trigger('click')
    type('on', '2027-07-01')
    await submit()
    expect(document.querySelector('[role=alert]')!.textContent).toBe('“Why” is missing. Nothing was recorded.')
    expect(document.activeElement).toBe(dialog().querySelector('[name=reason]'))
    expect(dialog().querySelector<HTMLInputElement>('[name=on]')!.value).toBe('2027-07-01')
    expect(dialog().textContent).toContain('Thursday, 1 Jul 2027')
    refused = false
    type('reason', 'ward closed')
    await submit()
    expect(dialog()).toBeNull()
    expect(sent.map((s) => s.body)).toEqual([
      { id: sent[0]!.body.id, kind: 'defer', on: '2027-07-01', reason: '' },
      { id: sent[0]!.body.id, kind: 'defer', on: '2027-07-01', reason: 'ward closed' },
    ])
  })

  it('is counted in numbers as they are typed here', async () => {
    const sent = server({ '/api/activities/{id}': () => ({ tag: 'MB-1' }) })
    const { page } = await shown(ActivityList, { activities: all })
    await page.get('[data-activity="Filter, change"] button:nth-of-type(3)').trigger('click')
    type('amount', '12,5')
    await submit()
    expect(sent[0]!.body).toMatchObject({ kind: 'use', amount: 12.5 })
    expect(sent[0]!.body.on).toBeUndefined()
  })

  it('is counted by what the counter shows; why is asked for where that is less', async () => {
    const sent = server({ '/api/activities/{id}': () => ({ tag: 'MB-1' }) })
    const counter = { shows: 12480, at: '2027-05-01T10:00:00Z' }
    await shown(ActivityForm, { activity: { ...all[0]!, unit: 'hours', uses: 10000, counter }, kind: 'use' })
    expect(dialog().textContent).toContain('It showed 12480 hours')
    type('shows', '12600')
    await nextTick()
    expect(dialog().querySelector('textarea')).toBeNull()
    type('shows', '300')
    await nextTick()
    type('reason', 'new main board')
    await submit()
    expect(sent[0]!.body).toMatchObject({ kind: 'use', shows: 300, reason: 'new main board' })
    expect(sent[0]!.body.amount).toBeUndefined()
  })

  it('is begun where it recurs, when it measures nothing', async () => {
    const kit = activity({ title: 'Part kit', procedure: 'part-kit', maintains: true })
    const { page } = await shown(ActivityList, { activities: [kit, all[0]!], begins: true })
    expect(page.get('[data-activity="Part kit"]').text()).not.toContain('How often')
    expect(page.get(`[data-activity="${all[0]!.title}"]`).text()).not.toContain('Do it now')
    await page.get('[data-activity="Part kit"] button').trigger('click')
    expect(page.emitted('begin')).toEqual([['part-kit']])
  })

  it('is told of what happened to the device', async () => {
    const sent = server({ '/api/assets/{id}/events': () => ({}) })
    const { page } = await shown(EventForm, { asset: 'MB-0417' })
    dialog().querySelector<HTMLInputElement>('input[value=fall]')!.click()
    type('text', 'fell from the trolley')
    await submit()
    expect(sent[0]).toMatchObject({
      params: { path: { id: 'MB-0417' } },
      body: { kind: 'fall', text: 'fell from the trolley' },
    })
    expect(page.emitted('close')).toHaveLength(1)
  })
})

const reference = (more: object) => ({
  id: 's1',
  tag: 'HG-22',
  expected_l: 41.6,
  certificate: { number: 'K-1', issuer: 'Quayside Metrology', accredited: true },
  cylinder: { water_volume_l: 2, reserve_bar: 5, gauge_bar: 61 },
  values: [{ quantity: 'CO2', value: 5.02, unit: '%{vol}', u: 0.05, k: 2 }],
  book: [
    { at: '2026-03-02T09:00:00Z', by: 'Idris Vail', bar: 88, content_l: 163, metered_l: 0 },
    {
      at: '2026-04-02T09:00:00Z',
      by: 'Noor Bexley',
      bar: 61,
      content_l: 111,
      metered_l: 18,
      loss: { flagged: true, lost_l: 33.6 },
    },
  ],
  ...more,
})

describe('a cylinder’s book', () => {
  it('shows what left without being used, by a mark and not only by colour', async () => {
    const { page } = await shown(GasBook, { reference: reference({}), mayWrite: false })
    const rows = page.findAll('tbody tr').map((r) => r.text())
    expect(rows[0]).not.toContain('◆')
    expect(rows[1]).toContain('◆ 34 L')
    expect(page.find('button').exists()).toBe(false)
  })

  it('takes the runs’ own estimate until somebody knows better, and no words for numbers', async () => {
    const sent = server({ '/api/standards/{id}/gauge': () => reference({}) })
    const { page } = await shown(GasBook, { reference: reference({}), mayWrite: true })
    await page.get('button').trigger('click')
    expect(dialog().querySelector<HTMLInputElement>('[name=metered]')!.value).toBe('42')
    expect(dialog().textContent).toContain('an estimate')
    type('bar', 'half')
    await submit()
    expect(document.querySelector('[role=alert]')!.textContent).toContain('such as 61 or 12,5')
    expect(sent).toHaveLength(0)
    type('bar', '38,5')
    await submit()
    expect(sent[0]!.body).toMatchObject({ bar: 38.5, metered_l: 42 })
  })
})

describe('a reference that was found out', () => {
  it.each([
    ['one value', [{ quantity: 'CO2', value: 5, unit: '%{vol}', u: 0.05, k: 2 }], true],
    ['a range', [{ quantity: 'CO2', from: 0, to: 10, unit: '%{vol}', u: 0.05, k: 2 }], false],
  ])('of %s opens a look-back, and takes the error out only where it can', async (_, values, remove) => {
    const sent = server({ '/api/look-backs': () => ({}) })
    const { router } = await shown(FoundOut, { reference: reference({ values }) })
    type('error', '-0,42')
    type('u', '0.05')
    type('found', 'against HG-23, by Noor Bexley')
    await submit()
    expect(sent[0]!.body).toMatchObject({
      standard: 'HG-22',
      quantity: 'CO2',
      unit: '%{vol}',
      error: '-0,42',
      u: '0.05',
      remove,
    })
    await flushPromises()
    expect(router.currentRoute.value.fullPath).toBe(`/look-back/${String(sent[0]!.body.id)}`)
  })
})

describe('a reference that comes back', () => {
  it('is sent out with the day and price, and asks for its state when it is back', async () => {
    const sent = server({ '/api/standards/{id}/away': () => reference({}) })
    const { page } = await shown(SendOut, { reference: reference({ id: 's1' }), back: false })
    type('to', 'Fennick Metrology')
    type('price', '240,50')
    type('why', 'yearly')
    await submit()
    expect(sent.find((s) => s.method === 'POST')!.body).toMatchObject({
      to: 'Fennick Metrology',
      price: 240.5,
      why: 'yearly',
    })
    expect(page.emitted('close')).toHaveLength(1)
  })

  it('is looked back on where it was found outside', async () => {
    const moved = { quantity: 'CO2', value: 4.96, u: 0.03, certified: 5.1, unit: '%{vol}', by: -0.14, allowed: 0.06 }
    const { page } = await shown(FoundBefore, { found: [{ ...moved, held: false }], mayOpen: true })
    expect(page.text()).toMatch(/below the certified one by\s*0.14/)
    await page.get('button').trigger('click')
    expect(page.emitted('out')).toHaveLength(1)
    const held = await shown(FoundBefore, { found: [{ ...moved, held: true }], mayOpen: true })
    expect(held.page.find('button').exists()).toBe(false)
  })
})

describe('a check between certificates', () => {
  const of = (more: object) =>
    reference({ checks: [], check_days: 30, check_how: 'in one bath', check_due: '2020-01-01T00:00:00Z', ...more })
  it('asks what it should be where the certificate covers a range, and says when it was due', async () => {
    const values = [{ quantity: 'temperature', from: 20, to: 45, unit: 'Cel', u: 0.06, k: 2 }]
    const sent = server({ '/api/standards/{id}/checks': () => of({}) })
    const { page } = await shown(ChecksBetween, { reference: of({ values }) })
    expect(page.text()).toContain('was due 1 Jan 2020')
    await page
      .findAll('button')
      .find((b) => b.text() === 'Check it …')!
      .trigger('click')
    type('at', '37')
    type('value', '37,1')
    type('u', '0.08')
    type('against', 'TP-1')
    await submit()
    expect(sent[0]!.body).toMatchObject({
      found: { quantity: 'temperature', at: 37, value: 37.1, u: 0.08 },
      against: 'TP-1',
    })
  })
  it('that does not hold is drawn by a shape of its own, and leads to a look-back', async () => {
    const check = {
      id: 'c',
      quantity: 'CO2',
      value: 4.9,
      u: 0.03,
      certified: 5.02,
      unit: '%{vol}',
      allowed: 0.06,
      on: '2026-03-02T10:00:00Z',
      checked_by: 'Idris Vail',
      against: 'HG-30',
    }
    const checks = [
      { ...check, by: 0.02, held: true },
      { ...check, id: 'd', by: -0.12, held: false },
    ]
    const { page } = await shown(ChecksBetween, { reference: of({ checks }) })
    expect(page.findAll('svg circle')).toHaveLength(1)
    expect(page.findAll('svg path')).toHaveLength(1)
    expect(page.findAll('li')[0]!.text()).toContain('◆ moved')
    await page
      .findAll('button')
      .find((b) => b.text() === 'Look back …')!
      .trigger('click')
    expect(page.emitted('out')![0]![0]).toMatchObject({
      by: -0.12,
      words: expect.stringContaining('against HG-30') as string,
    })
  })
})

describe('what comes in', () => {
  it('as a lot is read from its label, and entered with its last day as a date', async () => {
    const sent = server({
      '/api/lots/label': (s) =>
        s.body.label === '(99)1'
          ? refuse('There is no lot in it.', 'label')
          : { lot: 'C-4471', expires: '2027-11-30T00:00:00Z' },
      '/api/lots': () => ({}),
    })
    const { page } = await shown(LotForm)
    type('label', '(99)1')
    await flushPromises()
    expect(document.querySelector('[role=alert]')!.textContent).toBe('There is no lot in it.')
    type('label', '(01)09999999000010(17)271130(10)C-4471')
    await flushPromises()
    expect(dialog().querySelector<HTMLInputElement>('[name=lot]')!.value).toBe('C-4471')
    expect(dialog().textContent).toContain('Tuesday, 30 Nov 2027')
    type('tag', 'CT-40')
    type('name', 'Cartridges')
    await submit()
    expect(sent.at(-1)!.body).toMatchObject({
      tag: 'CT-40',
      lot: 'C-4471',
      expires: '2027-11-30',
      kind: 'cartridge',
      label: '',
    })
    expect(page.emitted('close')).toHaveLength(1)
  })

  it('as a certificate goes out as it stands on paper: ranges, commas, empty lines left out', async () => {
    const sent = server({ '/api/standards': () => reference({}) })
    const { page, router } = await shown(CertificateForm)
    for (const [name, text] of Object.entries({
      tag: 'HG-40',
      name: 'CO in air',
      kind: 'gas',
      number: 'K-9',
      issuer: 'Quayside Metrology',
      on: '2026-11-02',
      due_on: '2029-11-01',
      'values[0].quantity': 'CO',
      'values[0].value': '49,6',
      'values[0].unit': '[ppm]',
      'values[0].u': '1',
      'values[0].drift_per_year': '0,5',
    }))
      type(name, text)
    const more = [...dialog().querySelectorAll('button')].find((b) => b.textContent === 'One more line')!
    more.click()
    more.click()
    await flushPromises()
    for (const [name, text] of Object.entries({ quantity: 'flow', from: '0', to: '15', unit: 'L/min', u: '0.2' }))
      type(`values[1].${name}`, text)
    await submit()
    const certificate = sent[0]!.body.certificate as Record<string, unknown>
    expect(certificate).toMatchObject({ number: 'K-9', on: '2026-11-02', due_on: '2029-11-01', accredited: true })
    expect(certificate.values).toEqual([
      { quantity: 'CO', value: 49.6, unit: '[ppm]', u: 1, k: 2, drift_per_year: 0.5 },
      { quantity: 'flow', from: 0, to: 15, unit: 'L/min', u: 0.2, k: 2 },
    ])
    await flushPromises()
    expect(router.currentRoute.value.path).toBe('/reference/HG-22')
    expect(page.emitted('close')).toHaveLength(1)
  })
})

describe('what an owner is told', () => {
  const notice = (more: object) => ({
    id: 'n1',
    to: 'Merrowby General, Ward 7',
    tag: 'MB-0417',
    text: 'It may have read low.',
    mailable: [],
    ...more,
  })
  const card = (more: object, closed = false) => shown(NoticeCard, { lookBack: 'b1', notice: notice(more), closed })

  it('goes from not told to answered, and never back', async () => {
    const sent = server({ '/api/look-backs/{id}/notices/{notice}': () => ({}) })
    let { page } = await card({})
    expect(page.text()).toContain('○ not told yet')
    await page.get('textarea').setValue('It read 0.4 vol% low.')
    await page.findAll('button')[1]!.trigger('click')
    expect(sent[0]).toMatchObject({
      params: { path: { id: 'b1', notice: 'n1' } },
      body: { kind: 'sent', text: 'It read 0.4 vol% low.' },
    })
    ;({ page } = await card({ sent_at: '2026-03-02T09:00:00Z', sent_by: 'Idris Vail' }))
    expect(page.text()).toContain('◐ told, no answer yet')
    await page.get('[name=answer]').setValue('Nobody was treated by it.')
    await page.get('button').trigger('click')
    expect(sent[1]!.body).toMatchObject({ kind: 'answered', answer: 'Nobody was treated by it.' })
    ;({ page } = await card({
      sent_at: '2026-03-02T09:00:00Z',
      answered_at: '2026-03-04T09:00:00Z',
      answer: 'Nobody.',
      answered_by: 'Noor Bexley',
    }))
    expect(page.text()).toContain('● answered')
    expect(page.text()).toContain('taken down by Noor Bexley')
    expect(page.find('button').exists()).toBe(false)
  })

  it('is not changed by a trainee, nor after it was closed', async () => {
    expect((await card({}, true)).page.find('button').exists()).toBe(false)
    person.value.role = 'trainee'
    expect((await card({})).page.find('button').exists()).toBe(false)
  })

  it('keeps an answer that could not be written down', async () => {
    server({ '/api/look-backs/{id}/notices/{notice}': () => refuse('This look-back is closed.') })
    const { page } = await card({ sent_at: '2026-03-02T09:00:00Z' })
    await page.get('[name=answer]').setValue('Nobody.')
    await page.get('button').trigger('click')
    await flushPromises()
    expect(page.get('[role=alert]').text()).toBe('This look-back is closed.')
    expect(page.get<HTMLTextAreaElement>('[name=answer]').element.value).toBe('Nobody.')
  })
})
