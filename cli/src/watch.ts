import { spawn } from 'node:child_process'
import { dirname } from 'node:path'
import pc from 'picocolors'
import { UsageError } from './errors.js'
import { load } from './load.js'
import { watchPlaces } from './watching.js'

/**
 * Runs the same command line without `--watch`, and runs it again when a file next to the configuration or in its folders changes. Each run
 * is a new process, so that every file is read again. Ctrl-C ends it.
 */
export async function watchCheck(named: readonly string[], { config }: { readonly config?: string }): Promise<boolean> {
  const main = process.argv[1]
  if (main === undefined) throw new UsageError('check --watch needs a terminal')
  const places = [...(await watched(config)), ...named]
  const args = process.argv.slice(2).filter((word) => word !== '--watch')
  let running: ReturnType<typeof spawn> | undefined
  let again = false
  const run = () => {
    if (running !== undefined) {
      again = true
      return
    }
    if (process.stdout.isTTY) process.stdout.write('\x1b[2J\x1b[3J\x1b[H')
    running = spawn(process.execPath, [...process.execArgv, main, ...args], { stdio: ['ignore', 'inherit', 'inherit'] })
    running.on('exit', () => {
      running = undefined
      process.stdout.write(`${pc.dim(`${new Date().toLocaleTimeString('en-GB')}, watching. Press Ctrl-C to stop.`)}\n`)
      if (again) {
        again = false
        run()
      }
    })
  }
  const stop = await watchPlaces(places, run)
  run()
  await new Promise<void>((resolve) => {
    const end = () => {
      running?.kill()
      void stop().then(() => resolve())
    }
    process.once('SIGINT', end)
    process.once('SIGTERM', end)
  })
  return true
}

/** The folder of the configuration, and the folders that it names elsewhere. A configuration with errors is watched too. */
async function watched(config: string | undefined): Promise<string[]> {
  try {
    const { file, folder, expectations } = await load(config)
    return [dirname(file), folder, expectations]
  } catch (error) {
    if (config === undefined) throw error
    return [dirname(config)]
  }
}
