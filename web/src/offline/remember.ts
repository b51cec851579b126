import { useThrottleFn } from '@vueuse/core'
import type { QueryClient } from '@tanstack/vue-query'
import {
  persistQueryClientRestore,
  persistQueryClientSubscribe,
  type PersistedClient,
  type Persister,
} from '@tanstack/query-persist-client-core'
import { openDB, type DBSchema } from 'idb'
import { ref } from 'vue'
import { ApiError } from '../api/client'
import { queries } from '../api/queries'

/**
 * What the pages were told last is kept in the browser, so that they open without a network as they were: what is worked
 * with, and nothing of people, keys or copies.
 */
const worked = new Set([
  'session',
  'bench',
  'today',
  'run',
  'candidates',
  'room',
  'asset',
  'assets',
  'choices',
  'standards',
  'reference',
  'controls',
  'round',
  'clauses',
])

/** After how long what was kept is no longer shown, in milliseconds. */
const longest = 24 * 3_600_000

interface Store extends DBSchema {
  told: { key: 'last'; value: string }
}
const store = () => openDB<Store>('needle-told', 1, { upgrade: (db) => db.createObjectStore('told') })

/** A browser that keeps nothing, as a private window or a full one does, is no reason not to work. */
async function quietly<T>(does: () => Promise<T>): Promise<T | undefined> {
  try {
    return await does()
  } catch {
    return undefined
  }
}
const persister: Persister = {
  persistClient: useThrottleFn(
    (told: PersistedClient) =>
      quietly(async () => void (await (await store()).put('told', JSON.stringify(told), 'last'))),
    1000,
    true,
  ),
  restoreClient: () =>
    quietly(async () => {
      const text = await (await store()).get('told', 'last')
      return text ? (JSON.parse(text) as PersistedClient) : undefined
    }),
  removeClient: forget,
}

/** How long the server has to say who is signed in before the pages open as they were, in milliseconds. */
const patience = 4000

/** Of when the pages are, where they were opened from what was kept; empty where the server told them. */
export const toldAt = ref('')

/**
 * remember opens the pages: from the server where it answers, so that nothing old is ever shown in its place; else as they
 * were told last. What they are told from now on is kept.
 */
export async function remember(queryClient: QueryClient) {
  const kept = { queryClient, persister, maxAge: longest, buster: __BUILD__ }
  if (!(await answers(queryClient))) {
    const told = await persister.restoreClient()
    if (told) toldAt.value = new Date(told.timestamp).toISOString()
    await persistQueryClientRestore(kept)
  }
  persistQueryClientSubscribe({
    ...kept,
    dehydrateOptions: {
      shouldDehydrateQuery: ({ queryKey, state }) => state.status === 'success' && worked.has(String(queryKey[0])),
    },
  })
}

/** Whether the server says who is signed in; what else it answers is an answer too. */
async function answers(queryClient: QueryClient) {
  const late = new Promise<boolean>((resolve) => setTimeout(() => resolve(false), patience))
  const asked = queryClient.fetchQuery({ ...queries.session(), retry: false }).then(
    () => true,
    (error) => !(error instanceof ApiError && error.offline),
  )
  return Promise.race([asked, late])
}

/** forget drops what was kept: nothing is left of whoever signs out. */
export async function forget() {
  await quietly(async () => (await store()).clear('told'))
}
