import { nextTick, onBeforeUnmount, onMounted, watch, type Ref } from 'vue'
import { stepField, stepped } from './useKeys'

/** What a tap is meant for by itself. */
const own = 'a, button, input, select, textarea, summary, label, [tabindex]'

/**
 * useStepFocus keeps the cursor in the field of the step on the bench: after a change of step or run, after a dialog,
 * after a tap beside it, and on coming back to the page.
 */
export function useStepFocus(work: Ref<HTMLElement | undefined>, step: () => string, dialog: () => unknown) {
  /** Nobody is writing anywhere else. */
  const free = () => {
    const at = document.activeElement as HTMLElement | null
    const writing = !!at?.matches('input, textarea, select') && at.isConnected
    return !writing && !document.querySelector('[role="dialog"], [role="menu"]')
  }
  function focus() {
    if (!free()) return
    const field = stepField()
    if (field) field.focus()
    else (document.activeElement as HTMLElement | null)?.blur()
  }
  async function change() {
    stepped()
    const at = document.activeElement as HTMLElement | null
    if (at && work.value?.contains(at)) at.blur() // it belonged to the step before
    await nextTick()
    focus()
  }
  watch(step, change)
  watch(dialog, async (open) => {
    if (open) return
    await nextTick()
    setTimeout(focus) // the dialog gives the focus back to where it was first
  })
  const back = () => document.visibilityState === 'visible' && focus()
  const tap = (event: Event) => {
    const at = event.target as HTMLElement | null
    if (work.value?.contains(at) && !at?.closest(own)) setTimeout(focus)
  }
  onMounted(() => {
    stepped()
    nextTick(focus)
    window.addEventListener('focus', back)
    document.addEventListener('visibilitychange', back)
    document.addEventListener('click', tap)
  })
  onBeforeUnmount(() => {
    window.removeEventListener('focus', back)
    document.removeEventListener('visibilitychange', back)
    document.removeEventListener('click', tap)
  })
}
