import { toValue, type MaybeRefOrGetter } from 'vue'

interface Unkept {
  text: string
  why: string
  version: number
}

/** useUnkept holds what was written in a draft and not kept yet in this browser, so that a reload or a closed page loses nothing. */
export function useUnkept(id: MaybeRefOrGetter<string>) {
  const key = () => `draft/${toValue(id)}`
  return {
    hold: (what: Unkept) => localStorage.setItem(key(), JSON.stringify(what)),
    forget: () => localStorage.removeItem(key()),
    found(): Unkept | undefined {
      const held = localStorage.getItem(key())
      return held ? (JSON.parse(held) as Unkept) : undefined
    },
  }
}
