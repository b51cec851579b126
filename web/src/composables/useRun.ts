import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref, type Ref } from 'vue'
import { answer, api, ApiError, type Command, type Problem, type Run } from '../api/client'

export type Order = Omit<Command, 'id' | 'expect'>

const again = 1500

/** newId is a client-made id: a retry with the same one does nothing twice. */
export function newId(): string {
  return crypto.randomUUID?.() ?? Array.from(crypto.getRandomValues(new Uint8Array(16)), (b) => b.toString(16)).join('')
}

/**
 * useRun is a run and its commands. A command that does not reach the server is
 * tried again with the same id until it is answered; what the server refuses is in
 * problem, with the order that caused it, so that it can be confirmed.
 */
export function useRun(id: Ref<string>) {
  const cache = useQueryClient()
  const key = computed(() => ['run', id.value])
  const query = useQuery({
    queryKey: key,
    queryFn: () => answer(api.GET('/api/runs/{id}', { params: { path: { id: id.value } } })),
  })
  const problem = ref<Problem>()
  const refused = ref<Order>()
  const waiting = ref(false)
  const sending = ref(false)

  async function send(order: Order): Promise<boolean> {
    const run = query.data.value
    if (!run || sending.value) return false
    sending.value = true
    problem.value = refused.value = undefined
    const body: Command = { ...order, id: newId(), expect: run.seq }
    const path = { id: run.id }
    try {
      for (;;) {
        try {
          const next = await answer(api.POST('/api/runs/{id}/commands', { params: { path }, body }))
          cache.setQueryData<Run>(['run', run.id], next)
          return true
        } catch (error) {
          if (!(error instanceof ApiError)) throw error
          if (!error.offline) {
            problem.value = error.problem
            refused.value = order
            if (error.problem.code === 'stale') await cache.invalidateQueries({ queryKey: ['run', run.id] })
            return false
          }
          waiting.value = true
          await new Promise((resolve) => setTimeout(resolve, again))
        }
      }
    } finally {
      waiting.value = false
      sending.value = false
    }
  }

  const clear = () => (problem.value = refused.value = undefined)
  return { run: query.data, query, send, problem, refused, waiting, sending, clear }
}

export type RunHandle = ReturnType<typeof useRun>
