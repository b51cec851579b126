import { flushPromises, mount } from '@vue/test-utils'
import { QueryClient, VueQueryPlugin } from '@tanstack/vue-query'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { defineComponent, h, ref } from 'vue'
import { useRun, type RunHandle } from '../composables/useRun'

/** The client keeps the fetch it finds when it is loaded: this one, from before. */
const net = vi.hoisted(() => {
  const state = {
    handle: (request: Request): Promise<Response> => Promise.reject(new Error(`no network for ${request.url}`)),
  }
  globalThis.fetch = ((request: Request) => state.handle(request)) as typeof fetch
  return state
})

interface Call {
  url: string
  method: string
  body?: Record<string, unknown>
}

/** What goes over the network, answered in turn: the only thing here that is not real. */
function network(...answers: (() => Promise<Response> | Response)[]) {
  const calls: Call[] = []
  net.handle = async (request: Request) => {
    const text = request.method === 'POST' ? await request.clone().text() : ''
    calls.push({ url: request.url, method: request.method, body: text ? JSON.parse(text) : undefined })
    if (request.method === 'GET') return json(200, { id: 'r1', seq: 7 })
    const next = answers.shift()
    if (!next) throw new Error('nothing more was to be sent')
    return next()
  }
  return calls
}
const json = (status: number, body: object) =>
  new Response(JSON.stringify(body), { status, headers: { 'Content-Type': 'application/json' } })
const away = () => Promise.reject(new TypeError('network'))

async function opened(): Promise<RunHandle> {
  let handle: RunHandle | undefined
  const client = new QueryClient({ defaultOptions: { queries: { retry: false } } })
  mount(defineComponent({ setup: () => ((handle = useRun(ref('r1'))), () => h('div')) }), {
    global: { plugins: [[VueQueryPlugin, { queryClient: client }]] },
  })
  await vi.waitFor(() => expect(handle?.run.value).toBeDefined())
  return handle!
}

describe('a command to a run', () => {
  beforeEach(() => vi.useFakeTimers({ toFake: ['setTimeout', 'clearTimeout'], shouldAdvanceTime: true }))
  afterEach(() => vi.useRealTimers())

  it('carries an id of its own and the sequence on the screen', async () => {
    const calls = network(() => json(200, { id: 'r1', seq: 8 }))
    const run = await opened()
    expect(await run.send({ kind: 'note', note: 'hello' })).toBe(true)
    const sent = calls.find((c) => c.method === 'POST')!.body!
    expect(sent).toMatchObject({ kind: 'note', note: 'hello', expect: 7 })
    expect(String(sent.id).length).toBeGreaterThanOrEqual(8)
    await flushPromises()
    expect(run.run.value?.seq).toBe(8)
  })

  it('is tried again with the same id while the server is away', async () => {
    const calls = network(away, away, () => json(200, { id: 'r1', seq: 8 }))
    const run = await opened()
    const done = run.send({ kind: 'note', note: 'x' })
    await vi.waitFor(() => expect(run.waiting.value).toBe(true))
    await vi.advanceTimersByTimeAsync(5000)
    expect(await done).toBe(true)
    expect(run.waiting.value).toBe(false)
    const ids = calls.filter((c) => c.method === 'POST').map((c) => c.body!.id)
    expect(ids).toHaveLength(3)
    expect(new Set(ids).size).toBe(1)
  })

  it('keeps what was refused, so that it can be confirmed', async () => {
    network(
      () => json(422, { title: 'Please confirm', status: 422, detail: '5.01 would fit.', code: 'magnitude' }),
      () => json(200, { id: 'r1', seq: 8 }),
    )
    const run = await opened()
    expect(await run.send({ kind: 'capture', measure: 'co2', point: '5', typed: '50,1' })).toBe(false)
    expect(run.problem.value?.code).toBe('magnitude')
    expect(run.refused.value).toMatchObject({ typed: '50,1' })
    expect(await run.send({ ...run.refused.value!, confirmed: true })).toBe(true)
    expect(run.problem.value).toBeUndefined()
  })

  it('asks for the run again when it has gone on without this page', async () => {
    const calls = network(() =>
      json(409, { title: 'The run has gone on', status: 409, detail: 'Look what happened.', code: 'stale', seq: 9 }),
    )
    const run = await opened()
    const before = calls.filter((c) => c.method === 'GET').length
    expect(await run.send({ kind: 'note', note: 'x' })).toBe(false)
    await vi.waitFor(() => expect(calls.filter((c) => c.method === 'GET').length).toBe(before + 1))
  })

  it('is not sent twice by a second press', async () => {
    const calls = network(() => json(200, { id: 'r1', seq: 8 }))
    const run = await opened()
    const both = await Promise.all([run.send({ kind: 'note', note: 'x' }), run.send({ kind: 'note', note: 'x' })])
    expect(both).toEqual([true, false])
    expect(calls.filter((c) => c.method === 'POST')).toHaveLength(1)
  })
})
