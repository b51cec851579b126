import { useLocalStorage } from '@vueuse/core'
import { onBeforeUnmount, onMounted } from 'vue'
import { realTime } from './useClock'
import { alone, listenForScans, manner } from './useScanner'

export type Keys = Record<string, (event: KeyboardEvent) => void>

const handlers: Keys[] = []
let waiting: ReturnType<typeof setTimeout> | undefined

/** The code of a key that does as Enter does at the bench: a pedal's. Empty: there is none. */
export const pedal = useLocalStorage('pedal', '')

/** How long after a change of step Enter does nothing: it was meant for the step before. */
const settling = 500
let steppedAt = -Infinity

/** Says that another step, or another point, is on the bench. */
export function stepped() {
  steppedAt = performance.now()
}

/** The field of the step on the bench that a reading goes into; null where it has none. */
export const stepField = () => document.querySelector<HTMLElement>('[data-first]')

const inDialog = () => !!document.querySelector('[role="dialog"]')

function typing(target: EventTarget | null): boolean {
  const el = target as HTMLElement | null
  if (!el?.closest || el.closest('[data-keys]')) return false
  return ['TEXTAREA', 'SELECT', 'INPUT'].includes(el.tagName)
}

function run(key: string, event: KeyboardEvent) {
  for (let i = handlers.length - 1; i >= 0; i--) {
    const handler = handlers[i]?.[key]
    if (handler) {
      handler(event)
      return
    }
  }
}

function handled(key: string) {
  return handlers.some((h) => h[key])
}

/** Comes before every field and button: a held Enter, and one that was meant for the step before, do nothing. */
function guard(event: KeyboardEvent) {
  if (event.key !== 'Enter' || inDialog()) return
  const target = event.target as HTMLElement | null
  if (target?.tagName === 'TEXTAREA' && !event.repeat) return
  if (event.repeat || event.timeStamp - steppedAt < realTime(settling)) {
    event.preventDefault()
    event.stopImmediatePropagation()
  }
}

function onKey(event: KeyboardEvent) {
  const digit = /^(?:Digit|Numpad)([1-9])$/.exec(event.code)?.[1]
  if (event.altKey && digit && handled(`Alt ${digit}`)) {
    event.preventDefault()
    return run(`Alt ${digit}`, event)
  }
  if (event.ctrlKey || event.metaKey || event.altKey || event.defaultPrevented || inDialog()) return
  const target = event.target as HTMLElement | null
  if (typing(target)) return
  if (pedal.value && event.code === pedal.value && handled('Enter')) {
    event.preventDefault()
    const before = event.repeat || event.timeStamp - steppedAt < realTime(settling)
    return before ? undefined : run('Enter', event)
  }
  const field = target?.tagName === 'INPUT'
  // A bare digit is always a reading: it goes into the field of the step, or nowhere.
  if (/^[\d.,+-]$/.test(event.key)) {
    if (!field) stepField()?.focus()
    return
  }
  const text = field ? (target as HTMLInputElement).value : ''
  if (event.key === 'Backspace' && field && text !== '') return
  if (event.key === 'Enter' && ['BUTTON', 'A', 'SUMMARY'].includes(target?.tagName ?? '')) return
  const key = event.key.length === 1 ? event.key.toLowerCase() : event.key
  if (!handled(key)) return
  event.preventDefault()
  if (event.repeat) return
  clearTimeout(waiting)
  if (event.key.length > 1) return run(key, event)
  // A letter waits a moment: it may be the first of a scanned tag.
  waiting = setTimeout(() => alone(event) && run(key, event), manner.gap)
}

function listen() {
  listenForScans()
  window.addEventListener('keydown', guard, { capture: true })
  window.addEventListener('keydown', onKey)
}
function leave() {
  window.removeEventListener('keydown', guard, { capture: true })
  window.removeEventListener('keydown', onKey)
}

/** useKeys listens for keys while its component is there. The latest component comes first. */
export function useKeys(keys: Keys) {
  onMounted(() => {
    if (handlers.length === 0) listen()
    handlers.push(keys)
  })
  onBeforeUnmount(() => {
    handlers.splice(handlers.indexOf(keys), 1)
    if (handlers.length === 0) leave()
  })
}
