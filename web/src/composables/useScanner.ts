import { reactive } from 'vue'

/** How a scanner types: how far apart its keys are at most, in milliseconds, and with which key it ends. */
export interface ScannerManner {
  gap: number
  suffix: 'Enter' | 'Tab' | ''
}

/** What scanners do that nobody was asked about. */
const usual: ScannerManner = { gap: 35, suffix: 'Enter' }

/** The fewest keys that are a scan. */
const least = 4

const kept = 'scanner'
function read(): ScannerManner {
  try {
    return { ...usual, ...JSON.parse(localStorage.getItem(kept) ?? '{}') }
  } catch {
    return usual
  }
}
/** The manner of this browser's scanner, learnt by scanning once. */
export const manner = reactive(read())
export function learn(next: ScannerManner) {
  Object.assign(manner, next)
  localStorage.setItem(kept, JSON.stringify(next))
}

type Field = HTMLInputElement | HTMLTextAreaElement
interface Burst {
  text: string
  at: number
  field?: Field
  before: string // what stood in the field
}
let burst: Burst | undefined
let ends: ReturnType<typeof setTimeout> | undefined
let onScan: (text: string) => void = () => {}

/** Whether a key was pressed by itself, and no others came at a scanner's speed since. */
export const alone = (event: KeyboardEvent) => burst?.text.length === 1 && burst.at === event.timeStamp

export const modifiers = ['Shift', 'CapsLock', 'Control', 'Alt', 'AltGraph', 'Meta', 'NumLock', 'Dead']

function fieldOf(target: EventTarget | null): Field | undefined {
  return target instanceof HTMLInputElement || target instanceof HTMLTextAreaElement ? target : undefined
}

/** Puts back what stood in the field before the scan: a scanned serial is never a reading. */
function restore({ field, before }: Burst) {
  if (!field || field.value === before) return
  field.value = before
  field.dispatchEvent(new Event('input', { bubbles: true }))
}

function finish(scan: Burst) {
  burst = undefined
  // In a dialog nothing opens over what is being written.
  if (scan.field?.closest('[data-scan]') || document.querySelector('[role="dialog"]')) return
  restore(scan)
  onScan(scan.text)
}

let learner: ((event: KeyboardEvent) => boolean) | undefined
/** Hands every key to who learns from it, before anything else; it says which it took. Without one: nobody does. */
export const learning = (by?: (event: KeyboardEvent) => boolean) => (learner = by)

function onKey(event: KeyboardEvent) {
  if (learner?.(event)) {
    event.preventDefault()
    event.stopImmediatePropagation()
    return
  }
  if (modifiers.includes(event.key)) return // a scanner presses Shift for each capital
  const { key, timeStamp: at } = event
  if (event.ctrlKey || event.metaKey || event.altKey) {
    burst = undefined
    return
  }
  const fast = !!burst && at - burst.at <= manner.gap
  clearTimeout(ends)
  if (key.length === 1) {
    if (fast && burst) burst = { ...burst, text: burst.text + key, at }
    else {
      const field = fieldOf(event.target)
      burst = { text: key, at, field, before: field?.value ?? '' }
    }
    const scan = burst
    if (!manner.suffix && scan.text.length >= least) ends = setTimeout(() => finish(scan), 3 * manner.gap)
    return
  }
  const scan = burst
  burst = undefined
  if (key !== (manner.suffix || 'Enter') || !fast || !scan || scan.text.length < least) return
  if (scan.field?.closest('[data-scan]')) return // the field takes it, with its end
  event.preventDefault()
  event.stopImmediatePropagation()
  finish(scan)
}

let listening = false
/** Listens to every key before anything else does. */
export function listenForScans() {
  if (listening) return
  listening = true
  window.addEventListener('keydown', onKey, { capture: true })
}

/** useScanner says what happens when something is scanned anywhere: also inside a field. */
export function useScanner(then: (text: string) => void) {
  onScan = then
  listenForScans()
}

/** What a code is of: the tag at the end of a label’s own link, else the text itself. */
export function scannedName(text: string): string {
  const link = /\/equipment\/([^/?#]+)\/?$/i.exec(text.trim())
  try {
    return (link ? decodeURIComponent(link[1]!) : text).trim().toUpperCase()
  } catch {
    return text.trim().toUpperCase()
  }
}
