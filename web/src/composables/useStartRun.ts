import { ref, shallowRef } from 'vue'
import { useRouter } from 'vue-router'
import { answer, api } from '../api/client'
import { newId } from './useRun'
import { useCached } from '../api/queries'
import { useSend } from './useSend'

type Instead = { replaces: string; reason: string }

/** A run that waits for whom it is made under. */
interface Asked {
  asset: string
  procedure?: string
  instead?: Instead
  family: string
  why: string
}

const starting = ref('')
const asked = shallowRef<Asked>()

/** useStartRun opens a run on a device and goes to it; where somebody may not do that alone, it is asked whom they work under. */
export function useStartRun() {
  const router = useRouter()
  const { keep } = useCached()
  const { problem, trouble, send, clear } = useSend()

  async function start(asset: string, procedure?: string, instead?: Instead, under?: string) {
    if (starting.value) return
    starting.value = asset
    const body = { id: newId(), asset, procedure, under, ...instead }
    const run = await send(() => api.POST('/api/runs', { body }))
    if (run) {
      asked.value = undefined
      keep('run', run, run.id)
      await router.push({ name: 'run', params: { id: run.id } })
    } else if (problem.value?.code === 'not-alone') {
      const why = problem.value.detail
      clear()
      const { family } = await answer(api.GET('/api/assets/{id}', { params: { path: { id: asset } } }))
      asked.value = { asset, procedure, instead, family, why }
    }
    starting.value = ''
  }
  const again = (under: string) =>
    asked.value && start(asked.value.asset, asked.value.procedure, asked.value.instead, under)
  const drop = () => (asked.value = undefined)
  return { start, starting, trouble, asked, again, drop }
}
