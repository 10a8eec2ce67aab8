import { instant } from 'pachter/internal/condition'
import { typesNeeded } from 'pachter/internal/review'
import { rulesByTitle, typeModel, unknownName } from 'pachter/internal/rulebook'
import { type GuardedStore, inMemory, openStore, type Records, type Store, type VerdictLog } from 'pachter/internal/store'
import { type InnerViewpoint, indexed } from 'pachter/internal/viewpoint'
import { readData } from './data.js'
import { withDatabase } from './database.js'
import { UsageError } from './errors.js'
import { type Loaded, load } from './load.js'

import { readingProgress } from './output.js'
import { findPerson, type Person } from './person.js'

/** Options that every command takes. */
export interface CommonOptions {
  readonly config?: string
  readonly at?: string
  /** A database to read records from, instead of the data folder. */
  readonly db?: string
  /** Rules of the record type to leave out, by title. */
  readonly without?: readonly string[]
  /** Writes the verdict log to standard error, one line of JSON per entry. */
  readonly log?: boolean
}

/** The configuration, the people and a copy of the data, for one command. */
export interface CliSession {
  readonly loaded: Loaded
  readonly records: Records
  readonly now: Date | undefined
  /** A store on a fresh copy of the data. */
  store(): Store
  person(name: string): Person
  allPeople(): Person[]
  viewpoint(person: Person, within?: string): InnerViewpoint
}

/** Reads the configuration and shows the rulebook's warnings. */
export async function openRules(
  options: CommonOptions,
  type?: string,
): Promise<Pick<CliSession, 'loaded' | 'now' | 'person' | 'allPeople'>> {
  const whole = await load(options.config)
  const book = (options.without ?? []).reduce((left, rule) => withoutOne(left, type, rule), whole.book)
  const loaded: Loaded = { ...whole, book, model: book.model }
  for (const warning of loaded.warnings) process.stderr.write(`warning: ${warning}\n`)
  return {
    loaded,
    now: options.at === undefined ? loaded.now : readTime(options.at),
    person: (name) => findPerson(loaded, name),
    allPeople: () => [...Object.keys(loaded.people), 'unknown', 'visitor'].map((name) => findPerson(loaded, name)),
  }
}

/** The rulebook without one rule of one action: `warden`, or `update: warden` if several actions have it. */
function withoutOne(book: Loaded['book'], typeName: string | undefined, rule: string): Loaded['book'] {
  if (typeName === undefined) throw new UsageError(`--without ${JSON.stringify(rule)}: name the record type too`)
  const all = rulesByTitle(typeModel(book.model, typeName))
  const [action, title] = all.some((one) => one.title === rule)
    ? [undefined, rule]
    : (/^(\w+):\s*(.+)$/s.exec(rule)?.slice(1) ?? [undefined, rule])
  const meant = all.filter((one) => one.title === title && (action === undefined || one.action === action))
  const said = (one: (typeof all)[number]) => `${one.action}: ${one.title}`
  if (meant.length === 0) throw new UsageError(`--without: ${unknownName(`rule of ${typeName}`, rule, all.map(said))}`)
  const [first, ...more] = meant
  if (first === undefined || more.length > 0)
    throw new UsageError(
      `--without ${JSON.stringify(rule)}: several actions have this rule. Name one, as in --without ${JSON.stringify(said(meant[0] as (typeof all)[number]))}`,
    )
  return book.without(typeName, first.title, first.action)
}

/**
 * Reads configuration and data, and shows the rulebook's warnings. From a database, it reads only what the rules of a type need, unless
 * `everything` is set.
 */
export async function openSession(options: CommonOptions, type?: string, { everything = false } = {}): Promise<CliSession> {
  const rules = await openRules(options, type)
  const { loaded, now } = rules
  const records =
    options.db === undefined
      ? await readData(loaded.folder, loaded.model)
      : await readDatabase(options.db, loaded, everything ? undefined : type)
  const clock = now === undefined ? {} : { now }
  const linked = indexed(records)
  return {
    ...rules,
    person: (name) => findPerson(loaded, name, records),
    records,
    store: () => openStore(loaded.book, inMemory(records), { ...clock, ...(options.log ? { log: verdictLog(), logAllowed: true } : {}) }),
    viewpoint: (person, within) =>
      loaded.book.for(person.claims, {
        ...clock,
        records: linked,
        ...(within === undefined ? {} : { within }),
      }) as unknown as InnerViewpoint,
  }
}

/** The current records of a database: all of them, or those that the rules of a type need. */
async function readDatabase(url: string, { book, model, layout, personOf }: Loaded, type: string | undefined): Promise<Records> {
  const people = personOf === undefined ? [] : [personOf.type, ...(personOf.with ?? [])]
  const types = type === undefined ? Object.keys(model.types) : [...new Set([...typesNeeded(model, type), ...people])]
  const { snapshot } = await import('pachter/kysely')
  const { readLayout } = await import('pachter/sql')
  return withDatabase(url, async ({ db, dialect }) =>
    snapshot(book, db, dialect, { types, layout: await readLayout(db, dialect, book, layout), progress: readingProgress() }),
  )
}

/** The command's own reads are not calls of the person, so they do not appear in the log. */
export const COMPARING = 'to compare records'

/** The verdict log, one line of JSON per entry. */
function verdictLog(): VerdictLog {
  return (entry) => {
    if (entry.reason !== COMPARING) process.stderr.write(`${JSON.stringify({ level: 'info', ...entry })}\n`)
  }
}

function readTime(text: string): Date {
  const time = instant(text)
  if (time === undefined) throw new UsageError(`--at ${text}: needs an instant, as in 2026-06-15 or 2026-06-15T09:00:00Z`)
  return new Date(time)
}

/** The store as this person. */
export function storeFor(store: Store, person: Person): GuardedStore {
  return person.claims === undefined
    ? (store.asSystem('asked for on the command line') as unknown as GuardedStore)
    : store.for(person.claims)
}

export type { Person } from './person.js'
