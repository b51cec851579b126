import { flushPromises } from '@vue/test-utils'
import { describe, expect, it, vi } from 'vitest'
import type { components } from '../api/schema.gen'
import DraftView from '../views/DraftView.vue'
import NewDraft from '../writing/NewDraft.vue'
import ProcedureView from '../views/ProcedureView.vue'
import { asAnother, asRevision } from '../writing/beginDraft'
import { fieldOf, lineOf, pathOf, saidBy, withItem, withMoved, withoutItem, withValue } from '../writing/procedureText'
import { can, partly, person, refuse, server, session, shown } from './page'

vi.mock('../composables/useSession', () => ({ useSession: () => ({ person, session, can }) }))

type Draft = components['schemas']['DraftView']
type Check = components['schemas']['ProcedureCheck']

const text = `# how we look at it
id: gas-alarm-check
revision: 1
title: Gas alarm, check
family: gas-alarm
cautions:
  - The maker's manual comes first.
roles:
  - { role: mixture, title: CO in air, kind: gas-co, needs: [{ quantity: CO, from: 40, to: 200, unit: "[ppm]" }] }
steps:
  - check: Casing
  - measure: co # read twice
    method: compare
    role: mixture
    quantity: CO
    unit: "[ppm]"
    resolution: 1
    tolerance: "±5"
    points:
      - { label: gas, at: mixture.CO }
  - finding: co-finding
    judges: [co]
next: { months: 3 }
`
const shipped = Object.entries(
  import.meta.glob<string>('../../../families/*/*.yaml', { query: '?raw', import: 'default', eager: true }),
)
  .filter(([file]) => !file.endsWith('duties.yaml'))
  .map(([, written]) => written)

describe('the text of a procedure', () => {
  it('says the same after any field was set to what it is, for every shipped procedure', () => {
    expect(shipped.length).toBeGreaterThan(20)
    for (const one of shipped) {
      const said = saidBy(one)!
      expect(saidBy(withValue(one, ['revision'], said.revision!))).toEqual(said)
    }
  })
  it('keeps remarks and every line that was not changed', () => {
    const next = withValue(text, ['steps', 1, 'tolerance'], '±4')
    const before = text.split('\n')
    const changed = next.split('\n').filter((l, i) => l !== before[i])
    expect(changed).toEqual(['    tolerance: "±4"'])
  })
  it('takes items in, out, and to another place', () => {
    const longer = withItem(text, ['steps', 1, 'points'], { label: 'air', at: '0', u: 0.5 }, 0)
    expect((saidBy(longer)!.steps as { points: unknown[] }[])[1]!.points[0]).toEqual({ label: 'air', at: '0', u: 0.5 })
    expect(saidBy(withoutItem(longer, ['steps', 1, 'points'], 0))).toEqual(saidBy(text))
    const moved = saidBy(withMoved(text, ['steps'], 0, 2))!.steps as object[]
    expect(moved.map((s) => Object.keys(s)[0])).toEqual(['measure', 'finding', 'check'])
    expect(saidBy(withoutItem(text, ['cautions'], 0))).not.toHaveProperty('cautions')
  })
  it('leaves what cannot be read as it is', () => {
    expect(withValue('title: [', ['title'], 'x')).toBe('title: [')
    expect(saidBy('title: [')).toBeUndefined()
  })
  it('names a place as mistakes do, and knows its line', () => {
    expect(fieldOf(['steps', 1, 'points', 0, 'at'])).toBe('steps[1].points[0].at')
    expect(pathOf('steps[1].points[0].at')).toEqual(['steps', 1, 'points', 0, 'at'])
    expect(lineOf(text, ['steps', 1, 'tolerance'])).toBe(18)
  })
  it('begins another one, or a further revision', () => {
    const other = saidBy(asAnother(text, 'CO alarm (ward 3)'))!
    expect([other.id, other.revision, other.title]).toEqual(['co-alarm-ward-3', 1, 'CO alarm (ward 3)'])
    expect(saidBy(asRevision(text, 2))!.revision).toBe(2)
  })
})

const draft = partly<Draft>({
  id: 'draft-0001',
  procedure: 'gas-alarm-check',
  title: 'Gas alarm, check',
  why: '',
  state: 'open',
  version: 3,
  by: 'Idris Vail',
  at: '2026-03-02T10:00:00Z',
  wrote: true,
  in_use: false,
  text,
})
const fine = partly<Check>({
  mistakes: [],
  id: 'gas-alarm-check',
  title: 'Gas alarm, check',
  revision: 1,
  points: 1,
  minutes: 7,
})
const desk = async (of: Partial<Draft> = {}, answers: Record<string, (s: never) => unknown> = {}) => {
  vi.useFakeTimers({ toFake: ['setTimeout', 'clearTimeout'] })
  const sent = server({
    '/api/drafts/{id}': () => ({ ...draft, ...of }),
    '/api/drafts': () => [],
    '/api/standards': () => [
      {
        id: 's',
        tag: 'HG-40',
        name: 'CO mixture',
        kind: 'gas-co',
        values: [{ quantity: 'CO', value: 50, unit: '[ppm]', u: 1, k: 2 }],
      },
    ],
    '/api/writing/choices': () => ({
      families: [],
      kinds: [],
      quantities: [],
      units: [{ name: '[ppm]' }],
      methods: [{ name: 'compare' }, { name: 'delivered' }],
      captures: [],
      patterns: [],
      instruments: [],
      tables: [],
    }),
    '/api/writing/check': () => fine,
    ...answers,
  })
  const { page } = await shown(DraftView, { id: 'draft-0001' })
  const settle = async () => {
    await vi.advanceTimersByTimeAsync(500)
    vi.useRealTimers()
    await flushPromises()
    vi.useFakeTimers({ toFake: ['setTimeout', 'clearTimeout'] })
  }
  await settle()
  const yaml = () => page.get<HTMLTextAreaElement>('textarea[name=yaml]')
  const press = async (words: string) => {
    await page
      .findAll('button')
      .find((b) => b.text().startsWith(words))!
      .trigger('click')
    await flushPromises()
  }
  return { page, sent, settle, yaml, press }
}

describe('a draft', () => {
  it('is one model: what the form changes stands in the text, and the other way round', async () => {
    const { page, yaml } = await desk()
    const title = page.get<HTMLInputElement>('[data-field=title]')
    await title.setValue('Gas alarm, yearly check')
    expect(yaml().element.value).toContain('title: Gas alarm, yearly check')
    await yaml().setValue(yaml().element.value.replace('family: gas-alarm', 'family: co-alarm'))
    expect(page.get<HTMLInputElement>('[data-field=family]').element.value).toBe('co-alarm')
    await yaml().setValue('title: [')
    expect(page.text()).toContain('The text cannot be read as it stands')
    expect(yaml().element.value).toBe('title: [')
  })
  it('takes roles and points by picking', async () => {
    const { page, yaml, press } = await desk()
    await page.get('select[aria-label="Pick one of ours"]').setValue('s')
    const roles = saidBy(yaml().element.value)!.roles as unknown[]
    expect(roles[1]).toMatchObject({
      role: 'gas-co',
      title: 'CO mixture',
      needs: [{ quantity: 'CO', from: 50, to: 50, unit: '[ppm]' }],
    })
    await page.get('[data-field="steps[1]"] button[aria-expanded]').trigger('click')
    await press('Spread points')
    const points = () => (saidBy(yaml().element.value)!.steps as { points: { at: string }[] }[])[1]!.points
    expect(points().map((p) => p.at)).toEqual(['mixture.CO', '40', '120', '200'])
    await page.get('select[aria-label="Add a certified value"]').setValue('gas-co.CO')
    expect(points().at(-1)!.at).toBe('gas-co.CO')
    await press('Judge')
    expect(saidBy(yaml().element.value)!.steps).toHaveLength(4)
  })
  it('says what is wrong while it is typed, and goes there', async () => {
    const wrong = { line: 18, field: 'steps[1].tolerance', message: 'is no tolerance' }
    const { page, press } = await desk({}, { '/api/writing/check': () => ({ ...fine, mistakes: [wrong] }) })
    expect(page.text()).toContain('1 thing to mend')
    expect(page.find('[data-field="steps[1].tolerance"]').exists()).toBe(false)
    await press('line 18')
    expect(document.activeElement?.getAttribute('data-field')).toBe('steps[1].tolerance')
    expect(page.text()).toContain('▲18')
  })
  it('is kept with the version that was read; where another wrote meanwhile nothing is lost', async () => {
    let version = 3
    const taken = refuse('Noor Bexley changed this draft.')
    taken.problem.status = 409
    const { page, sent, yaml, press } = await desk(
      {},
      {
        '/api/drafts/{id}': (s: { method: string }) => {
          if (s.method === 'POST' && version === 3) {
            version = 4
            return taken
          }
          return { ...draft, version, by: 'Noor Bexley', text: version === 3 ? text : text.replace('±5', '±7') }
        },
      },
    )
    await yaml().setValue(text.replace('±5', '±4'))
    await press('Keep the draft')
    expect(sent.filter((s) => s.method === 'POST' && s.path === '/api/drafts/{id}').map((s) => s.body.version)).toEqual(
      [3],
    )
    expect(page.text()).toContain('Noor Bexley changed the draft while you were writing')
    expect(yaml().element.value).toContain('±4')
    await press('Show theirs')
    expect(yaml().element.value).toContain('±7')
    await press('Put mine in its place')
    expect(yaml().element.value).toContain('±4')
    await press('Keep the draft')
    expect(sent.filter((s) => s.method === 'POST' && s.path === '/api/drafts/{id}').map((s) => s.body.version)).toEqual(
      [3, 4],
    )
  })
  it('is there again after a reload, and nobody else’s', async () => {
    const first = await desk()
    await first.yaml().setValue(text.replace('±5', '±4'))
    first.page.unmount()
    const again = await desk()
    expect(again.yaml().element.value).toContain('±4')
    again.page.unmount()
    person.value = { id: 'noor', name: 'Noor Bexley', role: 'technician' }
    expect((await desk()).yaml().element.value).toContain('±5')
  })
  it('is released by a lead who did not write in it, and not while it is changed', async () => {
    expect((await desk()).page.text()).toContain('You wrote in it')
    const { page, yaml, press, sent, settle } = await desk(
      { wrote: false },
      {
        '/api/drafts/{id}/release': () => ({
          ...draft,
          state: 'released',
          revision: 1,
          in_use: true,
          released: 'Tamsin Orrery',
        }),
      },
    )
    const button = () => page.findAll('button').find((b) => b.text().startsWith('Release it'))!
    expect(button().element.disabled).toBe(false)
    await yaml().setValue(text.replace('±5', '±4'))
    expect(button().element.disabled).toBe(true)
    await yaml().setValue(text)
    await settle()
    await press('Release it')
    const secret = document.querySelector<HTMLInputElement>('input[name=secret]')!
    secret.value = 'a long password'
    secret.dispatchEvent(new Event('input'))
    document.querySelector('form')!.dispatchEvent(new Event('submit'))
    await flushPromises()
    expect(
      sent.at(-1)!.path === '/api/drafts/{id}/release' || sent.some((s) => s.path === '/api/drafts/{id}/release'),
    ).toBe(true)
    expect(sent.find((s) => s.path === '/api/drafts/{id}/release')!.body).toMatchObject({
      version: 3,
      secret: 'a long password',
    })
    expect(page.text()).toContain('released by Tamsin Orrery')
  })
  it('is only read by whoever writes none', async () => {
    person.value = { id: 'odile', name: 'Odile Marsh', role: 'manager' }
    const { page, yaml } = await desk({ wrote: false })
    expect(yaml().element.readOnly).toBe(true)
    expect(page.findAll('button').map((b) => b.text())).not.toContain('Keep the draft')
  })
})

describe('a procedure', () => {
  it('is begun from a template under a title of its own', async () => {
    const sent = server({
      '/api/writing/templates': () => [{ id: 'my-comparison', title: 'My device, compared', about: 'x', text }],
      '/api/house': () => ({ procedures: [], families: [] }),
      '/api/drafts/{id}': () => draft,
    })
    const { router } = await shown(NewDraft)
    const set = (selector: string, value: string) => {
      const field = document.querySelector<HTMLInputElement>(selector)!
      if (field.type === 'radio') field.click()
      else field.value = value
      field.dispatchEvent(new Event('input'))
    }
    set('input[name=title]', 'Door alarm')
    set('input[name=from]', '')
    document.querySelector('form')!.dispatchEvent(new Event('submit'))
    await flushPromises()
    const put = sent.find((s) => s.method === 'PUT')!
    expect(saidBy(String(put.body.text))).toMatchObject({ id: 'door-alarm', revision: 1, title: 'Door alarm' })
    expect(router.currentRoute.value.name).toBe('draft')
  })
  it('shows every revision, compares two of them, and a change gets a number that was never given', async () => {
    const revision = (n: number, state: string) => ({
      hash: `${n}`.repeat(64),
      revision: n,
      state,
      shipped: n === 3,
      runs: n,
      procedure: 'g',
    })
    const sent = server({
      '/api/procedures/{id}/revisions': () => [
        revision(5, 'taken back'),
        revision(4, 'in use'),
        revision(3, 'earlier'),
      ],
      '/api/drafts': () => [],
      '/api/house': () => ({ procedures: [], families: [] }),
      '/api/revisions/{hash}': () => ({ text }),
      '/api/revisions/{hash}/since/{before}': () => [{ kind: 'added', text: 'revision: 4' }],
      '/api/drafts/{id}': () => draft,
    })
    const { page } = await shown(ProcedureView, { id: 'g' })
    await flushPromises()
    await page.get('select[name=against]').setValue('3'.repeat(64))
    await flushPromises()
    expect(page.get('[aria-label="What changed"]').text()).toContain('+ revision: 4')
    await page
      .findAll('button')
      .find((b) => b.text().startsWith('Change it'))!
      .trigger('click')
    await flushPromises()
    expect(saidBy(String(sent.find((s) => s.method === 'PUT')!.body.text))!.revision).toBe(6)
  })
})
