import { computed, ref } from 'vue'
import { answer, ApiError, type Problem } from '../api/client'

type Call<T> = () => Promise<{ data?: T; error?: unknown; response: Response }>

/** After how many milliseconds something that did not reach the server is sent again. */
const again = 1500

/** What is said of something that is sent once, where nothing answered. */
const notSent =
  'The server does not answer, and has not confirmed this. It stays here: send it again when the server answers.'

/**
 * useSend sends one thing at a time and keeps what was refused, so that nothing typed is lost. What is
 * sent with an id made here may be sent until it is answered: then waiting says that it is under way.
 */
export function useSend() {
  const problem = ref<Problem>()
  const sending = ref(false)
  const waiting = ref(false)
  const trouble = computed(() => problem.value?.detail ?? '')

  async function send<T>(call: Call<T>, until?: 'answered'): Promise<T | undefined> {
    problem.value = undefined
    sending.value = true
    try {
      for (;;) {
        try {
          return await answer(call())
        } catch (error) {
          if (!(error instanceof ApiError)) throw error
          if (!error.offline || !until) {
            problem.value = error.offline ? { ...error.problem, detail: notSent } : error.problem
            return undefined
          }
          waiting.value = true
          await new Promise((resolve) => setTimeout(resolve, again))
        }
      }
    } finally {
      sending.value = waiting.value = false
    }
  }
  /** Says why something is not sent at all. */
  function refuse(detail: string) {
    problem.value = { title: 'Not sent', status: 422, detail }
  }
  const clear = () => (problem.value = undefined)
  return { problem, trouble, sending, waiting, send, refuse, clear }
}
