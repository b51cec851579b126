import { ref } from 'vue'
import { answer, api, ApiError, type Problem } from '../api/client'

/** useForm sends what a form holds, and keeps what was refused, so that nothing typed is lost. */
export function useForm() {
  const problem = ref<Problem>()
  async function send<T>(call: () => Promise<T>): Promise<T | undefined> {
    problem.value = undefined
    try {
      return await call()
    } catch (e) {
      if (!(e instanceof ApiError)) throw e
      problem.value = e.problem
    }
  }
  /** Reads a consumable's label, as a scanner types it: its lot, and its last day. */
  async function readLabel(label: string) {
    const read = await send(() => answer(api.POST('/api/lots/label', { body: { label } })))
    return read && { lot: read.lot, expires: read.expires.slice(0, 10) }
  }
  return { problem, send, readLabel }
}
