import { type Command, Option } from 'commander'
import type { Row } from 'pachter/internal/condition'
import type { Compared, Difference, Verified } from 'pachter/internal/store'
import pc from 'picocolors'
import { withDatabase } from '../database.js'
import { UsageError } from '../errors.js'
import { warnOfLinks } from '../links.js'
import { collect, command, type End, format, wholeNumber, withhold } from '../options.js'
import { readingProgress, say } from '../output.js'
import { type CommonOptions, openRules, type Person } from '../session.js'
import { columns, printable } from '../table.js'

/** The options of `pachter db verify`. */
export interface VerifyCommandOptions extends CommonOptions {
  readonly for: readonly string[]
  readonly type: readonly string[]
  readonly role?: string
  readonly withhold: readonly string[]
  readonly batch?: number
  readonly format: 'text' | 'json'
}

/**
 * `pachter db verify`: compares the rows that SQL, the in-memory evaluator and row security select in a database. Returns whether they
 * agree.
 */
async function verifyCommand(url: string, options: VerifyCommandOptions): Promise<boolean> {
  const { loaded, now, person, allPeople } = await openRules(options)
  const people = (options.for.length === 0 ? allPeople() : options.for.map(person)).filter(refuseSystem)
  const { verify } = await import('pachter/kysely')
  const { postgres, readLayout } = await import('pachter/sql')
  const verified = await withDatabase(url, async (database) => {
    const { db, dialect } = database
    if (options.role !== undefined && dialect !== postgres) throw new UsageError('--role checks row security, which needs PostgreSQL')
    const types = options.type.length === 0 ? {} : { types: options.type }
    const layout = await readLayout(db, dialect, loaded.book, loaded.layout)
    await warnOfLinks(database, loaded, layout)
    return verify(loaded.book, db, dialect, {
      people: Object.fromEntries(people.map(({ name, claims }) => [name, claims as Row | null])),
      ...types,
      layout,
      now: now ?? new Date(),
      withhold: options.withhold,
      ...(options.role === undefined ? {} : { role: options.role }),
      ...(options.batch === undefined ? {} : { batch: options.batch }),
      progress: readingProgress(),
    })
  })
  if (options.format === 'json') say(JSON.stringify(verified, null, 2))
  else show(verified, people)
  return verified.differences.length === 0
}

function refuseSystem({ name, claims }: Person): boolean {
  if (claims === undefined) throw new UsageError(`--for ${name}: no rules apply to the system`)
  return true
}

function show({ compared, differences, records }: Verified, people: readonly Person[]): void {
  const actions = [...new Set(compared.map(({ action }) => action))]
  for (const action of actions) {
    const ours = compared.filter((one) => one.action === action)
    const types = [...new Set(ours.map(({ type }) => type))]
    const cells = people.map(({ name }) => [
      name,
      ...types.map((type) => counts(ours.find((one) => one.type === type && one.person === name) as Compared, differences)),
    ])
    say(
      columns(
        [action, ...types],
        cells,
        types.map((_, at) => at + 1),
      ),
    )
    say()
  }
  const withSecurity = compared.some(({ rowSecurity }) => rowSecurity !== undefined)
  const total = Object.values(records).reduce((sum, count) => sum + count, 0)
  const what = `${compared.length.toLocaleString('en')} lists over ${total.toLocaleString('en')} records, by SQL and by evaluation in memory${withSecurity ? ', and those to read by row security' : ''}`
  if (withSecurity) say(pc.dim('A second number is what row security shows, if that is less as planned; ≠ marks an unplanned difference.'))
  if (differences.length === 0) return say(`${pc.green('✔')} No differences: ${what}.`)
  say(`${pc.red('✘')} ${differences.length.toLocaleString('en')} differences: ${what}.`)
  for (const [kind, holds] of KINDS) showKind(kind, differences.filter(holds))
}

// Records that a person sees but should not come first.
const KINDS: readonly (readonly [string, (one: Difference) => boolean])[] = [
  ['selected by SQL, but refused by the rules', ({ sql, memory }) => sql && !memory],
  ['not selected by SQL, but allowed by the rules', ({ sql, memory }) => !sql && memory],
  ['shown by row security, but should be hidden', ({ rowSecurity }) => rowSecurity?.shown === true && !rowSecurity.meant],
  ['hidden by row security, but should be shown', ({ rowSecurity }) => rowSecurity?.shown === false && rowSecurity.meant],
]

/** Groups records with the same difference by type and action, with the affected people. */
function showKind(kind: string, differences: readonly Difference[]): void {
  for (const [of, ours] of groups(differences, ({ type, action }) => `${action} ${type}`)) {
    say()
    say(`${of}: ${pc.bold(kind)}`)
    const rows = groups(ours, ({ person }) => person).map(([person, theirs]) => {
      const keys = theirs.slice(0, MOST).map(({ key }) => printable(String(key)))
      return [
        `  ${person}`,
        String(theirs.length),
        `${keys.join(' ')}${theirs.length > MOST ? ` and ${(theirs.length - MOST).toLocaleString('en')} more` : ''}`,
      ]
    })
    say(columns(['', '', ''], rows, [1]).split('\n').slice(1).join('\n'))
  }
}

function groups<T>(all: readonly T[], of: (one: T) => string): [string, T[]][] {
  const found = new Map<string, T[]>()
  for (const one of all) found.set(of(one), [...(found.get(of(one)) ?? []), one])
  return [...found]
}

/** The most keys that are shown for a person. */
const MOST = 8

function counts({ type, person, action, sql, memory, rowSecurity }: Compared, differences: readonly Difference[]): string {
  const found = differences.filter((one) => one.type === type && one.person === person && one.action === action)
  const both = found.some((one) => one.sql !== one.memory) ? pc.red(`${sql}≠${memory}`) : sql === 0 ? pc.dim('·') : String(sql)
  if (rowSecurity === undefined || (rowSecurity.shown === memory && found.length === 0)) return both
  const asMeant = found.every((one) => one.rowSecurity?.shown === one.rowSecurity?.meant)
  return `${both} ${asMeant ? pc.dim(String(rowSecurity.shown)) : pc.red(`≠${rowSecurity.shown}`)}`
}

/** The command `db verify`: its arguments, options and help. */
export function verifyDeclaration(end: End): Command {
  return command('verify', 'Compares SQL with evaluation in memory, for each person, record type and action.')
    .argument('<url>', 'the database: postgres://, mysql:// or sqlite:file')
    .addOption(new Option('--for <person>', 'only this person; may be repeated').argParser(collect).default([], 'everyone'))
    .addOption(new Option('--type <type>', 'only this record type; may be repeated').argParser(collect).default([], 'all'))
    .option('--role <role>', 'PostgreSQL: also compares what row security shows this role')
    .addOption(withhold())
    .option('--batch <count>', 'the number of records in memory at once', wholeNumber)
    .addOption(format(['text', 'json']))
    .addHelpText(
      'after',
      `
Everything happens in one read-only transaction. Exit status: 0 if all are the same, 1 if not.

Examples:
  pachter db verify postgres://me@localhost/garden
  pachter db verify sqlite:garden.sqlite --type plot --for ines --for visitor
  pachter db verify postgres://me@localhost/garden --role reports      with row security`,
    )
    .action(async (url, options) => end((await verifyCommand(url, options)) ? 0 : 1))
}
