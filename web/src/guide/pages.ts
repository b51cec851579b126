/** A page of the user guide: one task. */
export interface GuidePage {
  id: string
  title: string
  text: string
  labels: string[]
  html: string
}

const read = import.meta.glob<Omit<GuidePage, 'id'>>('../../../docs/guide/*.md', { eager: true, import: 'default' })

/** The pages in their order, which their files' names give. */
export const pages: GuidePage[] = Object.entries(read)
  .sort(([a], [b]) => a.localeCompare(b))
  .map(([file, page]) => ({ ...page, id: /\d+-([a-z-]+)\.md$/.exec(file)![1]! }))

/** The pages that have all words of a search, those that have them in the title first. */
export function found(search: string): GuidePage[] {
  const words = search.toLowerCase().split(/\s+/).filter(Boolean)
  const has = (text: string) => words.every((w) => text.toLowerCase().includes(w))
  return pages.filter((p) => has(p.title)).concat(pages.filter((p) => !has(p.title) && has(p.title + ' ' + p.text)))
}
