import { onBeforeUnmount, ref } from 'vue'
import { api } from '../api/client'
import type { components } from '../api/schema.gen'
import { useSend } from './useSend'

export type Job = components['schemas']['JobView']

/** Work of the server that takes a while and ends in a file: begun, followed, and stopped. */
export function useJob() {
  const job = ref<Job>()
  const { problem, sending, send, refuse } = useSend()
  let timer: ReturnType<typeof setTimeout> | undefined
  onBeforeUnmount(() => {
    clearTimeout(timer)
    if (job.value?.state === 'running') stop() // whoever leaves does not want it
  })
  async function begin(call: Parameters<typeof send>[0]) {
    job.value = (await send(call)) as Job | undefined
    follow()
  }
  async function follow() {
    const id = job.value?.id
    if (!id || job.value?.state !== 'running') return
    const next = await send(() => api.GET('/api/jobs/{id}', { params: { path: { id } } }))
    if (problem.value?.status === 404) {
      job.value = undefined
      refuse(
        'The server was started anew meanwhile, and what it had begun is gone: nothing was changed. Begin it again.',
      )
      return
    }
    if (problem.value) refuse('The server does not answer. If it was only out of reach, this goes on when it is back.')
    job.value = next ?? job.value
    timer = setTimeout(follow, problem.value ? 1500 : 300)
  }
  async function stop() {
    const path = { id: job.value!.id }
    await send(() => api.POST('/api/jobs/{id}/stop', { params: { path } }))
  }
  return { job, problem, sending, begin, stop }
}
