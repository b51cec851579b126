import { describe, expect, it, vi } from 'vitest'
import { flushPromises } from '@vue/test-utils'
import HistoryList from '../components/HistoryList.vue'
import RoundsView from '../views/RoundsView.vue'
import type { components } from '../api/schema.gen'
import { partly, person, server, shown } from './page'

vi.mock('../composables/useSession', async () => {
  const { can, person, session } = await import('./page')
  return { useSession: () => ({ person, can, session }) }
})

type Happened = components['schemas']['HappenedView']
type Round = components['schemas']['RoundView']

const moved: Happened = {
  at: '2026-03-02T09:30:00Z',
  by: 'Noor Bexley',
  what: 'device moved',
  why: 'the ward moved',
  changes: [
    { column: 'place', before: 'Ward 3', after: 'Ward 4' },
    { column: 'due_on', before: '2026-03-01 00:00:00+00:00', after: '2026-09-01 00:00:00+00:00' },
    { column: 'limits', before: '{}', after: 'x'.repeat(200) },
    { column: 'duty', before: '{"days":182,"blocks":false}', after: '{"months":12,"on":["repair","fall"],"why":""}' },
    { column: 'search', before: 'ward 3', after: 'ward 4' },
  ],
}
const entered: Happened = {
  at: '2026-03-01T08:00:00Z',
  by: 'Idris Vail',
  what: 'device entered',
  changes: [
    { column: 'id', before: '', after: '01M8' },
    { column: 'tag', before: '', after: 'MB-1' },
    { column: 'serial', before: '', after: '' },
  ],
}

async function history(events: Happened[]) {
  const sent = server({ '/api/history/{of}/{id}': () => events })
  const { page } = await shown(HistoryList, { of: 'device', id: 'd1' })
  expect(sent).toEqual([]) // nothing is asked before it is opened
  const details = page.get('details')
  ;(details.element as HTMLDetailsElement).open = true
  await details.trigger('toggle')
  await flushPromises()
  expect(sent[0]!.params.path).toEqual({ of: 'device', id: 'd1' })
  return page
}

describe('the history of a record', () => {
  it('says who did what and why, and each field before and after', async () => {
    const [first, second] = (await history([moved, entered])).findAll('ul.rows > li')
    expect(first!.text()).toContain('device moved by Noor Bexley')
    expect(first!.text()).toContain('the ward moved')
    expect(first!.get('s').text()).toBe('Ward 3')
    expect(first!.text()).toContain('Ward 4')
    expect(first!.text()).toMatch(/duty:\s*days 182 →\s+months 12, on repair; fall/)
    expect(first!.text()).toMatch(/due on:\s*1 Mar 2026 →\s+1 Sept? 2026/)
    expect(second!.text()).toContain('device entered by Idris Vail')
    expect(second!.text()).toMatch(/tag:\s*MB-1/)
  })
  it('leaves out what is only for the program, and cuts what is long', async () => {
    const text = (await history([moved, entered])).text()
    expect(text).not.toContain('search')
    expect(text).not.toContain('01M8')
    expect(text).not.toContain('serial')
    expect(text).not.toContain('x'.repeat(100))
  })
  it('says so where nothing happened yet', async () => {
    expect((await history([])).text()).toContain('Nothing was changed yet.')
  })
})

describe('whose round it is', () => {
  const round: Round = partly<Round>({
    day: '2026-03-03',
    saved: false,
    people: [],
    all: ['Idris Vail', 'Noor Bexley'],
    jobs: [],
    closed: [],
    kit: [],
    from: 480,
    until: 990,
    plan: { blocks: [], order: [], who: {}, ends: 480, bound: 480, hands: 0, way: 0, left: [] },
  })
  const boxes = async (role: string) => {
    person.value = { id: 'idris', name: 'Idris Vail', role }
    server({ '/api/rounds/{day}': () => round })
    const { page } = await shown(RoundsView, { day: '2026-03-03' }, { YearLoad: true })
    return { page, off: page.findAll('input[type=checkbox]').map((b) => (b.element as HTMLInputElement).disabled) }
  }
  it('is a technician’s own, and says who plans the others', async () => {
    const { page, off } = await boxes('technician')
    expect(off).toEqual([false, true])
    expect(page.text()).toContain('A lead plans the rounds of others.')
  })
  it('is anybody’s for a lead', async () => {
    const { page, off } = await boxes('lead')
    expect(off).toEqual([false, false])
    expect(page.text()).not.toContain('A lead plans')
  })
})
