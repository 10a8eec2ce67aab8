// Builds the live page of the documentation, into the site that `npm run docs` makes.
import { fileURLToPath } from 'node:url'
import { defineConfig } from 'vite'

export default defineConfig({
  root: fileURLToPath(new URL('.', import.meta.url)),
  base: './',
  logLevel: 'warn',
  build: { outDir: '../api/play', emptyOutDir: true, chunkSizeWarningLimit: 1500 },
})
