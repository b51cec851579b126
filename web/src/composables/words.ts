/** elapsed puts a stretch of time in words: "4 min", "2 h 10 min", "3 days". */
export function elapsed(ms: number): string {
  const minutes = Math.floor(Math.max(0, ms) / 60_000)
  if (minutes < 1) return 'under 1 min'
  if (minutes < 60) return `${minutes} min`
  const hours = Math.floor(minutes / 60)
  if (hours < 48) return minutes % 60 ? `${hours} h ${minutes % 60} min` : `${hours} h`
  return `${Math.floor(hours / 24)} days`
}

/** counted is a number of things: "1 day", "3 days". */
export const counted = (n: number, of: string) => `${n} ${of}${n === 1 ? '' : 's'}`

/** countdown shows what is left of a timer: "11:24", or "1:02:05". */
export function countdown(ms: number): string {
  const s = Math.max(0, Math.ceil(ms / 1000))
  const two = (n: number) => String(n).padStart(2, '0')
  const h = Math.floor(s / 3600)
  return h ? `${h}:${two(Math.floor(s / 60) % 60)}:${two(s % 60)}` : `${Math.floor(s / 60)}:${two(s % 60)}`
}

/** dueWords says how a due day lies to today. */
export function dueWords(days: number): string {
  if (days === 0) return 'due today'
  if (days === -1) return '1 day overdue'
  if (days < 0) return `${-days} days overdue`
  if (days === 1) return 'due tomorrow'
  return `due in ${days} days`
}

/** ago says how long past a moment is, in days or months. */
export function ago(iso: string | undefined, now: number): string {
  if (!iso) return 'never'
  const days = Math.floor((now - new Date(iso).getTime()) / 86_400_000)
  if (days < 1) return 'today'
  if (days === 1) return 'yesterday'
  return days < 60 ? `${days} days ago` : `${Math.round(days / 30.4)} months ago`
}

/** decimals is how many decimals a resolution needs. */
export function decimals(resolution: number): number {
  for (let n = 0; n < 9; n++) {
    const scaled = resolution * 10 ** n
    if (Math.abs(scaled - Math.round(scaled)) < 1e-6 && Math.round(scaled) > 0) return n
  }
  return 3
}

/** shown writes a number at a resolution, with a typographic minus. */
export function shown(value: number | undefined | null, resolution: number, signed = false): string {
  if (value === undefined || value === null || !Number.isFinite(value)) return ''
  const text = value.toFixed(decimals(resolution))
  const zero = Number(text) === 0
  const plain = zero ? text.replace('-', '') : text.replace('-', '−')
  return signed && !zero && value > 0 ? '+' + plain : plain
}

/** indicated is what a device showed: a mean that its display has no place for stands a digit finer, as on paper. */
export function indicated(v: number, resolution: number): string {
  const steps = v / resolution
  return shown(v, Math.abs(steps - Math.round(steps)) > 1e-6 ? resolution / 10 : resolution)
}

/** places is how many decimals show so many significant digits. */
const places = (value: number, digits: number) =>
  value === 0 ? 0 : Math.max(0, digits - 1 - Math.floor(Math.log10(Math.abs(value))))

/**
 * brief writes an error or a limit: three digits that count, and none finer than the resolution
 * given. 15.498 mL/h is 15.5, 0.312 is 0.312.
 */
export function brief(value: number | undefined | null, resolution: number, signed = false): string {
  if (value === undefined || value === null || !Number.isFinite(value)) return ''
  return shown(value, 10 ** -Math.min(places(value, 3), decimals(resolution)), signed)
}

/** localTime is the hour and minute, where the technician is. */
export function localTime(iso: string | undefined): string {
  return iso ? new Date(iso).toLocaleTimeString([], { hour: '2-digit', minute: '2-digit', hour12: false }) : ''
}

/**
 * clockTime is a time of day as it is typed, written as 08:05: "8", "8.05", "805" and "8:5" are
 * understood. What is none stays as it was typed, for the server to say so.
 */
export function clockTime(typed: string): string {
  const text = typed.trim()
  const parts =
    /^(\d{1,2})[:.,h ](\d{1,2})$/.exec(text) ?? /^(\d{1,2})(\d{2})$/.exec(text) ?? /^(\d{1,2})()$/.exec(text)
  if (!parts || Number(parts[1]) > 23 || Number(parts[2]) > 59) return text
  return `${parts[1]!.padStart(2, '0')}:${(parts[2] || '0').padStart(2, '0')}`
}

/** isoDay is the day that a date is here, as a date field has it: 2026-11-24. */
export function isoDay(d: Date): string {
  return `${d.getFullYear()}-${String(d.getMonth() + 1).padStart(2, '0')}-${String(d.getDate()).padStart(2, '0')}`
}

const day: Intl.DateTimeFormatOptions = { day: 'numeric', month: 'short', year: 'numeric' }

/** dayWords is a day as it is written here, 24 Nov 2026: that of the workshop, wherever the browser is. */
export const dayWords = (date: string | undefined, shape: Intl.DateTimeFormatOptions = day) =>
  date ? new Date(date.slice(0, 10) + 'T00:00:00').toLocaleDateString('en-GB', shape) : ''

/** localDay is the day of an instant, where the browser is. */
export function localDay(iso: string | undefined): string {
  return iso ? new Date(iso).toLocaleDateString('en-GB', day) : ''
}

/** limitsWords is a tolerance as it is read: ≤ and ≥ for what is typed as <= and >=. */
export const limitsWords = (tolerance: string) =>
  tolerance
    .replaceAll('<=', '≤')
    .replaceAll('>=', '≥')
    .replace(/(\d)\.\.(\d)/, '$1 to $2')

/** windowWords are limits on what is shown: "≤ 300", "20 to 200". */
export function windowWords(e: { low?: number; high?: number }, step: number): string {
  if (e.low !== undefined && e.high !== undefined) return `${brief(e.low, step)} to ${brief(e.high, step)}`
  if (e.high !== undefined) return `≤ ${brief(e.high, step)}`
  return e.low !== undefined ? `≥ ${brief(e.low, step)}` : ''
}

/** familyWords is a family's name as it is read: "patient-scale" is "patient scale". */
export function familyWords(family: string): string {
  return family.replaceAll('-', ' ')
}

const units: Record<string, string> = {
  '%{vol}': 'vol%',
  '[ppm]': 'ppm',
  'cm[H2O]': 'cmH₂O',
  'mm[Hg]': 'mmHg',
  'L/cm[H2O]': 'L/cmH₂O',
  Cel: '°C',
  '[degF]': '°F',
  'dB[SPL]': 'dB SPL',
  'dB{HL}': 'dB HL',
  '[pH]': '',
  uL: 'µL',
  'umol/L': 'µmol/L',
  mOhm: 'mΩ',
  MOhm: 'MΩ',
  uA: 'µA',
  '1': '',
}

/** unitWords is a UCUM code as it is read. */
export function unitWords(code: string): string {
  return units[code] ?? code
}

/** numberIn reads what was typed, with a comma or a point; NaN where it is no number. */
export function numberIn(text: string): number {
  const clean = text.trim().replace('−', '-').replace(',', '.')
  return clean === '' ? Number.NaN : Number(clean)
}

/** significant writes a number with so many significant digits, never as a power of ten where that can be helped. */
export function significant(value: number | undefined, digits = 4): string {
  if (value === undefined || !Number.isFinite(value)) return '–'
  if (value === 0) return '0'
  return value.toFixed(Math.min(12, places(value, digits))).replace('-', '−')
}

const shapes: Record<string, string> = {
  none: 'Every error lies within its own uncertainty.',
  offset: 'The same error everywhere: an offset.',
  gain: 'The error grows with the level: a gain.',
  both: 'An offset together with a gain.',
  bent: 'The errors follow no straight line.',
  hysteresis: 'It reads differently on the way up and on the way down.',
  scatter: 'The readings at one level do not agree: scatter.',
  unknown: 'Too few levels to tell what the error is made of.',
}

/** shapeWords says what an error looks like across the levels. */
export function shapeWords(shape: string | undefined): string {
  return shapes[shape ?? ''] ?? ''
}
