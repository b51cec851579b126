import { flushPromises, mount } from '@vue/test-utils'
import { QueryClient, VueQueryPlugin } from '@tanstack/vue-query'
import { afterEach, describe, expect, it, vi } from 'vitest'
import { defineComponent, h } from 'vue'
import { api } from '../api/client'
import { useSession } from '../composables/useSession'

const idris = { id: 'idris', name: 'Idris Vail', role: 'technician' }
/** A server with one session, that can be out of reach. */
function server() {
  const state = { away: false, session: 'open' as 'open' | 'locked' | 'ended', told: [] as string[] }
  const reply = (does: string, change?: typeof state.session) => () => {
    if (state.away) return Promise.reject(new TypeError('network'))
    state.told.push(does)
    if (change && state.session !== 'ended') state.session = change
    const data = {
      person: state.session === 'open' ? idris : undefined,
      locked: state.session === 'locked' ? idris : undefined,
      can: [],
    }
    return Promise.resolve({ data, response: new Response('{}') })
  }
  vi.spyOn(api, 'GET').mockImplementation(reply('asked') as never)
  vi.spyOn(api, 'POST').mockImplementation(reply('locked', 'locked') as never)
  vi.spyOn(api, 'DELETE').mockImplementation(reply('ended', 'ended') as never)
  return state
}
async function page() {
  let session: ReturnType<typeof useSession> | undefined
  const client = new QueryClient({ defaultOptions: { queries: { retry: false } } })
  mount(defineComponent({ setup: () => ((session = useSession()), () => h('div')) }), {
    global: { plugins: [[VueQueryPlugin, { queryClient: client }]] },
  })
  await flushPromises()
  return session!
}

describe('a page that is left while nothing answers', () => {
  afterEach(() => vi.restoreAllMocks())

  it('is locked at once, and stays so when the server is back, also loaded anew', async () => {
    const state = server()
    const first = await page()
    expect(first.person.value).toEqual(idris)
    state.away = true
    await first.lock()
    expect(first.person.value).toBeUndefined()
    expect(first.session.value?.locked).toEqual(idris)
    state.away = false
    const next = await page()
    expect(state.told).toEqual(['asked', 'locked', 'asked'])
    expect(next.person.value).toBeUndefined()
  })

  it('is left for good: whoever opens it next is nobody', async () => {
    vi.stubGlobal('location', { assign: () => {} })
    const state = server()
    const first = await page()
    state.away = true
    await first.signOut()
    state.away = false
    const next = await page()
    expect(state.told).toEqual(['asked', 'ended', 'asked'])
    expect(next.person.value).toBeUndefined()
    vi.unstubAllGlobals()
  })
})
