import { api } from '../api/client'
import { saidBy, withValue, type Value } from './procedureText'

/** beginDraft keeps a text as a new draft; its id is made once, so that sending it again begins no second one. */
export const beginDraft = (id: string, text: string, why: string) =>
  api.PUT('/api/drafts/{id}', { params: { path: { id } }, body: { text, why } })

/** The text with the next revision's number. */
export const asRevision = (text: string, revision: number): string => withValue(text, ['revision'], revision)

/** The text as a procedure of its own: another id, revision 1. */
export function asAnother(text: string, title: string): string {
  const id = title
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-+|-+$/g, '')
  const named: [string, Value][] = [
    ['id', id || 'my-procedure'],
    ['revision', 1],
    ['title', title],
  ]
  const said = saidBy(text)
  return said ? named.reduce((t, [field, value]) => withValue(t, [field], value), text) : text
}
