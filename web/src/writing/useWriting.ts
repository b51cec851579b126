import { computed, inject, nextTick, provide, ref, type InjectionKey, type Ref } from 'vue'
import type { components } from '../api/schema.gen'
import {
  fieldOf,
  readable,
  saidBy,
  withItem,
  withMoved,
  withoutItem,
  withValue,
  type Path,
  type Value,
} from './procedureText'

export type Mistake = components['schemas']['ProcedureMistake']

/** What the form and the text beside it share: one text, of which both are a view. */
function begin(
  text: Ref<string>,
  mistakes: Ref<Mistake[]>,
  known: Ref<components['schemas']['ProcedureChoices'] | undefined>,
) {
  const said = computed(() => saidBy(text.value))
  const open = ref(new Set<string>())
  const change = (next: string) => (text.value = next)
  const at = (path: Path): Value | undefined => {
    let value: Value | undefined = said.value
    for (const part of path) {
      if (value === null || typeof value !== 'object') return undefined
      value = (value as { [name: string]: Value })[part]
    }
    return value
  }
  /** What is wrong with a place itself. */
  const wrongAt = (path: Path) => mistakes.value.filter((m) => m.field === fieldOf(path)).map((m) => m.message)
  /** How much is wrong within a place. */
  const wrongIn = (path: Path) => {
    const field = fieldOf(path)
    return mistakes.value.filter(
      (m) => m.field === field || m.field.startsWith(field + '.') || m.field.startsWith(field + '['),
    ).length
  }
  const toggle = (field: string) => {
    if (!open.value.delete(field)) open.value.add(field)
  }
  /** Opens what a mistake is in, and puts the focus there; false where the form does not show it. */
  async function show(field: string): Promise<boolean> {
    const steps = [...field.matchAll(/[.[]/g)].map((m) => field.slice(0, m.index))
    for (const part of [...steps, field]) open.value.add(part)
    await nextTick()
    for (const part of [field, ...steps.reverse()]) {
      const there = part && document.querySelector<HTMLElement>(`[data-field="${CSS.escape(part)}"]`)
      if (!there) continue
      there.scrollIntoView({ block: 'center' })
      const input = there.matches('input, select, textarea')
        ? there
        : there.querySelector<HTMLElement>('input, select, textarea, button')
      input?.focus({ preventScroll: true })
      return true
    }
    return false
  }
  return {
    text,
    said,
    known,
    open,
    at,
    wrongAt,
    wrongIn,
    toggle,
    show,
    readable: computed(() => readable(text.value) !== undefined),
    set: (path: Path, value: Value | undefined) => change(withValue(text.value, path, value)),
    add: (list: Path, value: Value, before?: number) => change(withItem(text.value, list, value, before)),
    drop: (list: Path, i: number) => change(withoutItem(text.value, list, i)),
    move: (list: Path, from: number, to: number) => change(withMoved(text.value, list, from, to)),
  }
}

type Writing = ReturnType<typeof begin>
const key: InjectionKey<Writing> = Symbol('writing')

/** Begins what a form and a text share, for everything below. */
export function provideWriting(...of: Parameters<typeof begin>): Writing {
  const writing = begin(...of)
  provide(key, writing)
  return writing
}

/** What the form that this is in shares with the text. */
export function useWriting(): Writing {
  const writing = inject(key)
  if (!writing) throw new Error('this stands in a form of a procedure')
  return writing
}
