/**
 * useLatest saves changes one after another, never two at once. What is changed while one is under way is kept together, each
 * thing as it was wished last, and goes out next: two quick ticks lose nobody. Whoever is told true was the last to wait.
 */
export function useLatest<C extends object>(save: (change: C) => Promise<void>) {
  let next: C | undefined
  let underWay = false
  async function change(wish: C) {
    next = { ...next, ...wish } as C
    if (underWay) return false
    underWay = true
    try {
      while (next) {
        const now: C = next
        next = undefined
        await save(now)
      }
      return true
    } finally {
      underWay = false
    }
  }
  return { change }
}
