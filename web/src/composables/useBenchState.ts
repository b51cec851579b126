import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { ref, watch } from 'vue'
import { useIntervalFn } from '@vueuse/core'
import { useSession } from './useSession'
import { setServerTime } from './useClock'
import { useStream } from './useStream'
import { queries, useCached } from '../api/queries'

/** useBenchState is what every screen shows along its edges: the dock and the loose ends. */
export function useBenchState() {
  const { can } = useSession()
  const query = useQuery({ ...queries.bench(), enabled: () => can('look') })
  watch(query.data, (state) => state && setServerTime(state.now))
  return query
}

/** After how many milliseconds without a word from the server that is said; it speaks every second. */
const silence = 3000

/**
 * useChanges listens for runs that go on anywhere, and has what shows them asked for again. It gives for how many
 * seconds the server has not been heard; 0 while it is.
 */
export function useChanges() {
  const cache = useQueryClient()
  const away = ref(0)
  const { refresh } = useCached()
  const lists = () => refresh('bench', 'today', 'asset', 'assets', 'controls', 'controlChart')
  let heard = Date.now()
  let tried = heard
  const hear = () => {
    heard = Date.now()
    if (away.value) {
      away.value = 0
      refresh('run')
      lists()
    }
  }
  const { reopen } = useStream(
    '/api/changes',
    {
      alive: (data) => {
        const { now, speed } = JSON.parse(data)
        setServerTime(now, speed)
        hear()
      },
      change: (data) => {
        hear()
        const { run, seq } = JSON.parse(data) as { run: string; seq: number }
        const known = cache.getQueryData<{ seq: number }>(['run', run])
        if (!known || known.seq !== seq) cache.invalidateQueries({ queryKey: ['run', run] })
        lists()
      },
    },
    (now) => now && refresh('run'), // what happened while this page did not listen
  )
  useIntervalFn(() => {
    const now = Date.now()
    if (document.visibilityState === 'hidden') heard = now // it does not listen then
    const silent = now - heard
    away.value = silent > silence ? Math.round(silent / 1000) : 0
    if (silent > 2 * silence && now - tried > 2 * silence) {
      tried = now
      reopen()
    }
  }, 500)
  return away
}
