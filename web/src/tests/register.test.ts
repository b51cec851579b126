import { flushPromises } from '@vue/test-utils'
import { describe, expect, it, vi } from 'vitest'
import ImportSheet from '../house/ImportSheet.vue'
import InspectorPack from '../components/InspectorPack.vue'
import EquipmentView from '../views/EquipmentView.vue'
import TodayView from '../views/TodayView.vue'
import type { components } from '../api/schema.gen'
import { dialog, partly, refuse, server, shown, submit, type } from './page'

vi.mock('../composables/useSession', async () => {
  const { can, person, session } = await import('./page')
  return { useSession: () => ({ person, can, session }) }
})

type Schemas = components['schemas']
const asset = (tag: string, more: Partial<Schemas['AssetBrief']> = {}) =>
  partly<Schemas['AssetBrief']>({
    id: tag,
    tag,
    device: 'Ostrel C2',
    family: 'capnograph',
    site: 'Merrowby General',
    place: 'Ward 3',
    state: 'in use',
    words: '',
    risk: 4,
    days: 9,
    ...more,
  })
const read = (more: object = {}) =>
  partly<Schemas['ImportView']>({
    id: 'i1',
    kind: 'assets',
    rows: 2,
    refused: [],
    count: 0,
    ignored: [],
    state: 'read',
    done: 0,
    all: 0,
    changes: [],
    changed: 0,
    same: 0,
    ...more,
  })
const press = async (words: string, within: ParentNode = document) => {
  const button = [...within.querySelectorAll('button')].find((b) => b.textContent!.includes(words))
  if (!button) throw new Error(`no button ${words}`)
  button.click()
  await flushPromises()
}
const choose = async (name: string, value: string) => {
  const field = document.querySelector<HTMLSelectElement>(`main [name="${name}"]`)!
  field.value = value
  field.dispatchEvent(new Event('change'))
  await flushPromises()
}

describe('the register', () => {
  const answers = {
    '/api/house': () =>
      partly<Schemas['HouseView']>({ families: ['capnograph', 'ventilator'], sites: ['Merrowby General'] }),
    '/api/asset-choices': () => ({
      sites: ['Merrowby General'],
      places: ['Ward 3'],
      models: [],
      owners: [],
      keepers: [],
    }),
    '/api/assets': () => ({ assets: [asset('MB-1'), asset('MB-2')], total: 312, next: 2 }),
  }

  it('keeps what it is filtered and ordered by in its address, and asks for exactly that', async () => {
    const sent = server(answers)
    const { page, router } = await shown(EquipmentView)
    expect(page.text()).toContain('312 devices')
    expect(page.find('[name=place]').exists()).toBe(false)
    await choose('site', 'Merrowby General')
    await choose('state', 'not to be used')
    await press('Risk')
    await press('Risk')
    expect(router.currentRoute.value.query).toEqual({
      site: 'Merrowby General',
      state: 'not to be used',
      sort: 'risk',
      desc: 'true',
    })
    expect(sent.filter((s) => s.path === '/api/assets').at(-1)!.params.query).toEqual({
      site: 'Merrowby General',
      state: 'not to be used',
      sort: 'risk',
      desc: true,
      from: 0,
    })
    expect(page.find('[name=place]').exists()).toBe(true)
    expect(page.find('th[aria-sort=descending]').text()).toContain('Risk')
    await press('every device')
    expect(router.currentRoute.value.query).toEqual({})
  })

  it('writes labels for exactly what is shown, and says how far it is', async () => {
    let state: Schemas['JobView']['state'] = 'running'
    vi.useFakeTimers({ toFake: ['setTimeout', 'clearTimeout'] })
    const job = () => ({ id: 'j1', what: 'labels', state, done: 156, all: 624 })
    const sent = server({ ...answers, '/api/labels': job, '/api/jobs/{id}': job })
    const { router } = await shown(EquipmentView)
    await router.replace({ query: { family: 'capnograph' } })
    await flushPromises()
    await press('Labels …')
    expect(dialog().textContent).toContain('312 devices shown, in this order: 13 sheets')
    await press('Write them', dialog())
    expect(sent.find((s) => s.path === '/api/labels')!.params.query).toEqual({ family: 'capnograph', first: 1 })
    expect(dialog().textContent).toContain('25 %')
    state = 'done'
    await vi.advanceTimersByTimeAsync(400)
    vi.useRealTimers()
    expect(dialog().querySelector('a')!.getAttribute('href')).toBe('/api/jobs/j1/file')
  })

  it('changes all that is shown, after it was looked at, with a reason', async () => {
    const change = { line: 2, tag: 'MB-1', field: 'keeper', from: '', to: 'Noor Bexley', note: '' }
    const sent = server({
      ...answers,
      '/api/assets/together': () => read({ changed: 1, same: 1, changes: [change] }),
      '/api/imports/{id}': () => read({ changed: 1, changes: [change], state: 'done' }),
    })
    await shown(EquipmentView)
    await press('Change together …')
    type('keeper', 'Noor Bexley')
    await submit()
    expect(sent.find((s) => s.path === '/api/assets/together')!.body).toEqual({ count: 312, keeper: 'Noor Bexley' })
    expect(dialog().textContent).toContain('looked after by')
    expect(dialog().textContent).toContain('One device stays as it is.')
    type('reason', 'one round')
    await submit()
    expect(sent.find((s) => s.path === '/api/imports/{id}')!.body).toEqual({ go: true, reason: 'one round' })
    expect(dialog().textContent).toContain('They are changed.')
  })
})

describe('a list that comes in', () => {
  it('shows what cannot be taken and what changes, and reads it again as its days are written', async () => {
    const sent = server({
      '/api/imports': () =>
        read({
          count: 1,
          refused: [{ line: 3, field: 'last_done', why: 'is a day' }],
          changed: 1,
          changes: [
            { line: 2, tag: 'MB-1', field: 'site', from: 'A', to: 'B', note: 'What depends on the height is due.' },
          ],
        }),
    })
    const { page } = await shown(ImportSheet, {}, { ReadBack: true })
    const input = page.get<HTMLInputElement>('input[type=file]')
    const file = new File(['tag'], 'march.xlsx')
    Object.defineProperty(input.element, 'files', { value: [file] })
    await input.trigger('change')
    await flushPromises()
    expect(page.text()).toContain('march.xlsx: 2 rows can be taken, 1 cannot.')
    expect(page.text()).toContain('line 3, last_done: is a day')
    expect(page.text()).toContain('What depends on the height is due.')
    expect(page.get('a[href*="refused.csv"]').attributes('href')).toBe('/api/imports/i1/refused.csv')
    await page.get('select').setValue('day-month-year')
    await page.get('input[type=checkbox]').setValue(true)
    await flushPromises()
    expect(sent.at(-1)!.params.query).toEqual({ kind: 'assets', days: 'day-month-year', update: true })
  })
})

describe('today', () => {
  it('says all that is due, of the site that is chosen', async () => {
    const view = partly<Schemas['TodayView']>({
      drafts: [],
      overdue: [],
      overdue_count: 66,
      due: [],
      due_count: 120,
      weeks: [{ monday: '2026-11-23', due: 1200 }],
      sites: [{ name: 'Elmsgate', overdue: 40, due: 3 }],
      keepers: [{ name: '', overdue: 66, due: 120 }],
      open: [],
      review: [],
      bring: [],
      troubles: [],
    })
    const sent = server({ '/api/today': () => view, '/api/controls': () => [] })
    const { page, router } = await shown(TodayView, {}, { RouterLink: true })
    expect(page.text()).toContain('66 overdue')
    expect(page.text()).toContain('120 due within 14 days')
    expect(page.text()).toContain('1,200')
    expect(page.find('[name=keeper]').exists()).toBe(false)
    expect(page.get('[name=site]').text()).toContain('Elmsgate · 40 overdue, 3 due')
    await choose('site', 'Elmsgate')
    expect(router.currentRoute.value.query).toEqual({ site: 'Elmsgate' })
    expect(sent.filter((s) => s.path === '/api/today').at(-1)!.params.query).toEqual({ site: 'Elmsgate' })
  })
})

describe('for an inspector', () => {
  it('asks for a time, a site and a clause, and says what was refused', async () => {
    const clauses = [{ standard: 'ISO/IEC 17025:2017', clause: '6.2', about: 'who may do what', parts: ['competence'] }]
    const sent = server({ '/api/clauses': () => clauses, '/api/packs': () => refuse('Too many.', 'from') })
    await shown(InspectorPack, { from: '2026-01-01', until: '2026-11-28', sites: ['Elmsgate'] })
    type('clause', 'ISO/IEC 17025:2017, 6.2')
    await submit()
    expect(sent.find((s) => s.path === '/api/packs')!.params.query).toEqual({
      from: '2026-01-01',
      until: '2026-11-28',
      clause: 'ISO/IEC 17025:2017, 6.2',
    })
    expect(dialog().textContent).toContain('Too many.')
  })
})
