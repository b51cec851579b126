import { describe, expect, it, vi } from 'vitest'
import { flushPromises } from '@vue/test-utils'
import HistoryList from '../components/HistoryList.vue'
import ProceduresSheet from '../house/ProceduresSheet.vue'
import RoundsView from '../views/RoundsView.vue'
import type { components } from '../api/schema.gen'
import { partly, person, server, shown } from './page'

vi.mock('../composables/useSession', async () => {
  const { can, person, session } = await import('./page')
  return { useSession: () => ({ person, can, session }) }
})

type Happened = components['schemas']['HappenedView']
type DryRun = components['schemas']['DryRun']
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

const tried: DryRun = {
  id: 'gas-alarm-check',
  revision: 1,
  new: true,
  mistakes: [],
  diff: [],
  points: 2,
  result: 'conforms',
}

describe('a procedure of the lab’s own', () => {
  const sheet = async (answers: DryRun[]) => {
    let n = 0
    const sent = server({
      '/api/house': () => ({ procedures: [], families: [] }),
      '/api/procedures': () => answers[n++]!,
    })
    const { page } = await shown(ProceduresSheet)
    const press = async (words: string) => {
      await page
        .findAll('button')
        .find((b) => b.text().startsWith(words))!
        .trigger('click')
      await flushPromises()
    }
    return { page, press, sent }
  }
  it('begins as a short one, is tried, and kept once', async () => {
    const { page, press, sent } = await sheet([tried, { ...tried, saved: 'Kept as gas-alarm-check.yaml.' }])
    await press('Write one of your own')
    expect(page.get('textarea').element.value).toContain('local codes come before this procedure')
    await press('Try it')
    await press('Keep gas-alarm-check')
    expect(sent.filter((s) => s.method === 'POST').map((s) => s.params.query)).toEqual([
      { keep: false },
      { keep: true },
    ])
    expect(page.text()).toContain('Kept as gas-alarm-check.yaml.')
    expect(page.findAll('button').map((b) => b.text())).not.toContain('Keep gas-alarm-check')
  })
  it('is not kept with a mistake, nor where its trial stopped', async () => {
    const { page, press } = await sheet([
      { ...tried, mistakes: ['line 3: family is missing'] },
      { ...tried, stopped: 'at CO: no standard' },
    ])
    await press('Write one of your own')
    for (const words of ['line 3: family is missing', 'came to a stop: at CO']) {
      await press('Try it')
      expect(page.text()).toContain(words)
      expect(page.findAll('button').map((b) => b.text())).not.toContain('Keep gas-alarm-check')
    }
  })
  it('is written by a lead only', async () => {
    person.value = { id: 'idris', name: 'Idris Vail', role: 'technician' }
    const { page } = await sheet([])
    expect(page.text()).not.toContain('Write one of your own')
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
