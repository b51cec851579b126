import { onBeforeUnmount, onMounted } from 'vue'

export type Keys = Record<string, (event: KeyboardEvent) => void>

const handlers: Keys[] = []
let scanned = ''
let lastAt = 0
let waiting: ReturnType<typeof setTimeout> | undefined
let onScan: (text: string) => void = () => {}

/** A barcode scanner types much faster than a person, and ends with Enter. */
const scanGap = 35

function typing(target: EventTarget | null): boolean {
  const el = target as HTMLElement | null
  if (!el || el.closest('[data-keys]')) return false
  return el.tagName === 'TEXTAREA' || el.tagName === 'SELECT' || (el.tagName === 'INPUT' && !el.closest('[data-keys]'))
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

function onKey(event: KeyboardEvent) {
  // In a field a digit is typed; with Alt it switches to a run all the same.
  const digit = /^Digit([1-9])$/.exec(event.code)?.[1]
  if (event.altKey && digit && handled(digit)) {
    event.preventDefault()
    return run(digit, event)
  }
  if (event.ctrlKey || event.metaKey || event.altKey || event.defaultPrevented || typing(event.target)) return
  if (document.querySelector('[role="dialog"]')) return
  const fast = event.timeStamp - lastAt < scanGap
  lastAt = event.timeStamp
  if (event.key === 'Enter' && fast && scanned.length >= 4) {
    clearTimeout(waiting)
    event.preventDefault()
    onScan(scanned)
    scanned = ''
    return
  }
  if (event.key.length === 1) {
    scanned = fast ? scanned + event.key : event.key
    if (fast) clearTimeout(waiting)
  } else {
    scanned = ''
  }
  const field = (event.target as HTMLElement | null)?.tagName === 'INPUT'
  const text = field ? (event.target as HTMLInputElement).value : ''
  if (event.key === 'Backspace' && field && text !== '') return
  if (event.key === 'Enter' && ['BUTTON', 'A', 'SUMMARY'].includes((event.target as HTMLElement)?.tagName)) return
  const key = event.key.length === 1 ? event.key.toLowerCase() : event.key
  if (!handled(key) || (field && /[\d.,+-]/.test(key))) return
  event.preventDefault()
  if (event.key.length > 1) run(key, event)
  // A letter waits a moment: it may be the first of a scanned tag.
  else waiting = setTimeout(() => run(key, event), fast ? scanGap * 2 : scanGap)
}

/** useKeys listens for keys while its component is there. The latest component comes first. */
export function useKeys(keys: Keys) {
  onMounted(() => {
    if (handlers.length === 0) window.addEventListener('keydown', onKey)
    handlers.push(keys)
  })
  onBeforeUnmount(() => {
    handlers.splice(handlers.indexOf(keys), 1)
    if (handlers.length === 0) window.removeEventListener('keydown', onKey)
  })
}

/** useScanner says what happens when a tag is scanned anywhere. */
export function useScanner(then: (text: string) => void) {
  onScan = then
}
