import { flushPromises, mount } from '@vue/test-utils'
import { QueryClient, VueQueryPlugin } from '@tanstack/vue-query'
import { createMemoryHistory, createRouter } from 'vue-router'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import SearchField from '../components/SearchField.vue'
import { api } from '../api/client'
import ShareBar from '../components/ShareBar.vue'

/** A server that answers when it is told to: each search waits for its turn. */
const waiting = new Map<string, (tags: string[]) => void>()
const asset = (tag: string) => ({
  id: tag,
  tag,
  device: 'Ostrel C2',
  family: 'capnograph',
  place: 'p',
  site: 's',
  serial: '1',
})

beforeEach(() => {
  vi.useFakeTimers()
  vi.spyOn(api, 'GET').mockImplementation(((_: string, { params }: { params: { query: { search: string } } }) => {
    return new Promise((resolve) =>
      waiting.set(params.query.search, (tags) =>
        resolve({ data: { assets: tags.map(asset) }, response: new Response('{}') }),
      ),
    )
  }) as never)
})
afterEach(() => {
  waiting.clear()
  vi.restoreAllMocks()
  vi.useRealTimers()
})

async function field() {
  const nothing = { template: '<p />' }
  const router = createRouter({
    history: createMemoryHistory(),
    routes: [
      { path: '/', component: nothing },
      { path: '/equipment/:id', name: 'device', component: nothing },
    ],
  })
  const page = mount(SearchField, {
    attachTo: document.body,
    global: { plugins: [router, [VueQueryPlugin, { queryClient: new QueryClient() }]] },
  })
  const input = page.get<HTMLInputElement>('#search')
  const type = async (text: string) => {
    await input.setValue(text)
    await vi.advanceTimersByTimeAsync(150)
  }
  const told = async (search: string, ...tags: string[]) => {
    waiting.get(search)!(tags)
    await vi.advanceTimersByTimeAsync(20)
    await flushPromises()
  }
  return { router, page, type, told, enter: () => input.trigger('keydown', { key: 'Enter' }) }
}

describe('a tag and Enter', () => {
  it('open the device of that tag, also when the answer comes late', async () => {
    const f = await field()
    await f.type('A')
    await f.told('A', 'AR-0440', 'AR-0458')
    await f.type('AR-0458')
    await f.enter() // the list on the screen was still that of the letter before
    expect(f.router.currentRoute.value.path).toBe('/')
    await f.told('AR-0458', 'AR-0458')
    expect(f.router.currentRoute.value.path).toBe('/equipment/AR-0458')
    f.page.unmount()
  })

  it('open nothing that was typed over', async () => {
    const f = await field()
    await f.type('AR-0440')
    await f.enter()
    await f.type('AR-04')
    await f.told('AR-0440', 'AR-0440')
    await f.told('AR-04', 'AR-0440', 'AR-0458')
    expect(f.router.currentRoute.value.path).toBe('/')
    f.page.unmount()
  })
})

describe('a share', () => {
  it('is told in words with its bounds', () => {
    const bar = mount(ShareBar, { props: { share: { of: 8, all: 9, value: 8 / 9, low: 0.5672, high: 0.98 } } })
    expect(bar.get('svg').attributes('aria-label')).toBe('8 of 9, 89 %; 57 to 98 % at 95 %')
    expect(bar.text()).toContain('89 %')
  })
})
