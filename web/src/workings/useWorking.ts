import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { refDebounced } from '@vueuse/core'
import { computed, type Ref } from 'vue'
import { ApiError, type Problem } from '../api/client'

/**
 * useWorking computes on the server while its input changes. The input is undefined
 * while something typed is no number yet.
 */
export function useWorking<I, O>(name: string, input: Ref<I | undefined>, call: (input: I) => Promise<O>) {
  const settled = refDebounced(input, 150)
  const query = useQuery({
    queryKey: ['working', name, settled],
    queryFn: () => call(settled.value!),
    enabled: () => settled.value !== undefined,
    placeholderData: keepPreviousData,
    retry: false,
    staleTime: Infinity,
  })
  const problem = computed<Problem | undefined>(() => {
    if (input.value === undefined)
      return { title: '', status: 0, detail: 'Fill in numbers, with a comma or a point; then the result stands here.' }
    const error = query.error.value
    return error instanceof ApiError ? error.problem : undefined
  })
  const result = computed(() => (problem.value ? undefined : query.data.value))
  /** The result still is of what stood there before. */
  const behind = computed(
    () => JSON.stringify(settled.value) !== JSON.stringify(input.value) || query.isPlaceholderData.value,
  )
  return { result, problem, behind }
}
