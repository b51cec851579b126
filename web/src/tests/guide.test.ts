import { describe, expect, it, vi } from 'vitest'
import GuideView from '../views/GuideView.vue'
import { found, pages } from '../guide/pages'
import { shown } from './page'

/** Every text of the interface, as it is written. */
const written = Object.values(
  import.meta.glob<string>(['../**/*.vue', '../**/*.ts', '!../tests/**', '!../guide/**', '!../api/schema.gen.ts'], {
    eager: true,
    query: '?raw',
    import: 'default',
  }),
)
  .join('\n')
  .replace(/\s+/g, ' ')

describe('the guide', () => {
  it('names nothing that stands nowhere', () => {
    expect(pages.length).toBeGreaterThan(15)
    for (const page of pages) {
      expect(page.title, page.id).not.toBe('')
      expect(page.html, page.id).not.toContain('PICTURE')
      expect(
        page.labels.filter((l) => !written.includes(l.replace(' …', ''))),
        page.id,
      ).toEqual([])
    }
  })
  it('finds a page by its words, the title first', () => {
    expect(found('fault').map((p) => p.id)).toContain('device')
    expect(found('safety notice')[0]!.id).toBe('safety')
    expect(found('xylophone')).toEqual([])
    expect(found('')).toEqual(pages)
  })
  it('shows one page, or all of them to be printed', async () => {
    const print = vi.fn()
    vi.stubGlobal('print', print)
    const one = await shown(GuideView, { page: 'sign' })
    expect(one.page.findAll('article')).toHaveLength(1)
    expect(one.page.get('article').text()).toContain('A signature asks once more who is there')
    expect(one.page.get('article img').attributes('alt')).toBe('A certificate')
    await one.page.get('input').setValue('ferry boat')
    expect(one.page.findAll('nav li').map((l) => l.text())).toEqual(
      ['Plan a day, a week, a year'].slice(0, found('ferry boat').length),
    )
    const all = await shown(GuideView, { page: 'all' })
    expect(all.page.findAll('article')).toHaveLength(pages.length)
    await all.page.get('nav button').trigger('click')
    expect(print).toHaveBeenCalledOnce()
  })
})
