import { useQuery } from '@tanstack/vue-query'
import { ref, type Ref } from 'vue'
import { api, type Command } from '../api/client'
import { queries, useCached } from '../api/queries'
import { useSend } from './useSend'

export type Order = Omit<Command, 'id' | 'expect'>

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
  const { refresh, keep } = useCached()
  const query = useQuery(queries.run(id))
  const { problem, waiting, sending, send: sent, clear: forget } = useSend()
  const refused = ref<Order>()

  async function send(order: Order): Promise<boolean> {
    const run = query.data.value
    if (!run || sending.value) return false
    refused.value = undefined
    const body: Command = { ...order, id: newId(), expect: run.seq }
    const params = { path: { id: run.id } }
    const next = await sent(() => api.POST('/api/runs/{id}/commands', { params, body }), 'answered')
    if (next) {
      keep('run', next, run.id)
      return true
    }
    refused.value = order
    if (problem.value?.code === 'stale') await refresh('run')
    return false
  }

  function clear() {
    forget()
    refused.value = undefined
  }
  return { run: query.data, query, send, problem, refused, waiting, sending, clear }
}

export type RunHandle = ReturnType<typeof useRun>
