#!/usr/bin/env node
import { run } from './run.js'

// Whoever reads the output may have had enough of it, as `| head` has: that is the end, and no failure.
process.stdout.on('error', (error: NodeJS.ErrnoException) => {
  if (error.code !== 'EPIPE') throw error
  process.exit()
})

process.exitCode = await run(process.argv.slice(2))
