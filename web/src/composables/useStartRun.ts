import { ref } from 'vue'
import { useRouter } from 'vue-router'
import { api } from '../api/client'
import { newId } from './useRun'
import { useCached } from '../api/queries'
import { useSend } from './useSend'

/** useStartRun opens a run on a device and goes to it. */
export function useStartRun() {
  const router = useRouter()
  const { keep } = useCached()
  const { trouble, send } = useSend()
  const starting = ref('')

  async function start(asset: string, procedure?: string, instead?: { replaces: string; reason: string }) {
    if (starting.value) return
    starting.value = asset
    const body = { id: newId(), asset, procedure, ...instead }
    const run = await send(() => api.POST('/api/runs', { body }))
    if (run) {
      keep('run', run, run.id)
      await router.push({ name: 'run', params: { id: run.id } })
    }
    starting.value = ''
  }
  return { start, starting, trouble }
}
