import { openDB, type DBSchema, type IDBPDatabase } from 'idb'
import { computed, shallowRef } from 'vue'
import { written } from '../offline/remember'
import { answer, api, ApiError, type Command, type Person, type Problem, type Run } from '../api/client'

/** Something that was given here and is not known to be recorded yet, or was refused and not seen yet. */
export interface Entry {
  n?: number // in the order in which it was given
  run: string
  tag: string // of the device
  what: string // in words
  body: Command
  by: { id: string; name: string }
  at: string // when it was given
  kept?: boolean // nothing answered: the page went on, and it is sent later
  refused?: string // why it was not recorded
  code?: string // of the refusal
}

interface Store extends DBSchema {
  entries: { key: number; value: Entry }
}

let opening: Promise<IDBPDatabase<Store>> | undefined
function store() {
  opening ??= openDB<Store>('needle-outbox', 1, {
    upgrade: (db) => db.createObjectStore('entries', { keyPath: 'n', autoIncrement: true }),
  })
  return opening
}

const all = shallowRef<Entry[]>([])
/** What waits in this browser, of everyone, in the order in which it was given. */
export const entries = computed(() => all.value)

async function reload() {
  all.value = await (await store()).getAll('entries')
}

/** Entries that this page is sending right now. */
const active = new Set<string>()

/**
 * put keeps an entry until it is known to be recorded. A browser that keeps nothing (a private window) is no reason
 * not to send it: then it says so.
 */
export async function put(entry: Entry): Promise<boolean> {
  active.add(entry.body.id)
  try {
    await (await store()).add('entries', JSON.parse(JSON.stringify(entry)))
    await reload()
    return true
  } catch {
    return false
  }
}

/** keepForLater says that nothing answered: the entry is sent when something does, and its page goes on meanwhile. */
export async function keepForLater(id: string): Promise<boolean> {
  active.delete(id)
  try {
    const db = await store()
    const entry = (await db.getAll('entries')).find((e) => e.body.id === id)
    if (entry) await db.put('entries', { ...entry, kept: true })
    await reload()
    return !!entry
  } catch {
    return false
  }
}

/** done lets go of an entry: it is recorded, or the page has said why it is not. */
export async function done(id: string) {
  active.delete(id)
  try {
    const db = await store()
    const entry = (await db.getAll('entries')).find((e) => e.body.id === id)
    if (entry) await db.delete('entries', entry.n!)
    await reload()
  } catch {
    // There was none.
  }
}

/** What was given after a refused entry stands on what that one stood on. */
async function refuse(entry: Entry, { detail, code }: Problem) {
  const all = (await store()).transaction('entries', 'readwrite')
  await all.store.put({ ...entry, refused: detail, code })
  for (const later of await all.store.getAll()) {
    if (later.body.after !== entry.body.id) continue
    await all.store.put({ ...later, body: { ...later.body, after: entry.body.after } })
  }
  await all.done
}

let flushing = false
/**
 * flush sends what waits of a person, once and in order; what another gave is theirs to send. What is refused stays,
 * with the words why. It stops where the server cannot be reached.
 */
export async function flush(person: Person, recorded: (run: Run) => void) {
  if (flushing) return
  flushing = true
  try {
    await reload()
    for (const { n } of all.value) {
      const entry = await (await store()).get('entries', n!) // as what was sent before left it
      if (!entry || entry.refused || entry.by.id !== person.id || active.has(entry.body.id)) continue
      try {
        const params = { path: { id: entry.run } }
        recorded(await answer(api.POST('/api/runs/{id}/commands', { params, body: entry.body })))
        await written()
        await (await store()).delete('entries', entry.n!)
      } catch (error) {
        if (!(error instanceof ApiError) || error.offline || [401, 500, 502, 503].includes(error.problem.status)) break
        await refuse(entry, error.problem)
      }
    }
    await reload()
  } catch {
    // A browser that keeps nothing has nothing to send.
  } finally {
    flushing = false
  }
}

/** confirm sends a questioned entry once more, confirmed, with an id of its own: onto the run as it is seen now. */
export async function confirm(entry: Entry, id: string, expect: number) {
  await (
    await store()
  ).put('entries', {
    ...entry,
    refused: undefined,
    code: undefined,
    body: { ...entry.body, id, expect, after: undefined, confirmed: true },
  })
  await reload()
}

/** aside lets go of a refused entry once its giver has seen why. */
export const aside = (entry: Entry) => done(entry.body.id)
