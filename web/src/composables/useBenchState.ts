import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { ref, watch } from 'vue'
import { setServerTime } from './useClock'
import { useStream } from './useStream'
import { queries, useCached } from '../api/queries'

/** useBenchState is what every screen shows along its edges: the dock and the loose ends. */
export function useBenchState() {
  const query = useQuery(queries.bench())
  watch(query.data, (state) => state && setServerTime(state.now))
  return query
}

/** useChanges listens for runs that go on anywhere, and has what shows them asked for again. */
export function useChanges() {
  const cache = useQueryClient()
  const connected = ref(true)
  const { refresh } = useCached()
  const lists = () => refresh('bench', 'today', 'asset', 'assets', 'controls', 'controlChart')
  useStream(
    '/api/changes',
    {
      alive: (data) => {
        const { now, speed } = JSON.parse(data)
        setServerTime(now, speed)
      },
      change: (data) => {
        const { run, seq } = JSON.parse(data) as { run: string; seq: number }
        const known = cache.getQueryData<{ seq: number }>(['run', run])
        if (!known || known.seq !== seq) cache.invalidateQueries({ queryKey: ['run', run] })
        lists()
      },
    },
    (now) => {
      if (now) refresh('run') // what happened while this page did not listen
      if (now && !connected.value) lists()
      connected.value = now
    },
  )
  return connected
}
