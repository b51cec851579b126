import { onBeforeUnmount, ref, watch, type Ref } from 'vue'
import { answer, api, ApiError, type LiveFrame, type Run } from '../api/client'
import type { LivePoint } from './useLivePoint'

/** How long until a point's instrument is asked for again, in milliseconds. */
const again = 1500

/**
 * useHold takes hold of the instrument that reads the point on the bench, and has it set: looking at a run sets
 * nothing. One that serves another is left to them, until it is taken over deliberately.
 */
export function useHold(at: Ref<LivePoint | undefined>, frame: Ref<LiveFrame | undefined>, may: () => boolean) {
  const trouble = ref('')
  let asked = 0

  async function hold(takeOver = false) {
    const p = at.value
    if (!p) return
    asked = Date.now()
    const body = { measure: p.measure, point: p.point, take_over: takeOver }
    try {
      await answer(api.POST('/api/runs/{id}/hold', { params: { path: { id: p.run } }, body }))
      trouble.value = ''
    } catch (error) {
      if (!(error instanceof ApiError)) throw error
      // Who holds it stands in the frame; a server that is away is said at the top.
      trouble.value = error.offline || error.problem.code === 'held' ? '' : error.problem.detail
    }
  }
  watch(frame, (f) => {
    if (f?.unset && !f.held && f.status.state === 'alive' && may() && Date.now() - asked > again) hold()
  })
  watch(
    () => at.value && `${at.value.measure} ${at.value.point}`,
    () => {
      asked = 0
      trouble.value = ''
    },
  )
  return { trouble, takeOver: () => hold(true) }
}

/** useRelease lets go of a run's instruments when its bench shows nothing any more that is read over a link. */
export function useRelease(run: () => Run, linked: () => boolean) {
  const release = (id: string) =>
    api.DELETE('/api/runs/{id}/hold', { params: { path: { id } }, keepalive: true }).catch(() => {})
  watch(linked, (is, was) => was && !is && release(run().id))
  const leave = () => linked() && release(run().id)
  window.addEventListener('pagehide', leave) // closed or reloaded
  onBeforeUnmount(() => {
    window.removeEventListener('pagehide', leave)
    leave()
  })
}
