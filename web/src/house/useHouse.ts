import { ref } from 'vue'
import { useQuery } from '@tanstack/vue-query'
import { queries, useCached } from '../api/queries'
import type { components } from '../api/schema.gen'
import { useSend } from '../composables/useSend'

export type House = components['schemas']['HouseView']

/** useHouse is how the workshop is set up, and a way to change it that keeps what was refused. */
export function useHouse() {
  const { keep } = useCached()
  const query = useQuery(queries.house())
  const { problem, send } = useSend()
  const saved = ref('')
  async function change(call: Parameters<typeof send<House>>[0], words: string): Promise<boolean> {
    saved.value = ''
    const house = await send(call)
    if (!house) return false
    keep('house', house)
    saved.value = words
    return true
  }
  return { ...query, problem, saved, change }
}
