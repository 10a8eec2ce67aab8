#!/usr/bin/env node
import { run } from './run.js'

// A reader that closes the pipe early, such as `| head`, ends the command without an error.
process.stdout.on('error', (error: NodeJS.ErrnoException) => {
  if (error.code !== 'EPIPE') throw error
  process.exit()
})

process.exitCode = await run(process.argv.slice(2))
