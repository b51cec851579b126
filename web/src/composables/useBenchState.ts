import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { onBeforeUnmount, ref, watch } from 'vue'
import { answer, api } from '../api/client'
import { setServerTime } from './useClock'

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
  const source = new EventSource('/api/changes')
  source.addEventListener('alive', (event) => {
    setServerTime(JSON.parse(event.data).now)
    connected.value = true
  })
  source.addEventListener('change', (event) => {
    const { run, seq } = JSON.parse(event.data) as { run: string; seq: number }
    const known = cache.getQueryData<{ seq: number }>(['run', run])
    if (!known || known.seq !== seq) cache.invalidateQueries({ queryKey: ['run', run] })
    for (const key of ['bench', 'today', 'asset', 'assets']) cache.invalidateQueries({ queryKey: [key] })
  })
  source.onopen = () => (connected.value = true)
  source.onerror = () => (connected.value = false)
  onBeforeUnmount(() => source.close())
  return connected
}
