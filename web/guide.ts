import { resolve } from 'node:path'
import MarkdownIt from 'markdown-it'

/** Where the pictures of the guide lie: they are those of the README. */
const pictures = resolve(import.meta.dirname, '../docs/screenshots')

/**
 * Makes a page of the user guide, written in Markdown, into a module: its title, its text to search in, and its HTML, with
 * its pictures among the built files.
 */
export const guide = {
  name: 'guide',
  transform(text: string, id: string) {
    if (!id.endsWith('.md')) return
    const markdown = new MarkdownIt()
    const shown: string[] = []
    markdown.renderer.rules.image = (tokens, i) => {
      const words = markdown.utils.escapeHtml(tokens[i]!.content)
      shown.push(String(tokens[i]!.attrGet('src')))
      return `<img src="PICTURE${shown.length - 1}." alt="${words}" loading="lazy">`
    }
    const html = markdown.render(text)
    const title = /^# (.*)$/m.exec(text)?.[1] ?? ''
    const labels = [...text.matchAll(/(?<!\*)\*([^*\n]+)\*(?!\*)/g)].map((m) => m[1])
    return [
      ...shown.map((file, i) => `import picture${i} from ${JSON.stringify(resolve(pictures, file))}`),
      `const html = ${JSON.stringify(html)}${shown.map((_, i) => `.replace('PICTURE${i}.', picture${i})`).join('')}`,
      `export default { title: ${JSON.stringify(title)}, text: ${JSON.stringify(text)}, labels: ${JSON.stringify(labels)}, html }`,
    ].join('\n')
  },
}
