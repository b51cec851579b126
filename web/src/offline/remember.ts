import { hydrate, type DehydratedState, type QueryClient } from '@tanstack/vue-query'
import { openDB, type DBSchema } from 'idb'
import { ref } from 'vue'
import { ApiError } from '../api/client'
import { queries } from '../api/queries'
import type { components } from '../api/schema.gen'

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

type Session = components['schemas']['SessionView']
type Told = DehydratedState['queries'][number] & { build: string }
interface Store extends DBSchema {
  told: { key: string; value: Told }
}
const store = () =>
  openDB<Store>('needle-told', 1, { upgrade: (db) => db.createObjectStore('told', { keyPath: 'queryHash' }) })

/** A browser that keeps nothing, as a private window or a full one does, is no reason not to work. */
async function quietly<T>(does: () => Promise<T>): Promise<T | undefined> {
  try {
    return await does()
  } catch {
    return undefined
  }
}

let writing: Promise<unknown> = Promise.resolve()
/** written waits until what the pages were told is kept: only then what was given may be let go of. */
export const written = () => writing

/** How long the server has to say who is signed in before the pages open as they were, in milliseconds. */
const patience = 4000

/** Of when the pages are, where they were opened from what was kept; empty where the server told them. */
export const toldAt = ref('')

/**
 * remember opens the pages: from the server where it answers, so that nothing old is ever shown in its place; else as they
 * were told last. What they are told from now on is kept.
 */
export async function remember(queryClient: QueryClient) {
  if (await answers(queryClient)) await forget()
  else await quietly(() => restore(queryClient))
  queryClient.getQueryCache().subscribe((event) => {
    if (event.type !== 'updated' || !worked.has(String(event.query.queryKey[0]))) return
    const { queryKey, queryHash, state } = event.query
    if (unanswered.has(event.action.type) && state.data === undefined) quietly(() => again(queryClient, queryHash))
    if (event.action.type !== 'success') return
    const dehydratedAt = state.dataUpdatedAt
    const told = JSON.parse(JSON.stringify({ queryKey, queryHash, state, dehydratedAt, build: __BUILD__ })) as Told
    writing = writing.then(() => quietly(async () => (await store()).put('told', told)))
  })
}

/** What happens to a question that nothing answers: it is asked again, given up, or waits for a network. */
const unanswered = new Set<string>(['failed', 'error', 'pause'])

/** What is asked for while nothing answers is shown as it was told last. */
async function again(queryClient: QueryClient, hash: string) {
  const told = await (await store()).get('told', hash)
  if (!told || told.build !== __BUILD__ || queryClient.getQueryData(told.queryKey)) return
  toldAt.value ||= new Date(told.state.dataUpdatedAt).toISOString()
  queryClient.setQueryData(told.queryKey, told.state.data, { updatedAt: told.state.dataUpdatedAt })
}

async function restore(queryClient: QueryClient) {
  const since = Date.now() - longest
  const all = (await (await store()).getAll('told')).filter(
    (t) => t.build === __BUILD__ && t.state.dataUpdatedAt > since,
  )
  const last = Math.max(0, ...all.map((t) => t.state.dataUpdatedAt))
  if (last) toldAt.value = new Date(last).toISOString()
  const session = all.find((t) => t.queryKey[0] === 'session')?.state
  const told = session?.data as Session | undefined
  // A page that nobody had a hand on for so long is locked: also one that was closed meanwhile.
  if (session && told?.person && told.idle && Date.now() - last > told.idle * 60_000)
    session.data = { ...told, person: undefined, locked: told.person }
  hydrate(queryClient, { queries: all, mutations: [] })
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
  await writing
  await quietly(async () => (await store()).clear('told'))
}
