import { api } from '../api/client'
import type { useSend } from './useSend'

/** useLabel reads a consumable's label, as a scanner types it: its lot, and its last day. */
export function useLabel(send: ReturnType<typeof useSend>['send']) {
  return async (label: string) => {
    const read = await send(() => api.POST('/api/lots/label', { body: { label } }))
    return read && { lot: read.lot, expires: read.expires.slice(0, 10) }
  }
}
