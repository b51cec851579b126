import { nextTick, ref, watch } from 'vue'
import type { Problem } from '../api/client'

/**
 * useWrongField marks the field that a refusal is about, puts the cursor into it, and tells the
 * refusal by the labels that stand on the screen instead of the names that travel.
 */
export function useWrongField(form: () => HTMLElement | null | undefined, problem: () => Problem | undefined) {
  const words = ref('')
  let marked: Element | undefined
  watch(
    problem,
    async (p) => {
      marked?.removeAttribute('aria-invalid')
      marked = undefined
      words.value = p?.detail ?? ''
      await nextTick()
      const fields = form()
      if (!p?.field || !fields) return
      marked = fieldOf(fields, p.field)
      marked?.setAttribute('aria-invalid', 'true')
      if (marked instanceof HTMLElement) marked.focus()
      words.value = p.detail.replace(/“([^”]+)”/g, (quoted, path: string) => {
        const label = fieldOf(fields, path)?.closest('label')?.querySelector('.label')?.textContent?.trim()
        return label ? `“${label}”` : quoted
      })
    },
    { immediate: true },
  )
  return words
}

/** fieldOf finds what a path names: the field itself, its last part, or the first field below it. */
function fieldOf(form: HTMLElement, path: string): Element | undefined {
  const fields = [...form.querySelectorAll('[name]')]
  const named = (fits: (name: string) => boolean) => fields.find((f) => fits(f.getAttribute('name') ?? ''))
  return (
    named((name) => name === path) ??
    named((name) => name === path.split('.').at(-1)) ??
    named((name) => name.startsWith(path + '.') || name.startsWith(path + '['))
  )
}
