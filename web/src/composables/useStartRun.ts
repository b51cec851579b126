import { ref } from 'vue'
import { useRouter } from 'vue-router'
import { useQueryClient } from '@tanstack/vue-query'
import { answer, api, ApiError } from '../api/client'
import { newId } from './useRun'

/** useStartRun opens a run on a device and goes to it. */
export function useStartRun() {
  const router = useRouter()
  const cache = useQueryClient()
  const trouble = ref('')
  const starting = ref('')

  async function start(asset: string, procedure?: string, instead?: { replaces: string; reason: string }) {
    if (starting.value) return
    starting.value = asset
    trouble.value = ''
    try {
      const run = await answer(api.POST('/api/runs', { body: { id: newId(), asset, procedure, ...instead } }))
      cache.setQueryData(['run', run.id], run)
      await router.push({ name: 'run', params: { id: run.id } })
    } catch (error) {
      trouble.value = error instanceof ApiError ? error.problem.detail : String(error)
    } finally {
      starting.value = ''
    }
  }
  return { start, starting, trouble }
}
