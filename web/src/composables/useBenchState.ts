import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { ref, watch } from 'vue'
import { answer, api } from '../api/client'
import { setServerTime } from './useClock'
import { useStream } from './useStream'

/** useBenchState is what every screen shows along its edges: the dock and the loose ends. */
export function useBenchState() {
  const query = useQuery({
    queryKey: ['bench'],
    queryFn: () => answer(api.GET('/api/bench')),
    refetchInterval: 15_000,
  })
  watch(query.data, (state) => state && setServerTime(state.now))
  return query
}

/** useChanges listens for runs that go on anywhere, and has what shows them asked for again. */
export function useChanges() {
  const cache = useQueryClient()
  const connected = ref(true)
  const lists = () => {
    for (const key of ['bench', 'today', 'asset', 'assets', 'controls', 'control-chart'])
      cache.invalidateQueries({ queryKey: [key] })
  }
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
      if (now) cache.invalidateQueries({ queryKey: ['run'] }) // what happened while this page did not listen
      if (now && !connected.value) lists()
      connected.value = now
    },
  )
  return connected
}
