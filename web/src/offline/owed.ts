import { answer, api, ApiError } from '../api/client'

/** What a page still owes the server: it was locked or left here while nothing answered. */
export type Owed = 'lock' | 'sign-out'
const kept = 'owed'

/** owe keeps what the server must be told first when it answers again. A reloaded page tells it too. */
export const owe = (what: Owed) => localStorage.setItem(kept, what)

/** forgive: whoever signs in owes nothing. */
export const forgive = () => localStorage.removeItem(kept)

/** pay tells the server what is owed. It throws where nothing answers; what is over already is no trouble. */
export async function pay() {
  const owed = localStorage.getItem(kept)
  try {
    if (owed === 'lock') await answer(api.POST('/api/session/lock'))
    if (owed === 'sign-out') await answer(api.DELETE('/api/session'))
  } catch (error) {
    if (!(error instanceof ApiError) || error.offline || error.problem.status >= 500) throw error
  }
  forgive()
}
