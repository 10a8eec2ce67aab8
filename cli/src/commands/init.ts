import { existsSync, mkdirSync } from 'node:fs'
import { dirname, join, relative, resolve } from 'node:path'
import { Command } from 'commander'
import pc from 'picocolors'
import { type OpenDatabase, shownUrl, withDatabase } from '../database.js'
import { differencesOf } from '../draft/compare.js'
import type { DraftedProject, DraftOptions } from '../draft/index.js'
import { openingsOf } from '../draft/openings.js'
import { TEMPLATE } from '../draft/template.js'
import type { ProjectFiles } from '../draft/write-project.js'
import { UsageError } from '../errors.js'
import { load } from '../load.js'
import { collect, type End } from '../options.js'
import { say } from '../output.js'
import { hanging, printable } from '../table.js'
import { writeWhole } from '../write.js'

interface InitOptions {
  readonly db?: string
  readonly from?: string
  readonly check?: boolean
  readonly sample?: boolean
  readonly except: readonly string[]
  readonly config?: string
}

/** `pachter init`: writes a project that runs at once, or drafts one from a database; with --check, compares the two. */
async function initCommand(folder: string, options: InitOptions, end: End): Promise<void> {
  const { db, from, check, sample } = options
  if (sample && (db === undefined || check))
    throw new UsageError('--sample looks at values of a database: name it with --db, without --check')
  if (check) {
    if ((db === undefined) === (from === undefined))
      throw new UsageError('--check compares the project with a database or a Drizzle schema: name one of them with --db or --from')
    return compare(options, end)
  }
  if (from !== undefined) return fromSchema(folder, from, options)
  if (db === undefined) {
    write(folder, TEMPLATE)
    return next([
      ...inFolder(folder),
      'npm install pachter zod && npm install -D pachter-cli',
      'npx pachter matrix plot',
      'npx pachter try update plot p-2 --for ines --set planting=leeks',
    ])
  }
  await withDatabase(db, (database) => drafted(folder, shownUrl(db), database, { sample }))
  next(commandsWith(folder, shownUrl(db)))
}

/** Drafts from a Drizzle schema, with people of a database if there is one. */
async function fromSchema(folder: string, from: string, { db, sample }: InitOptions): Promise<void> {
  const { drizzleTables } = await import('../draft/index.js')
  const tables = await drizzleTables(from)
  if (db === undefined) {
    await drafted(folder, from, undefined, { tables })
    return next([...inFolder(folder), 'npx pachter rules', 'npx pachter matrix --db postgres://..., with people in pachter.config.ts'])
  }
  await withDatabase(db, (database) => drafted(folder, from, database, { tables, sample }))
  next(commandsWith(folder, shownUrl(db)))
}

async function drafted(folder: string, from: string, database: OpenDatabase | undefined, options: DraftOptions): Promise<void> {
  // It needs Kysely, which projects without a database do not have.
  const { draftProject } = await import('../draft/index.js')
  const project = await draftProject(database, from, options)
  if (project.draft.types.length === 0) throw new UsageError(`${from} has no table that can be drafted${questionsShort(project)}`)
  write(folder, project.files)
  summarise(project)
  if (database !== undefined) await showOpenings(folder, database)
}

function commandsWith(folder: string, url: string): string[] {
  return [...inFolder(folder), `npx pachter matrix --db ${url}`, `npx pachter review --db ${url}`, `npx pachter init --db ${url} --check`]
}

/** How to go where the configuration is. */
function inFolder(folder: string): string[] {
  const at = relative(process.cwd(), resolve(folder))
  return at === '' ? [] : [`cd ${at}`]
}

/** Writes the files of a project; none if one of them exists already. */
function write(folder: string, files: ProjectFiles): void {
  const target = resolve(folder)
  const there = Object.keys(files).find((file) => existsSync(join(target, file)))
  if (there !== undefined)
    throw new UsageError(`${join(folder, there)} is there already, and nothing is overwritten. Name another folder: pachter init rules`)
  for (const [file, text] of Object.entries(files)) {
    mkdirSync(dirname(join(target, file)), { recursive: true })
    writeWhole(join(target, file), text)
    say(`${pc.dim('written')}  ${join(folder, file)}`)
  }
}

/** What was found, and how much of it is certain. */
function summarise({ draft, guesses }: DraftedProject): void {
  const { people, tenant, membership, all } = guesses
  const links = draft.types.reduce((sum, { links: of }) => sum + of.filter((link) => !link.many).length, 0)
  say()
  say(`${draft.types.length} record types, ${links} links, from foreign keys and names of columns.`)
  say(people === undefined ? 'No table of people was found, so nobody reads anything yet.' : `People: ${people.name}.`)
  if (tenant !== undefined) say(`Tenants: ${tenant.type}, by ${tenant.field}${tenant.isOfPerson ? '' : ', which the session names'}.`)
  if (membership !== undefined) say(`Roles: ${membership.role} of ${membership.type.name}.`)
  const roles = all.filter(({ kind }) => kind === 'roles')
  if (roles.length > 0) say(`Roles: ${roles.map(({ type, field }) => `${field} of ${type}`).join(', ')}.`)
  const rows = KINDS.flatMap(([kind, word]) => {
    const places = all.filter((one) => one.kind === kind).map(({ type, field }) => (field === undefined ? type : `${type}.${field}`))
    return places.length === 0 ? [] : [[word, hanging(places.join(', '), INDENT)]]
  })
  if (rows.length > 0)
    say(
      `\nGuessed, with the reasons in rulebook.ts:\n${rows.map(([word = '', places = '']) => `  ${word.padEnd(INDENT - 2)}${places}`).join('\n')}`,
    )
}

const INDENT = 28

const KINDS = [
  ['owner', 'owners'],
  ['parent', 'parts of owned records'],
  ['author', 'authors'],
  ['assignee', 'assignees'],
  ['share', 'shares'],
  ['published', 'read by everyone'],
  ['removal', 'marks of removed records'],
  ['secret', 'secrets'],
] as const

/** What the guesses open, at once; the project may lie where its packages are not installed yet. */
async function showOpenings(folder: string, database: OpenDatabase): Promise<void> {
  try {
    const opened = await openingsOf(join(resolve(folder), 'pachter.config.ts'), database)
    say(`\nWhat they let people read, in a sample of the records:\n${opened}`)
  } catch (error) {
    if (!(error instanceof UsageError)) {
      const problem = error instanceof Error ? error.message : String(error)
      say(pc.dim(`\nWhat they let people read is not known, because the records could not be read: ${printable(problem)}`))
      return
    }
    say(pc.dim(`\nInstall pachter and zod to see what they open: npm install pachter zod`))
  }
}

function questionsShort({ draft }: DraftedProject): string {
  const [first] = draft.questions
  return first === undefined ? '' : `: ${printable(`${first.about} ${first.text}`)}`
}

function next(commands: readonly string[]): void {
  say()
  say('Next:')
  for (const one of commands) say(`  ${one}`)
}

async function compare({ db: url, from = '', config, except }: InitOptions, end: End): Promise<void> {
  const { book, layout } = await load(config)
  const { layoutOf } = await import('pachter/sql')
  const { drizzleTables, tablesOfDatabase } = await import('../draft/index.js')
  const tables = url === undefined ? await drizzleTables(from) : await withDatabase(url, tablesOfDatabase)
  const found = differencesOf(book.model, layoutOf(book, layout), tables, except)
  for (const one of found) say(printable(one))
  if (found.length > 0) {
    say()
    say(pc.dim(`${found.length} differences. Change the shapes, or name what is meant with --except.`))
    return end(1)
  }
  say(`The shapes and links have everything that ${url === undefined ? from : shownUrl(url)} has.`)
}

/** The command `init`: its arguments, options and help. */
export function initDeclaration(end: End): Command {
  return new Command('init')
    .description('Writes a first project: an example, or a draft from the tables of a database.')
    .argument('[folder]', 'where to write it', '.')
    .option('--db <url>', 'drafts shapes, links, rules and people from a database: postgres://, mysql:// or sqlite:file')
    .option('--from <file>', 'drafts from the tables of a Drizzle schema, such as src/schema.ts; with --db, people are picked there')
    .option('--sample', 'with --db: also looks at up to 200 values of each column that a guess is about, to see whether they bear it out')
    .option('--check', 'writes nothing, and says what the database or the Drizzle schema has that the shapes have not (exit status 1)')
    .option('--except <name>', 'with --check: a table or a table.column that is left out on purpose; may be repeated', collect, [])
    .option('--config <file>', 'with --check: the configuration file (default: the nearest pachter.config.ts)')
    .exitOverride()
    .addHelpText(
      'after',
      `
It overwrites nothing, and only reads the database. A draft lets people read what its comments say, and nobody change anything.

Examples:
  pachter init
  pachter init rules --db postgres://me@localhost/garden
  pachter init rules --from src/schema.ts
  pachter init --db postgres://me@localhost/garden --check --except audit_log`,
    )
    .action((folder, options) => initCommand(folder, options, end))
}
