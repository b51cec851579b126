import 'fake-indexeddb/auto'
import { QueryClient } from '@tanstack/vue-query'
import { beforeEach, describe, expect, it, vi } from 'vitest'

const idris = { id: 'idris', name: 'Idris Vail', role: 'technician' }
vi.stubGlobal('__BUILD__', 'of-this-test')

/** A reloaded page: its memory is empty, and the browser's database is as it was. */
async function page(answers: boolean) {
  vi.resetModules()
  const { api } = await import('../api/client')
  const session = { data: { person: idris, can: [], idle: 15 }, response: new Response('{}') }
  vi.spyOn(api, 'GET').mockImplementation((() =>
    answers ? Promise.resolve(session) : Promise.reject(new TypeError('network'))) as never)
  const { remember, written, toldAt, forget } = await import('../offline/remember')
  const client = new QueryClient()
  await remember(client)
  return { client, written, toldAt, forget }
}
const run = { id: 'r1', seq: 7 }

describe('what the pages were told', () => {
  beforeEach(async () => (await page(true)).forget())

  it('is shown again where nothing answers, with of when it is, and never where the server does', async () => {
    const first = await page(true)
    first.client.setQueryData(['session'], { person: idris, can: [], idle: 15 })
    first.client.setQueryData(['run', 'r1'], run)
    first.client.setQueryData(['tokens'], ['secret'])
    await first.written()
    const away = await page(false)
    expect(away.client.getQueryData(['run', 'r1'])).toEqual(run)
    expect(away.client.getQueryData(['session'])).toMatchObject({ person: idris })
    expect(away.client.getQueryData(['tokens']), 'nothing of keys').toBeUndefined()
    expect(Math.abs(Date.parse(away.toldAt.value) - Date.now())).toBeLessThan(60_000)
    away.client.clear()
    const told = { queryKey: ['run', 'r1'], queryFn: () => Promise.reject(new TypeError('network')), retry: false }
    await away.client.fetchQuery(told).catch(() => {})
    await vi.waitFor(() => expect(away.client.getQueryData(['run', 'r1'])).toEqual(run))
    const back = await page(true)
    expect(back.client.getQueryData(['run', 'r1']), 'the server tells it anew').toBeUndefined()
    expect(back.toldAt.value).toBe('')
  })

  it('is locked where nobody had a hand on it for too long, and gone where its person left', async () => {
    const first = await page(true)
    const long = { updatedAt: Date.now() - 20 * 60_000 }
    first.client.setQueryData(['run', 'r1'], run, long)
    first.client.setQueryData(['session'], { person: idris, can: [], idle: 15 }, long)
    await first.written()
    const away = await page(false)
    expect(away.client.getQueryData(['session'])).toMatchObject({ locked: idris })
    expect(away.client.getQueryData<{ person?: object }>(['session'])!.person).toBeUndefined()
    await away.forget()
    const next = await page(false)
    expect(next.client.getQueryData(['run', 'r1'])).toBeUndefined()
  })
})
