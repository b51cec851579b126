import { createHash } from 'node:crypto'
import { readFileSync, writeFileSync } from 'node:fs'
import { defineConfig } from 'vitest/config'
import vue from '@vitejs/plugin-vue'
import tailwindcss from '@tailwindcss/vite'
import { VitePWA } from 'vite-plugin-pwa'
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

/** By which contract the server answers: what a page of another one kept is not read. */
const contract = createHash('sha256').update(readFileSync('../docs/openapi.json')).digest('hex').slice(0, 16)

/** The pages as a program of their own on a tablet or phone, that opens without a network. */
const installable = VitePWA({
  registerType: 'prompt',
  injectRegister: false,
  manifest: {
    name: 'North Needle',
    short_name: 'Needle',
    description: 'Verifies and calibrates devices of care against reference standards.',
    lang: 'en',
    start_url: '/',
    display: 'standalone',
    background_color: '#f4f1e8',
    theme_color: '#f4f1e8',
    icons: [
      { src: '/needle.svg', sizes: 'any', type: 'image/svg+xml' },
      { src: '/needle-192.png', sizes: '192x192', type: 'image/png' },
      { src: '/needle-512.png', sizes: '512x512', type: 'image/png', purpose: 'any maskable' },
    ],
  },
  workbox: {
    globPatterns: ['**/*.{js,css,html,svg,woff2,wasm}'],
    maximumFileSizeToCacheInBytes: 4_000_000,
    // What the server answers itself is never a page kept here.
    navigateFallbackDenylist: [/^\/(api|feed|schemas|sign-in)\//, /^\/(healthz|openapi\.json)$/],
  },
})

export default defineConfig({
  define: { __BUILD__: JSON.stringify(contract) },
  plugins: [guide, vue(), tailwindcss(), installable, packages],
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
