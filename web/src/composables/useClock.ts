import { computed, effectScope, ref } from 'vue'
import { useIntervalFn } from '@vueuse/core'

const offset = ref(0)
const ticking = ref(Date.now())
let running = false

/** setServerTime holds this browser's clock against the server's. */
export function setServerTime(iso: string) {
  offset.value = new Date(iso).getTime() - Date.now()
}

/** useClock is the server's time in milliseconds, four times a second. */
export function useClock() {
  if (!running) {
    running = true
    // In a scope of its own: it goes on when the part of the page that asked first is gone.
    effectScope(true).run(() => useIntervalFn(() => (ticking.value = Date.now()), 250))
  }
  return computed(() => ticking.value + offset.value)
}
