import { existsSync, statSync } from 'node:fs'
import { dirname, join, resolve } from 'node:path'
import { fileURLToPath } from 'node:url'
import { createJiti } from 'jiti'
import { isPachterError, type Row } from 'pachter/internal/condition'
import type { LayoutOptions } from 'pachter/internal/layout'
import { isName, type Model } from 'pachter/internal/rulebook'
import { type Rulebook, readClaims } from 'pachter/internal/viewpoint'
import type { Configuration } from './config.js'
import { UsageError } from './errors.js'
import { CONFIGURATION } from './installed.js'

const NAMES = ['pachter.config.ts', 'pachter.config.mts', 'pachter.config.js', 'pachter.config.mjs']
/** Reserved names of people. */
export const RESERVED: readonly string[] = ['visitor', 'unknown', 'system']

/** A configuration that has been read and checked. */
export interface Loaded {
  readonly file: string
  readonly book: Rulebook
  readonly model: Model
  readonly folder: string
  readonly people: { readonly [name: string]: Row }
  readonly unknown: Row | undefined
  /** Where the people are, and how one of them becomes claims. */
  readonly personOf:
    | {
        readonly type: string
        readonly with?: readonly string[]
        readonly claims: (person: Row, records: { readonly [type: string]: readonly Row[] }) => unknown
      }
    | undefined
  readonly now: Date | undefined
  readonly layout: LayoutOptions
  /** The warnings of the rulebook that are not accepted. */
  readonly warnings: readonly string[]
  /** The parts of warnings that are accepted. */
  readonly accepted: readonly string[]
  /** The path of the expectation files. */
  readonly expectations: string
}

// A configuration imports `configure` from the command that reads it, wherever that is installed.
const OWN = { 'pachter-cli': CONFIGURATION }

/**
 * Finds and reads the configuration: the named file, or the nearest one from the working directory upwards.
 * @param alias files to load in place of packages, whatever version the project has installed
 * @throws UsageError
 */
export async function load(named: string | undefined, alias: Record<string, string> = {}): Promise<Loaded> {
  const file = named === undefined ? findUpwards(process.cwd()) : resolve(named)
  if (!existsSync(file) || !statSync(file).isFile()) throw new UsageError(`the configuration file ${file} does not exist`)
  let configuration: Partial<Configuration>
  try {
    configuration = (await createJiti(import.meta.url, { interopDefault: true, alias: { ...OWN, ...alias } }).import(file, {
      default: true,
    })) as Partial<Configuration>
  } catch (error) {
    const problem = error instanceof Error ? error.message : String(error)
    throw new UsageError(`${file} could not be loaded: ${firstLines(problem)}`)
  }
  return check(configuration, file)
}

function findUpwards(start: string): string {
  for (let folder = start; ; folder = dirname(folder)) {
    const found = NAMES.map((name) => join(folder, name)).find((path) => existsSync(path))
    if (found !== undefined) return found
    if (folder === dirname(folder)) {
      throw new UsageError(
        `there is no pachter.config.ts in ${start} or a folder above. Write one that exports configure({ rulebook, people }), or name it with --config.`,
      )
    }
  }
}

function check(configuration: Partial<Configuration>, file: string): Loaded {
  const fail = (problem: string): never => {
    throw new UsageError(`${file}: ${problem}`)
  }
  if (typeof configuration !== 'object' || configuration === null) fail('must export configure({ rulebook, people }) by default')
  const {
    rulebook: book,
    data = 'data',
    people,
    unknown,
    personOf,
    now,
    layout = {},
    expectations = 'expectations',
    accepted = {},
  } = configuration
  if (typeof book?.model !== 'object' || typeof book.for !== 'function')
    return fail('"rulebook" must be the result of rulebook({...}).rules({...})')
  if (typeof data !== 'string' && !(data instanceof URL)) return fail('"data" must be the folder with a JSON file for each record type')
  if (typeof people !== 'object' || people === null) return fail('"people" must hold claims by name, as in { ines: { id: "m-01" } }')
  if (now !== undefined && (!(now instanceof Date) || Number.isNaN(now.getTime()))) return fail('"now" must be a valid Date')
  if (typeof layout !== 'object' || layout === null) fail('"layout" must say how tables are named, as in { names: "snake_case" }')
  if (typeof expectations !== 'string' && !(expectations instanceof URL))
    fail('"expectations" must be a folder of expectation files, or one')
  checkPersonOf(book, personOf, fail)
  checkAccepted(book, accepted, fail)
  const at = (place: string | URL) => (place instanceof URL ? fileURLToPath(place) : resolve(dirname(file), place))
  const checked: Record<string, Row> = {}
  for (const [name, claims] of Object.entries(people)) {
    if (RESERVED.includes(name)) fail(`people: the name "${name}" is reserved: ${RESERVED.join(', ')} always exist`)
    if (!isName(name.replaceAll('-', '_'))) fail(`people: ${JSON.stringify(name)} cannot be a name: use letters, digits, - and _`)
    checked[name] = claimsOf(book, claims, `${file}: people, ${name}`)
  }
  return {
    file,
    book,
    model: book.model,
    folder: at(data),
    expectations: at(expectations),
    people: checked,
    personOf: personOf as unknown as Loaded['personOf'],
    unknown: unknown === undefined ? undefined : claimsOf(book, unknown, `${file}: unknown`),
    now,
    layout,
    accepted: Object.keys(accepted),
    warnings: book.warnings.filter((warning) => !Object.keys(accepted).some((part) => warning.includes(part))),
  }
}

/** How a record becomes claims, if the configuration says so. */
function checkPersonOf(
  book: Rulebook,
  personOf: Partial<NonNullable<Loaded['personOf']>> | undefined,
  fail: (problem: string) => never,
): void {
  if (personOf === undefined) return
  const isType = (name: unknown) => typeof name === 'string' && Object.hasOwn(book.model.types, name)
  if (!isType(personOf?.type) || typeof personOf.claims !== 'function')
    fail('"personOf" needs a record type and a function, as in { type: \'member\', claims: ({ id }) => ({ id }) }')
  const also: unknown = personOf.with ?? []
  if (!Array.isArray(also) || !also.every(isType)) fail('"personOf.with" has to be a list of record types')
}

/** Warnings of links are known only when a database is read. */
function isOfLink({ model }: Rulebook, part: string): boolean {
  return Object.values(model.types).some(({ name, links }) => Object.keys(links).some((link) => part.startsWith(`${name}.${link}`)))
}

/** A reason for each, and none for a warning that there is no more. */
function checkAccepted(book: Rulebook, accepted: unknown, fail: (problem: string) => never): void {
  if (typeof accepted !== 'object' || accepted === null) fail('"accepted" must hold reasons by warning')
  for (const [part, reason] of Object.entries(accepted as object)) {
    if (!isOfLink(book, part) && !book.warnings.some((warning) => warning.includes(part)))
      fail(`accepted: no warning contains ${JSON.stringify(part)}. Remove it.`)
    if (typeof reason !== 'string' || reason.trim() === '') fail(`accepted: write the reason for ${JSON.stringify(part)}`)
  }
}

function claimsOf(book: Rulebook, claims: unknown, at: string): Row {
  if (claims === null || claims === undefined) throw new UsageError(`${at}: needs claims. The visitor, who has none, always exists.`)
  try {
    return readClaims(book.model.me, claims) as Row
  } catch (error) {
    if (isPachterError(error)) throw new UsageError(`${at}: ${error.message}`)
    throw error
  }
}

function firstLines(text: string): string {
  return text
    .split('\n')
    .filter((line) => !/^\s+at /.test(line))
    .slice(0, 6)
    .join('\n')
}
