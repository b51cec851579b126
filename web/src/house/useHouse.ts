import { ref } from 'vue'
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { answer, api, ApiError, type Problem } from '../api/client'
import type { components } from '../api/schema.gen'

export type House = components['schemas']['HouseView']

/** useHouse is how the workshop is set up, and a way to change it that keeps what was refused. */
export function useHouse() {
  const cache = useQueryClient()
  const query = useQuery({ queryKey: ['house'], queryFn: () => answer(api.GET('/api/house')) })
  const problem = ref<Problem>()
  const saved = ref('')
  async function change(call: Promise<House>, words: string): Promise<boolean> {
    problem.value = undefined
    saved.value = ''
    try {
      cache.setQueryData(['house'], await call)
      saved.value = words
      return true
    } catch (e) {
      problem.value = e instanceof ApiError ? e.problem : undefined
      return false
    }
  }
  return { ...query, problem, saved, change }
}
