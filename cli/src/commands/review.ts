import { cpSync, existsSync, mkdirSync, readdirSync, writeFileSync } from 'node:fs'
import { join, resolve } from 'node:path'
import type { Command } from 'commander'
import { UsageError } from '../errors.js'
import { shownPath } from '../expectations.js'
import { command, live, without } from '../options.js'
import { say } from '../output.js'
import { follow } from '../review/following.js'
import { pageFolder, serveReview } from '../review/server.js'
import type { CommonOptions } from '../session.js'

interface ReviewOptions extends CommonOptions {
  readonly port: string
  readonly out?: string
}

/** `pachter review`: a page on which one looks through everybody's eyes, served on this machine or written into a folder. */
async function reviewCommand({ port: portText, out, ...options }: ReviewOptions): Promise<void> {
  const port = Number(portText)
  if (!Number.isInteger(port) || port < 0 || port > 65_535) throw new UsageError(`--port ${portText}: a number up to 65535 is needed`)
  if (out !== undefined) return writeCopy(options, out)
  const following = await follow(options, { canSave: true })
  const { url, close } = await serveReview(following, port).catch(async (error: unknown) => {
    await following.close()
    throw error
  })
  say(`Look through everybody's eyes: ${url}`)
  say(
    `On this machine alone. It follows your files; nothing is written but expectations that you save, into ${shownPath(following.summary.expectations)}. Ctrl-C ends it.`,
  )
  await new Promise<void>((done) => {
    process.once('SIGINT', done)
    process.once('SIGTERM', done)
  })
  await close()
  await following.close()
}

/** A copy that needs no server of ours, to be handed to somebody. It holds the records: so does whoever has it. */
async function writeCopy(options: CommonOptions, named: string): Promise<void> {
  const folder = resolve(named)
  const page = pageFolder()
  if (existsSync(folder) && readdirSync(folder).length > 0 && !existsSync(join(folder, 'project.json')))
    throw new UsageError(`--out ${named}: the folder holds something else; name one that is empty or not there yet`)
  const following = await follow(options, { canSave: false, watch: false })
  const findings = await following.judged()
  mkdirSync(folder, { recursive: true })
  cpSync(page, folder, { recursive: true })
  writeFileSync(join(folder, 'project.json'), following.project())
  if (findings !== undefined) writeFileSync(join(folder, 'findings.json'), findings)
  const { records, people } = following.summary
  await following.close()
  say(`Written into ${shownPath(folder)}: the page, with ${records} records and ${people} people. Any web server shows it.`)
}

/** The command `review`: its arguments, options and help. */
export function reviewDeclaration(): Command {
  return command(
    'review',
    "Opens a page on which one looks through everybody's eyes: who may do what and why, lists side by side, what if, the rules and what they decide, and what was found.",
  )
    .option('--port <number>', 'where it listens, on this machine alone', '4320')
    .option('--out <folder>', 'writes a copy of it into a folder, to be handed to a reviewer; the records are in it')
    .addOption(without())
    .addOption(live())
    .addHelpText(
      'after',
      `
It follows your files. All that it writes are expectations that you save.

Examples:
  pachter review
  pachter review --out for-review
  pachter review --db postgres://me@localhost/garden`,
    )
    .action((options) => reviewCommand(options))
}
