import { isCollection, isSeq, parseDocument, visit, type Document } from 'yaml'

/** Where something stands in a procedure: ['steps', 3, 'points', 0, 'at']. */
export type Path = (string | number)[]
/** What stands there. */
export type Value = string | number | boolean | null | Value[] | { [name: string]: Value }

/** The procedure as it is written, ready to be looked into and changed; undefined while it cannot be read. */
export function readable(text: string): Document.Parsed | undefined {
  const document = parseDocument(text, { prettyErrors: false })
  return document.errors.length || !isCollection(document.contents) ? undefined : (document as Document.Parsed)
}

/** What the whole text says, as plain values; undefined while it cannot be read. */
export function saidBy(text: string): { [name: string]: Value } | undefined {
  const said: unknown = readable(text)?.toJS()
  return said && typeof said === 'object' && !Array.isArray(said) ? (said as { [name: string]: Value }) : undefined
}

/** The text of a changed document, in the manner in which procedures are written; remarks stay where they are. */
function written(document: Document): string {
  const text = document.toString({ lineWidth: 0 })
  const spaces: number[] = []
  visit(parseDocument(text), {
    Seq: (_, seq) => {
      if (!seq.flow || !seq.range || !seq.items.length) return
      const [from, to] = [seq.range[0] + 1, seq.range[1] - 2]
      if (text[from] === ' ') spaces.push(from)
      if (text[to] === ' ') spaces.push(to)
    },
  })
  const dropped = new Set(spaces)
  return text
    .split('')
    .filter((_, i) => !dropped.has(i))
    .join('')
}

function changed(text: string, change: (document: Document.Parsed) => void): string {
  const document = readable(text)
  if (!document) return text
  change(document)
  return written(document)
}

/** The text with a value at a place; undefined takes it away. */
export const withValue = (text: string, path: Path, value: Value | undefined): string =>
  changed(text, (document) => {
    if (value === undefined) document.deleteIn(path)
    else {
      const before = document.getIn(path, true)
      const plain = typeof value !== 'object' || value === null
      if (plain && before && typeof before === 'object' && 'value' in before) before.value = value
      else document.setIn(path, document.createNode(value))
    }
  })

/** The text with a value put into a list, before the one at a place; at its end where none is named. */
export const withItem = (text: string, list: Path, value: Value, at?: number): string =>
  changed(text, (document) => {
    const seq = document.getIn(list)
    const item = document.createNode(value)
    if (isSeq(seq)) seq.items.splice(at ?? seq.items.length, 0, item)
    else document.setIn(list, document.createNode([value]))
  })

/** The text without an item of a list. */
export const withoutItem = (text: string, list: Path, at: number): string =>
  changed(text, (document) => {
    const seq = document.getIn(list)
    if (!isSeq(seq)) return
    if (seq.items.length === 1) document.deleteIn(list)
    else seq.items.splice(at, 1)
  })

/** The text with an item of a list moved to another place in it. */
export const withMoved = (text: string, list: Path, from: number, to: number): string =>
  changed(text, (document) => {
    const seq = document.getIn(list)
    if (isSeq(seq) && to >= 0 && to < seq.items.length) seq.items.splice(to, 0, ...seq.items.splice(from, 1))
  })

/** A path as mistakes name it: steps[3].points[0].at. */
export const fieldOf = (path: Path): string =>
  path
    .map((part) => (typeof part === 'number' ? `[${part}]` : `.${part}`))
    .join('')
    .replace(/^\./, '')

/** The path of a place as mistakes name it. */
export const pathOf = (field: string): Path =>
  field.split(/[.[\]]+/).flatMap((part) => (part === '' ? [] : [/^\d+$/.test(part) ? Number(part) : part]))

/** The line of a place in the text, from 1 on; of the nearest thing around it that exists. */
export function lineOf(text: string, path: Path): number {
  const document = readable(text)
  for (let part = path; document && part.length; part = part.slice(0, -1)) {
    const node = document.getIn(part, true)
    if (node && typeof node === 'object' && 'range' in node && Array.isArray(node.range))
      return text.slice(0, node.range[0] as number).split('\n').length
  }
  return 1
}
