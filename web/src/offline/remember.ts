import { useThrottleFn } from '@vueuse/core'
import type { QueryClient } from '@tanstack/vue-query'
import { persistQueryClient, type PersistedClient, type Persister } from '@tanstack/query-persist-client-core'
import { openDB, type DBSchema } from 'idb'

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

/** remember gives the pages what they were told last, and keeps what they are told from now on. */
export async function remember(queryClient: QueryClient) {
  const [, restored] = persistQueryClient({
    queryClient,
    persister,
    maxAge: longest,
    buster: __BUILD__,
    dehydrateOptions: {
      shouldDehydrateQuery: ({ queryKey, state }) => state.status === 'success' && worked.has(String(queryKey[0])),
    },
  })
  await restored
}

/** forget drops what was kept: nothing is left of whoever signs out. */
export async function forget() {
  await quietly(async () => (await store()).clear('told'))
}
