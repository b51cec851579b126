import { useSessionStorage } from '@vueuse/core'
import { useSession } from '../composables/useSession'
import { useRunHandle } from './runHandle'

/**
 * useDraft keeps what this person is typing in a part of a run's bench over a reload of the page. drop lets go of it, once
 * it is recorded.
 */
export function useDraft<T extends object>(part: string, empty: () => T) {
  const { run } = useRunHandle()
  const { person } = useSession()
  const key = `draft ${person.value?.id ?? ''} ${run?.value?.id ?? ''} ${part}`
  const draft = useSessionStorage<T>(key, empty(), { writeDefaults: false })
  const drop = () => sessionStorage.removeItem(key)
  return { draft, drop }
}
