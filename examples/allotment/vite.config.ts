// Builds the page. `npm run demo` calls it. `npx vite examples/allotment` serves the page during development, next to a running demo.
import { fileURLToPath } from 'node:url'
import { defineConfig } from 'vite'

const server = `http://127.0.0.1:${process.env.PORT ?? 4000}`

export default defineConfig({
  root: fileURLToPath(new URL('./page', import.meta.url)),
  logLevel: 'warn',
  build: {
    outDir: 'dist',
    emptyOutDir: true,
    chunkSizeWarningLimit: 1000,
    rolldownOptions: {
      // Directives for servers that draw pages, of which there is none here.
      onLog: (level, log, handle) => log.code !== 'MODULE_LEVEL_DIRECTIVE' && handle(level, log),
    },
  },
  server: { proxy: { '/api': server, '/procedures': server, '/developer': server } },
})
