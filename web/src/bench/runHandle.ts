import { inject, provide, type InjectionKey } from 'vue'
import type { RunHandle } from '../composables/useRun'

const key: InjectionKey<RunHandle> = Symbol('run')

/** provideRun and useRunHandle hand one run to every part of its bench. */
export const provideRun = (handle: RunHandle) => provide(key, handle)

export function useRunHandle(): RunHandle {
  const handle = inject(key)
  if (!handle) throw new Error('no run on this bench')
  return handle
}
