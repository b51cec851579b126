import { computed, effectScope, ref } from 'vue'
import { useIntervalFn } from '@vueuse/core'

const base = ref({ server: Date.now(), here: Date.now(), speed: 1 })
const ticking = ref(Date.now())
let running = false

/** setServerTime holds this browser's clock against the server's, which may run faster (in a rehearsal). */
export function setServerTime(iso: string, speed = base.value.speed) {
  base.value = { server: new Date(iso).getTime(), here: Date.now(), speed }
}

/** serverTime is the server's time now, in milliseconds, as this browser reckons it. */
export const serverTime = () => base.value.server + (Date.now() - base.value.here) * base.value.speed

/** realTime is how long so many of the server's milliseconds last here. */
export const realTime = (ms: number) => ms / base.value.speed

/** useClock is the server's time in milliseconds, four times a second. */
export function useClock() {
  if (!running) {
    running = true
    // In a scope of its own: it goes on when the part of the page that asked first is gone.
    effectScope(true).run(() => useIntervalFn(() => (ticking.value = Date.now()), 250))
  }
  return computed(() => base.value.server + (ticking.value - base.value.here) * base.value.speed)
}
