import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, shallowRef, watchEffect } from 'vue'
import { api } from '../api/client'
import { queries, useCached } from '../api/queries'
import type { components } from '../api/schema.gen'
import { usePasskey } from './usePasskey'
import { useSend } from './useSend'
import { forgive, owe, pay } from '../offline/owed'
import { forget } from '../offline/remember'

type Session = components['schemas']['SessionView']
export type Action = Session['can'][number]

/** What whoever was signed in last may do. */
const could = shallowRef<Action[]>([])

/** useSession is who is signed in, and signing in and out. */
export function useSession() {
  const cache = useQueryClient()
  const { keep } = useCached()
  const query = useQuery(queries.session())
  const { trouble, sending, send } = useSend()
  function entered(session?: Session) {
    if (!session) return
    forgive()
    keep('session', session)
  }
  async function signIn(name: string, password: string) {
    entered(await send(() => api.POST('/api/session', { body: { name, password } })))
  }
  async function signInByPasskey() {
    entered(await send(usePasskey().signIn))
  }
  /** The page begins anew, also where the server could not be told. */
  async function signOut() {
    owe('sign-out')
    await pay().catch(() => {}) // else by the next page
    cache.clear()
    await forget()
    location.assign('/')
  }
  /** The page is locked: nothing is left of the session but whose it is, also where the server could not be told yet. */
  async function lock() {
    owe('lock')
    const was = query.data.value
    if (was?.person) keep('session', { ...was, person: undefined, locked: was.person })
    await query.refetch()
  }
  /**
   * can says whether whoever is signed in may do something, by the server's table. While a session is renewed over the page, it is
   * what its owner could: the page stays as it was, and the server lets nothing through.
   */
  watchEffect(() => {
    if (query.data.value?.person) could.value = query.data.value.can
  })
  const can = (action: Action) => could.value.includes(action)
  const person = computed(() => query.data.value?.person)
  return { session: query.data, person, can, query, signIn, signInByPasskey, signOut, lock, trouble, sending }
}
