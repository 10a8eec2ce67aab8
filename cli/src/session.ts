import type { Row } from 'pachter/internal/condition'
import { instant } from 'pachter/internal/condition'
import { strangerOf, typesNeeded } from 'pachter/internal/review'
import { rulesByTitle, typeModel, UnknownNameError, unknownName } from 'pachter/internal/rulebook'
import { type GuardedStore, inMemory, openStore, type Records, type Store, type VerdictLog } from 'pachter/internal/store'
import { type InnerViewpoint, indexed } from 'pachter/internal/viewpoint'
import { readData } from './data.js'
import { withDatabase } from './database.js'
import { UsageError } from './errors.js'
import { type Loaded, load, RESERVED } from './load.js'

import { readingProgress } from './output.js'

/** Options that every command takes. */
export interface CommonOptions {
  readonly config?: string
  readonly at?: string
  /** A database whose records are looked at, in place of the data folder. */
  readonly db?: string
  /** Rules of the record type to leave out, by their titles. */
  readonly without?: readonly string[]
  /** Writes the verdict log to standard error, a line of JSON for each entry. */
  readonly log?: boolean
}

/** Somebody to look through. */
export interface Person {
  readonly name: string
  /** Null for a visitor; undefined for the system. */
  readonly claims: Row | null | undefined
}

/** The configuration, its people and a copy of its data, for the length of one command. */
export interface CliSession {
  readonly loaded: Loaded
  readonly records: Records
  readonly now: Date | undefined
  /** A store over a fresh copy of the data. */
  store(): Store
  person(name: string): Person
  everybody(): Person[]
  viewpoint(person: Person, within?: string): InnerViewpoint
}

/** Reads the configuration, and shows the rulebook's warnings. */
export async function openRules(
  options: CommonOptions,
  type?: string,
): Promise<Pick<CliSession, 'loaded' | 'now' | 'person' | 'everybody'>> {
  const whole = await load(options.config)
  const book = (options.without ?? []).reduce((left, rule) => withoutOne(left, type, rule), whole.book)
  const loaded: Loaded = { ...whole, book, model: book.model }
  for (const warning of loaded.book.warnings) process.stderr.write(`warning: ${warning}\n`)
  return {
    loaded,
    now: options.at === undefined ? loaded.now : readTime(options.at),
    person: (name) => findPerson(loaded, name),
    everybody: () => [...Object.keys(loaded.people), 'unknown', 'visitor'].map((name) => findPerson(loaded, name)),
  }
}

/** The rulebook without one rule of one action: `warden`, or `update: warden` where more than one action has it. */
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

/** Reads configuration and data, and shows the rulebook's warnings. Of a database, what the rules of a type ask about is enough, but for `everything`. */
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

/** The records of a database as they are at this moment: all of them, or those that the rules of a type ask about. */
async function readDatabase(url: string, { book, model, layout }: Loaded, type: string | undefined): Promise<Records> {
  const types = type === undefined ? Object.keys(model.types) : typesNeeded(model, type)
  const { snapshot } = await import('pachter/kysely')
  const { readLayout } = await import('pachter/sql')
  return withDatabase(url, async ({ db, dialect }) =>
    snapshot(book, db, dialect, { types, layout: await readLayout(db, dialect, book, layout), progress: readingProgress() }),
  )
}

/** Why the command itself looks at records: not what somebody asked for, and so not in the log. */
export const COMPARING = 'to compare records'

/** The verdict log, a line of JSON for each entry. */
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

function findPerson(loaded: Loaded, name: string): Person {
  if (name === 'visitor') return { name, claims: null }
  if (name === 'system') return { name, claims: undefined }
  if (name === 'unknown') return { name, claims: loaded.unknown ?? stranger(loaded) }
  if (!Object.hasOwn(loaded.people, name)) {
    throw new UnknownNameError('person', name, [...Object.keys(loaded.people), ...RESERVED], '--for')
  }
  return { name, claims: loaded.people[name] as Row }
}

/** Somebody with an id and nothing else. */
function stranger({ model, file }: Loaded): Row {
  try {
    return strangerOf(model)
  } catch {
    throw new UsageError(
      `--for unknown: an id alone does not fit the shape of me. Add the claims of an unknown person to ${file}, as unknown: { ... }`,
    )
  }
}

/** The data as this person has it. */
export function storeFor(store: Store, person: Person): GuardedStore {
  return person.claims === undefined
    ? (store.asSystem('asked for on the command line') as unknown as GuardedStore)
    : store.for(person.claims)
}
