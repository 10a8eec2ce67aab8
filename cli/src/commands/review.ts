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

/** `pachter review`: opens the access review, served on this machine, or writes it to a folder. */
async function reviewCommand({ port: portText, out, ...options }: ReviewOptions): Promise<void> {
  const port = Number(portText)
  if (!Number.isInteger(port) || port < 0 || port > 65_535) throw new UsageError(`--port ${portText}: needs a number up to 65535`)
  if (out !== undefined) return writeCopy(options, out)
  const following = await follow(options, { canSave: true })
  const { url, close } = await serveReview(following, port).catch(async (error: unknown) => {
    await following.close()
    throw error
  })
  say(`Access review: ${url}`)
  say(
    `Open on this machine only. It updates when your files change, and writes nothing except expectations that you save, to ${shownPath(following.summary.expectations)}. Press Ctrl-C to stop.`,
  )
  await new Promise<void>((done) => {
    process.once('SIGINT', done)
    process.once('SIGTERM', done)
  })
  await close()
  await following.close()
}

/** A copy that works without this command, for a reviewer. It contains the records. */
async function writeCopy(options: CommonOptions, named: string): Promise<void> {
  const folder = resolve(named)
  const page = pageFolder()
  if (existsSync(folder) && readdirSync(folder).length > 0 && !existsSync(join(folder, 'project.json')))
    throw new UsageError(`--out ${named}: the folder is not empty. Name an empty or a new folder.`)
  const following = await follow(options, { canSave: false, watch: false })
  const findings = await following.judged()
  const proofs = await following.proved()
  mkdirSync(folder, { recursive: true })
  cpSync(page, folder, { recursive: true })
  writeFileSync(join(folder, 'project.json'), following.project())
  if (findings !== undefined) writeFileSync(join(folder, 'findings.json'), findings)
  if (proofs !== undefined) writeFileSync(join(folder, 'proofs.json'), proofs)
  const { records, people } = following.summary
  await following.close()
  say(`Wrote the page to ${shownPath(folder)}, with ${records} records and ${people} people. Any web server can serve it.`)
}

/** The command `review`: its arguments, options and help. */
export function reviewDeclaration(): Command {
  return command(
    'review',
    'Opens the access review in a browser: who may do what, and why. Compare people, try changes, see what each rule decides.',
  )
    .option('--port <number>', 'the port to listen on, on this machine only', '4320')
    .option('--out <folder>', 'writes a copy for a reviewer to a folder; it contains the records')
    .addOption(without())
    .addOption(live())
    .addHelpText(
      'after',
      `
It updates when your files change, and writes nothing except expectations that you save.

Examples:
  pachter review
  pachter review --out for-review
  pachter review --db postgres://me@localhost/garden`,
    )
    .action((options) => reviewCommand(options))
}
