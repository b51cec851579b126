import 'fake-indexeddb/auto'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { flushPromises, mount } from '@vue/test-utils'
import { QueryClient, VueQueryPlugin } from '@tanstack/vue-query'
import type { Person } from '../api/client'
import type { Entry } from '../composables/outbox'

const idris: Person = { id: 'idris', name: 'Idris Vail', role: 'technician' }
const noor: Person = { id: 'noor', name: 'Noor Bexley', role: 'technician' }
const entry = (id: string, by = idris): Entry => ({
  run: 'r1',
  tag: 'MB-0417',
  what: `${id} for CO₂ 5 %`,
  body: { id, expect: 7, kind: 'capture', measure: 'co2', point: '5', typed: id },
  by: { id: by.id, name: by.name },
  at: '2026-03-02T09:00:00Z',
})

let client: typeof import('../api/client')

/** A page that is loaded anew: what it held in memory is gone, what the browser keeps is there. */
async function page() {
  vi.resetModules()
  client = await import('../api/client')
  const outbox = await import('../composables/outbox')
  const { default: OutboxBar } = await import('../components/OutboxBar.vue')
  return { ...outbox, OutboxBar }
}

/** What the server answers, in turn; every id that it was sent. */
function server(...answers: (() => Promise<unknown>)[]) {
  const sent: string[] = []
  vi.spyOn(client.api, 'POST').mockImplementation(((_: string, { body }: { body: { id: string } }) => {
    sent.push(body.id)
    return (answers.shift() ?? fine)()
  }) as never)
  return sent
}
const fine = () => Promise.resolve({ data: { id: 'r1', seq: 8 }, response: new Response('{}') })
const away = () => Promise.reject(new TypeError('network'))
const no = (status: number, detail: string) => () =>
  Promise.resolve({ error: { status, detail, title: 'Not now' }, response: new Response('{}', { status }) })

describe('what is typed while nothing answers', () => {
  beforeEach(async () => {
    const { entries, flush, done } = await page()
    server()
    await flush(idris, () => {})
    for (const e of entries.value) await done(e.body.id)
    vi.restoreAllMocks()
  })

  it('survives a reload and is sent once, in the order in which it was given', async () => {
    const before = await page()
    await before.put(entry('4.98'))
    await before.put(entry('5.01'))
    const sentByBefore = server()
    await before.flush(idris, () => {})
    expect(sentByBefore, 'what the page itself is sending is not sent beside it').toEqual([])
    const after = await page()
    const sent = server(away)
    const recorded = vi.fn()
    await after.flush(idris, recorded)
    expect(sent, 'it stops where nothing answers').toEqual(['4.98'])
    expect(after.entries.value.map((e) => e.body.id)).toEqual(['4.98', '5.01'])
    await after.flush(idris, recorded)
    await after.flush(idris, recorded)
    expect(sent).toEqual(['4.98', '4.98', '5.01'])
    expect(recorded).toHaveBeenCalledTimes(2)
    expect((await page()).entries.value).toEqual([])
  })

  it('is only ever sent by who gave it; another sees that it waits', async () => {
    await (await page()).put(entry('5.01'))
    const { flush, entries, OutboxBar } = await page()
    const sent = server()
    await flush(noor, () => {})
    expect(sent).toEqual([])
    expect(entries.value).toHaveLength(1)
    const bar = mount(OutboxBar, {
      props: { person: noor, away: false },
      global: { plugins: [[VueQueryPlugin, { queryClient: new QueryClient() }]], stubs: { RouterLink: true } },
    })
    await flushPromises()
    expect(bar.text()).toContain('1 entry of Idris Vail waits here')
    expect(bar.findAll('button'), 'nobody else can drop it').toHaveLength(0)
    bar.unmount()
  })

  it('comes back with words where it cannot be taken any more, and stays until that is seen', async () => {
    await (await page()).put(entry('5.01'))
    const { flush, entries, aside } = await page()
    const sent = server(no(409, 'The run has gone on.'))
    await flush(idris, () => {})
    expect(entries.value[0]?.refused).toBe('The run has gone on.')
    await flush(idris, () => {})
    expect(sent, 'it is not sent again').toHaveLength(1)
    await aside(entries.value[0]!)
    expect(entries.value).toEqual([])
  })

  it('has what was given after a refused entry stand on what that one stood on, and sends a question confirmed', async () => {
    const chain = ['5.0', '6.0', '7.0'].map((typed, i, all) => {
      const e = entry(typed)
      return { ...e, body: { ...e.body, after: all[i - 1] } }
    })
    const before = await page()
    for (const e of chain) await before.put(e)
    const { flush, entries, confirm } = await page()
    const question = () =>
      Promise.resolve({
        error: { status: 409, detail: 'Is that what it shows?', code: 'magnitude' },
        response: new Response('{}', { status: 409 }),
      })
    const bodies: Entry['body'][] = []
    const answers = [fine, question, fine, fine]
    vi.spyOn(client.api, 'POST').mockImplementation(((_: string, { body }: { body: Entry['body'] }) => {
      bodies.push(body)
      return answers.shift()!()
    }) as never)
    await flush(idris, () => {})
    expect(bodies.map((b) => [b.typed, b.after])).toEqual([
      ['5.0', undefined],
      ['6.0', '5.0'],
      ['7.0', '5.0'],
    ])
    expect(entries.value.map((e) => [e.body.typed, e.code])).toEqual([['6.0', 'magnitude']])
    await confirm(entries.value[0]!, 'another-id', 12)
    await flush(idris, () => {})
    expect(bodies[3]).toMatchObject({ id: 'another-id', typed: '6.0', confirmed: true, expect: 12 })
    expect(entries.value).toEqual([])
  })

  it('says that a browser with no room keeps nothing', async () => {
    const { put, keepForLater } = await page()
    vi.spyOn(IDBObjectStore.prototype, 'add').mockImplementation(() => {
      throw new DOMException('no room', 'QuotaExceededError')
    })
    expect(await put(entry('5.01'))).toBe(false)
    expect(await keepForLater('5.01')).toBe(false)
  })

  it('waits for a session that has ended, and for a server that is ill', async () => {
    await (await page()).put(entry('5.01'))
    const { flush, entries } = await page()
    server(no(401, 'Sign in first.'), no(500, 'disk full'))
    await flush(idris, () => {})
    await flush(idris, () => {})
    expect(entries.value[0]).toMatchObject({ body: { id: '5.01' } })
    expect(entries.value[0]?.refused).toBeUndefined()
  })
})
