// Builds the page of `pachter review`, into the package.
import { fileURLToPath } from 'node:url'
import { defineConfig } from 'vite'

export default defineConfig({
  root: fileURLToPath(new URL('.', import.meta.url)),
  base: './',
  logLevel: 'warn',
  build: { outDir: '../dist/page', emptyOutDir: true, chunkSizeWarningLimit: 600 },
  worker: { format: 'es' },
})
