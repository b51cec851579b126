import { defineConfig } from 'vitest/config'
import vue from '@vitejs/plugin-vue'
import tailwindcss from '@tailwindcss/vite'

/** Where the program is served: the same word that tells it so. */
const server = `http://${process.env.NEEDLE_ADDR ?? 'localhost:8360'}`

export default defineConfig({
  plugins: [vue(), tailwindcss()],
  build: { target: 'es2022', modulePreload: { polyfill: false }, assetsInlineLimit: 0 },
  server: { proxy: Object.fromEntries(['/api', '/feed', '/schemas', '/openapi.json'].map((path) => [path, server])) },
  test: { environment: 'happy-dom', include: ['src/**/*.test.ts'] },
})
