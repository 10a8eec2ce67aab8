import { cpSync, existsSync, mkdirSync, readdirSync, writeFileSync } from 'node:fs'
import { join, resolve } from 'node:path'
import { fileURLToPath } from 'node:url'
import { type Project, projectOf } from '../../review/index.js'
import { UsageError } from '../errors.js'
import { shownPath } from '../expectations.js'
import { keepExpectations } from '../keep.js'
import { say } from '../output.js'
import { peopleOf } from '../people.js'
import { sourcePlacesOf } from '../places.js'
import { pageFile, serveReview } from '../review/server.js'
import { type CommonOptions, openSession } from '../session.js'

interface ReviewOptions extends CommonOptions {
  readonly port: string
  readonly out?: string
}

/** `pachter review`: a page on which one looks through everybody's eyes, served on this machine or written into a folder. */
export async function reviewCommand(options: ReviewOptions): Promise<void> {
  const port = Number(options.port)
  if (!Number.isInteger(port) || port < 0 || port > 65_535) throw new UsageError(`--port ${options.port}: a number up to 65535 is needed`)
  const session = await openSession(options, undefined, { everything: true })
  const { loaded } = session
  const project = projectOf(loaded.book, {
    title: shownPath(loaded.file),
    people: peopleOf(session, []),
    records: session.records,
    now: session.now ?? new Date(),
    places: sourcePlacesOf(loaded.model),
    canKeep: options.out === undefined,
  })
  if (options.out !== undefined) return writeCopy(project, options.out)
  const { url, close } = await serveReview(
    () => project,
    port,
    (expectations) => keepExpectations(loaded, expectations),
  )
  say(`Look through everybody's eyes: ${url}`)
  say(`On this machine alone. Nothing is written but expectations that you keep, into ${shownPath(loaded.expectations)}. Ctrl-C ends it.`)
  await new Promise<void>((done) => {
    process.once('SIGINT', done)
    process.once('SIGTERM', done)
  })
  await close()
}

/** A copy that needs no server of ours, to be handed to somebody. It holds the records: so does whoever has it. */
function writeCopy(project: Project, named: string): void {
  const folder = resolve(named)
  pageFile('index.html')
  if (existsSync(folder) && readdirSync(folder).length > 0 && !existsSync(join(folder, 'project.json')))
    throw new UsageError(`--out ${named}: the folder holds something else; name one that is empty or not there yet`)
  mkdirSync(folder, { recursive: true })
  cpSync(fileURLToPath(new URL('../../page/', import.meta.url)), folder, { recursive: true })
  writeFileSync(join(folder, 'project.json'), JSON.stringify(project))
  const count = Object.values(project.records).reduce((sum, rows) => sum + rows.length, 0)
  say(
    `Written into ${shownPath(folder)}: the page, with ${count} records and ${Object.keys(project.people).length} people. Any web server shows it.`,
  )
}
