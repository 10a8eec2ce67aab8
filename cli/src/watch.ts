import { type ChildProcess, spawn } from 'node:child_process'
import { dirname } from 'node:path'
import { stripVTControlCharacters } from 'node:util'
import pc from 'picocolors'
import { UsageError } from './errors.js'
import { type ChangedLine, lineChanges } from './line-changes.js'
import { load } from './load.js'
import { outputWidth } from './table.js'
import { watchPlaces } from './watching.js'

/**
 * Runs the same command line without `--watch`, and runs it again when a file next to the configuration or in its folders changes. Each run
 * is a new process, so that every file is read again. Ctrl-C ends it.
 */
export async function watchCheck(named: readonly string[], { config }: { readonly config?: string }): Promise<boolean> {
  await runAgain([...(await watched(config)), ...named], (args) =>
    spawn(process.execPath, args, { stdio: ['ignore', 'inherit', 'inherit'] }),
  )
  return true
}

/** The same for a command that answers a question: lines that were not there before are marked with +, those that are gone with -. */
export async function watchAnswer({ config }: { readonly config?: string }): Promise<void> {
  let before: readonly string[] | undefined
  const color = process.stdout.isTTY ? { FORCE_COLOR: '1' } : {}
  const env = { ...process.env, ...color, COLUMNS: String(outputWidth() - MARK) }
  await runAgain(await watched(config), (args) => {
    const child = spawn(process.execPath, args, { stdio: ['ignore', 'pipe', 'inherit'], env })
    let output = ''
    child.stdout.setEncoding('utf8').on('data', (text: string) => {
      output += text
    })
    child.on('close', () => {
      // A question that could not be asked, such as with rules that cannot be loaded, changes nothing.
      if (output === '') return
      const after = output.trimEnd().split('\n')
      const lines = lineChanges(before ?? after, after)
      process.stdout.write(`${lines.map(marked).join('\n')}\n`)
      if (before !== undefined && lines.every(({ change }) => change === 'same')) process.stdout.write(pc.dim('Nothing changed.\n'))
      before = after
    })
    return child
  })
}

const MARK = 2

function marked({ text, change }: ChangedLine): string {
  if (change === 'same') return `  ${text}`
  return change === 'new' ? `${pc.green('+')} ${text}` : `${pc.red('-')} ${pc.dim(stripVTControlCharacters(text))}`
}

async function runAgain(places: readonly string[], start: (args: readonly string[]) => ChildProcess): Promise<void> {
  const main = process.argv[1]
  if (main === undefined) throw new UsageError('--watch needs a terminal')
  const args = [...process.execArgv, main, ...process.argv.slice(2).filter((word) => word !== '--watch')]
  let running: ChildProcess | undefined
  let again = false
  const run = () => {
    if (running !== undefined) {
      again = true
      return
    }
    if (process.stdout.isTTY) process.stdout.write('\x1b[2J\x1b[3J\x1b[H')
    running = start(args)
    running.on('close', () => {
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
