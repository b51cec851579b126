import { writeFileSync } from 'node:fs'
import { defineConfig } from 'vitest/config'
import vue from '@vitejs/plugin-vue'
import tailwindcss from '@tailwindcss/vite'
import { guide } from './guide'

/** Where the program is served: the same word that tells it so. */
const server = `http://${process.env.NEEDLE_ADDR ?? 'localhost:8360'}`

/** Writes down which packages the built pages are made of, for the list of third parties' work. */
const packages = {
  name: 'packages',
  generateBundle(_: unknown, bundle: Record<string, { type: string; moduleIds?: string[] }>) {
    const names = Object.values(bundle)
      .flatMap((part) => part.moduleIds ?? [])
      .map((id) => /.*node_modules\/((?:@[^/]+\/)?[^/]+)\//.exec(id)?.[1])
    writeFileSync('node_modules/.packages.json', JSON.stringify([...new Set(names.filter(Boolean))].sort()))
  },
}

export default defineConfig({
  plugins: [guide, vue(), tailwindcss(), packages],
  build: { target: 'es2022', modulePreload: { polyfill: false }, assetsInlineLimit: 0 },
  server: {
    fs: { allow: ['..'] },
    proxy: Object.fromEntries(['/api', '/feed', '/schemas', '/openapi.json'].map((path) => [path, server])),
  },
  test: {
    environment: 'happy-dom',
    environmentOptions: { happyDOM: { width: 1280, height: 800 } },
    include: ['src/**/*.test.ts'],
  },
})
