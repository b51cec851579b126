import { onBeforeUnmount, ref } from 'vue'
import { api } from '../api/client'
import { useCached } from '../api/queries'
import type { components } from '../api/schema.gen'
import { useSend } from './useSend'

export type Import = components['schemas']['ImportView']
type Read = Parameters<ReturnType<typeof useSend>['send']>[0]

/** Something that is read first, shown, and then taken in or stopped: a list, or a change of many devices together. */
export function useImport() {
  const { refreshAll } = useCached()
  const state = ref<Import>()
  const { trouble, problem, sending, send } = useSend()
  let timer: ReturnType<typeof setTimeout> | undefined
  onBeforeUnmount(() => clearTimeout(timer))

  async function read(call: Read) {
    state.value = (await send(call)) as Import | undefined
  }
  async function go(forward: boolean, reason = '') {
    const id = state.value!.id
    state.value =
      (await send(() => api.POST('/api/imports/{id}', { params: { path: { id } }, body: { go: forward, reason } }))) ??
      state.value
    watchIt()
  }
  async function watchIt() {
    const s = state.value
    if (!s || s.state !== 'running') {
      refreshAll()
      return
    }
    timer = setTimeout(async () => {
      state.value = (await send(() => api.GET('/api/imports/{id}', { params: { path: { id: s.id } } }))) ?? state.value
      watchIt()
    }, 300)
  }
  return { state, trouble, problem, sending, read, go }
}
