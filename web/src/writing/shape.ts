import schema from '../../../internal/definition/schema.json'
import type { components } from '../api/schema.gen'
import type { Value } from './procedureText'

/** What a part of a procedure looks like, by the published schema of procedures. */
export interface Shape {
  $ref?: string
  type?: string
  description?: string
  enum?: string[]
  properties?: { [name: string]: Shape }
  required?: string[]
  items?: Shape
  additionalProperties?: Shape | boolean
  oneOf?: Shape[]
  anyOf?: Shape[]
}

const definitions = schema.$defs as unknown as { [name: string]: Shape }

/** A shape, with the name of its definition where it has one. */
export function resolved(shape: Shape): Shape & { name?: string } {
  const name = shape.$ref?.split('/').pop()
  return name ? { ...definitions[name]!, description: shape.description ?? '', name } : shape
}

export const whole: Shape = { $ref: '#/$defs/Definition' }

/** The kinds of step in words, by the key that names each. */
export const stepKinds: { [key: string]: { shape: string; words: string; fresh: { [name: string]: Value } } } = {
  check: { shape: 'CheckStep', words: 'Look', fresh: { check: 'What is looked at' } },
  act: { shape: 'ActStep', words: 'Do', fresh: { act: 'What is done' } },
  wait: {
    shape: 'WaitStep',
    words: 'Wait',
    fresh: { wait: 'Warm up', minutes: 10, why: 'it drifts while it is cold' },
  },
  ambient: { shape: 'AmbientStep', words: 'Room', fresh: { ambient: 'Room conditions' } },
  record: {
    shape: 'RecordStep',
    words: 'Note',
    fresh: {
      record: 'Data plate',
      fields: [{ id: 'version', label: 'Software version', text: true, keeps: 'software' }],
    },
  },
  measure: {
    shape: 'Measure',
    words: 'Measure',
    fresh: {
      measure: 'reading',
      title: 'Reading',
      method: 'compare',
      unit: 'Cel',
      resolution: 0.1,
      tolerance: '±0.5',
      points: [{ label: 'first point', at: '0', u: 0.1 }],
    },
  },
  finding: { shape: 'Finding', words: 'Judge', fresh: { finding: 'judged', title: 'Judged', judges: [] } },
}

/** The kind of a step by its key; undefined where it names none, or several. */
export function kindOf(step: Value): string | undefined {
  if (!step || typeof step !== 'object' || Array.isArray(step)) return undefined
  const keys = Object.keys(stepKinds).filter((k) => k in step)
  return keys.length === 1 ? keys[0] : undefined
}

export const shapeOf = (definition: string): Shape => ({ $ref: `#/$defs/${definition}` })

/** What is shown of a part before anything is in it, besides what it must have. The rest can be added. */
const usual: { [definition: string]: string[] } = {
  Definition: ['summary', 'review'],
  CheckStep: ['do', 'symptom'],
  ActStep: ['do', 'opens', 'closes'],
  WaitStep: ['do'],
  AmbientStep: [],
  RecordStep: ['do', 'fields'],
  Measure: ['title', 'do', 'role', 'quantity', 'set_up'],
  Finding: ['title', 'causes', 'outside'],
  Role: ['needs', 'tur'],
  Next: ['months', 'why'],
}

/** What stands elsewhere on the form, and is not shown with the rest. */
const apart: { [definition: string]: string[] } = {
  Definition: ['steps', 'roles', 'cautions', 'next'],
  Measure: ['points'],
}

/** The names of fields in words, where the name alone does not say it. */
const words: { [name: string]: string } = {
  id: 'short name (id)',
  at: 'at',
  u: 'U (k = 2)',
  do: 'how',
  tur: 'least tolerance ÷ U',
  act: 'what is done',
  check: 'what is looked at',
  wait: 'what is waited for',
  ambient: 'title',
  record: 'title',
  measure: 'short name (id)',
  finding: 'short name (id)',
  role: 'role',
  set_up: 'to look at first, when far out',
  when: 'only where',
  opens: 'what is open from then on',
  closes: 'what it closes',
  outside: 'causes outside the device',
  schools: 'other tolerances in use',
  u_pressure_hpa: 'U of the pressure, hPa',
  max_rounds: 'rounds of adjustment',
  tur_floor: 'least tolerance ÷ U',
  also: 'further',
  in: 'taken in',
  maintains: 'it only exchanges or cleans',
  shared: 'for devices of every family',
  happens: 'what the work does to the device',
  states: 'said on the certificate',
  label: 'words',
  policy: 'when it is adjusted',
  rule: 'how it is judged',
  review: 'countersigned',
  values: 'figures by choice',
  limits: 'limits by choice',
  parts: 'parts',
}

/** A field's name in words. */
export const nameOf = (name: string, definition?: string): string =>
  definition === 'Definition' && name === 'label' ? 'on the label' : (words[name] ?? name.replaceAll('_', ' '))

/** What is wanted of a field, where the schema says it for programmers. */
const hints: { [name: string]: string } = {
  title: '',
  do: '',
  act: '',
  check: '',
  wait: '',
  ambient: '',
  record: '',
  measure: '',
  finding: '',
  method: '',
  pattern: '',
  id: 'made from the title where it is left empty',
  resolution: 'the step of the display',
  tolerance: '±0.5 · ±5 % of reading · max(±1, ±2 % of reading) · <= 30; or the name of a table',
  jump: 'how far it may be from the earlier value, written as a tolerance',
  unit: 'as UCUM writes it: Cel, mm[Hg], L/min',
  at: 'a number, what a role is certified for (mixture.CO), or 25 % of a noted figure',
}

/** What is wanted of a field. */
export const hintOf = (shape: Shape, name: string): string =>
  shape.$ref ? '' : (hints[name] ?? shape.description ?? '')

const without = (value: Value | undefined) => (value && typeof value === 'object' && !Array.isArray(value) ? value : {})

/** The fields of a part that are shown, and those that can be added. */
export function fieldsOf(shape: Shape, value: Value | undefined) {
  const is = resolved(shape)
  const there = without(value)
  const key = is.name?.endsWith('Step') || is.name === 'Measure' || is.name === 'Finding'
  const all = Object.keys(is.properties ?? {}).filter((f) => !apart[is.name ?? '']?.includes(f))
  const wanted = new Set([...(is.required ?? []), ...(usual[is.name ?? ''] ?? []), ...Object.keys(there)])
  const first = key ? (is.required ?? []).slice(0, 1) : []
  const shown = [...first, ...all.filter((f) => wanted.has(f) && !first.includes(f))]
  return { shown, more: all.filter((f) => !wanted.has(f)), definition: is.name }
}

/** Whether a list is shown as a table: its items are short, and alike. */
export const isTable = (definition?: string) =>
  ['Point', 'Need', 'Option', 'ExchangedPart', 'AlternativeTolerance', 'Field', 'ReplaceablePart'].includes(
    definition ?? '',
  )

/** What a new item of a list begins as. */
export const fresh: { [definition: string]: Value } = {
  Role: { role: 'reference', title: 'Reference', kind: 'thermometer', needs: [] },
  Need: { quantity: 'temperature', from: 20, to: 45, unit: 'Cel' },
  Point: { label: 'another point', at: '0' },
  Field: { id: 'figure', label: 'A figure', unit: '1' },
  Option: { id: 'one', title: 'One' },
  ExchangedPart: { id: 'part', title: 'Part' },
  AlternativeTolerance: { title: 'Whose', tolerance: '±0.5' },
  Control: { id: 'trim', label: 'Trim', kind: 'offset', step: 0.1, range: 1 },
  Preparation: { by: 'procedure', finding: 'finding', title: 'zeroed', hours: 8 },
  ReplaceablePart: { id: 'sensor', title: 'Another sensor', invalidates: [] },
  Happening: { event: 'repair', opened: 'what is open', words: 'What the certificate says' },
  LimitRow: { when: {}, tolerance: '±0.5' },
  ValueRow: { when: 'option', value: 0 },
}

type Choices = components['schemas']['ProcedureChoices']
export interface Pick {
  name: string
  words?: string
}

const listed = (value: Value | undefined) => (Array.isArray(value) ? value.map(without) : [])
const texts = (values: (Value | undefined)[]) =>
  values.flatMap((v) => (Array.isArray(v) ? v : [v])).filter((v): v is string => typeof v === 'string' && v !== '')

/** What a field can name: what the program knows, and what stands elsewhere in the same procedure. Closed: nothing else will do. */
export function picksOf(
  definition: string | undefined,
  field: string,
  said: { [name: string]: Value },
  known?: Choices,
): { picks: Pick[]; closed?: boolean } | undefined {
  const steps = listed(said.steps)
  const roles = () => listed(said.roles).map((r) => ({ name: String(r.role), words: String(r.title ?? '') }))
  const idsOf = (kind: string) =>
    steps.filter((s) => kind in s).map((s) => ({ name: String(s.id ?? s[kind]), words: String(s.title ?? '') }))
  const fields = () => steps.flatMap((s) => listed(s.fields))
  switch (`${definition}.${field}`) {
    case 'Definition.family':
      return { picks: known?.families ?? [] }
    case 'Role.kind':
      return { picks: known?.kinds ?? [] }
    case 'Measure.method':
      return { picks: known?.methods ?? [], closed: true }
    case 'Measure.tolerance':
      return { picks: known?.tables ?? [] }
    case 'Finding.pattern':
      return { picks: known?.patterns ?? [], closed: true }
    case 'Capture.kind':
      return { picks: known?.captures ?? [], closed: true }
    case 'Capture.instrument':
      return { picks: known?.instruments ?? [] }
    case 'Measure.role':
    case 'Point.role':
    case 'Capture.role':
    case 'Finding.of':
      return { picks: roles(), closed: true }
    case 'Finding.judges':
    case 'Control.on':
    case 'Measure.pair':
    case 'ActStep.vessels':
      return { picks: idsOf('measure'), closed: true }
    case 'Next.within':
      return { picks: roles(), closed: true }
  }
  if (field === 'unit' || field === 'reads') return { picks: known?.units ?? [] }
  if (field === 'quantity') return { picks: known?.quantities ?? [] }
  if (field === 'closes') return { picks: texts(steps.map((s) => s.opens)).map((name) => ({ name })), closed: true }
  if (field === 'when')
    return {
      picks: [
        ...listed(said.roles)
          .filter((r) => r.optional)
          .map((r) => ({ name: String(r.role), words: 'it is there' })),
        ...fields().flatMap((f) =>
          listed(f.options).map((o) => ({ name: `${String(f.id)} = ${String(o.id)}`, words: String(o.title ?? '') })),
        ),
      ],
    }
  return undefined
}
