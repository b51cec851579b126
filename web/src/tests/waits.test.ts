import 'fake-indexeddb/auto'
import { flushPromises, mount } from '@vue/test-utils'
import { QueryClient, VueQueryPlugin } from '@tanstack/vue-query'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { defineComponent, h, ref } from 'vue'
import { api, type Command } from '../api/client'
import { entries } from '../composables/outbox'
import { useRun, type RunHandle } from '../composables/useRun'
import signed from '../../../testdata/whole-runs/capnograph.view.json'

const idris = { id: 'idris', name: 'Idris Vail', role: 'technician' }
/** A server that records what it is told, and can be out of reach. */
const server = { away: false, seq: 7, told: [] as Command[] }
beforeEach(() => {
  Object.assign(server, { away: false, seq: 7, told: [] })
  const run = () => ({ ...signed, id: 'r1', status: 'open', seq: server.seq })
  const reply = (data: object) =>
    server.away ? Promise.reject(new TypeError('network')) : Promise.resolve({ data, response: new Response('{}') })
  vi.spyOn(api, 'GET').mockImplementation(((path: string) =>
    reply(path === '/api/session' ? { person: idris, can: [] } : run())) as never)
  vi.spyOn(api, 'POST').mockImplementation(((_: string, { body }: { body: Command }) => {
    if (!server.away) {
      server.told.push(body)
      server.seq++
    }
    return reply(run())
  }) as never)
})

async function opened(): Promise<RunHandle> {
  let handle: RunHandle | undefined
  mount(defineComponent({ setup: () => ((handle = useRun(ref('r1'))), () => h('div')) }), {
    global: { plugins: [[VueQueryPlugin, { queryClient: new QueryClient() }]] },
  })
  await vi.waitFor(() => expect(handle?.run.value).toBeDefined())
  await flushPromises()
  return handle!
}
const typed = (text: string) => ({ kind: 'capture' as const, measure: 'co2', point: '5', typed: text })

describe('what is given while nothing answers', () => {
  it('waits in its order, and a reading of the moment never goes before it', async () => {
    const run = await opened()
    server.away = true
    expect(await run.send(typed('5.01'))).toBe(true)
    expect(await run.send(typed('5.02'))).toBe(true)
    expect(entries.value.map((e) => e.body.typed)).toEqual(['5.01', '5.02'])
    expect(run.run.value!.seq, 'the page goes on').toBe(9)
    const linked = { kind: 'capture' as const, measure: 'co2', point: '10', frame: 'frame-1' }
    expect(await run.send(linked)).toBe(false)
    expect(run.problem.value?.detail).toContain('goes first')
    server.away = false
    expect(await run.send(linked)).toBe(true)
    const [first, second, last] = server.told
    expect(server.told.map((b) => b.typed ?? b.frame)).toEqual(['5.01', '5.02', 'frame-1'])
    expect(second).toMatchObject({ expect: 7, after: first!.id })
    expect(last).toMatchObject({ expect: 9 })
    expect(last!.after).toBeUndefined()
    expect(entries.value).toEqual([])
  })
})
