import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed } from 'vue'
import { answer, api } from '../api/client'
import type { components } from '../api/schema.gen'
import { queries } from '../api/queries'

export type Action = components['schemas']['SessionView']['can'][number]

/** useSession is who is signed in, and signing in and out. */
export function useSession() {
  const cache = useQueryClient()
  const query = useQuery(queries.session())
  const signIn = useMutation({
    mutationFn: (body: { name: string; password: string }) => answer(api.POST('/api/session', { body })),
    onSuccess: (session) => cache.setQueryData(['session'], session),
  })
  const signOut = useMutation({
    mutationFn: () => answer(api.DELETE('/api/session')),
    onSettled: () => {
      cache.clear()
      location.assign('/')
    },
  })
  /** can says whether whoever is signed in may do something, by the server's table. */
  const can = (action: Action) => query.data.value?.can.includes(action) ?? false
  return { session: query.data, person: computed(() => query.data.value?.person), can, query, signIn, signOut }
}
