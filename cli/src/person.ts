// The person that a command looks as: a named one, one of the database by key or by a search, or claims.
import { isPachterError, jsonText, type Row } from 'pachter/internal/condition'
import { strangerOf } from 'pachter/internal/review'
import { type Field, keyFromText, keyOf, nearest, type TypeModel, typeModel, UnknownNameError } from 'pachter/internal/rulebook'
import type { Records } from 'pachter/internal/store'
import { readClaims } from 'pachter/internal/viewpoint'
import { UsageError } from './errors.js'
import { type Loaded, RESERVED } from './load.js'

/** A person of a command. */
export interface Person {
  readonly name: string
  /** Null for a visitor; undefined for the system. */
  readonly claims: Row | null | undefined
}

/** Between the key of a person and what tells their claims apart. */
const SEVERAL = '~'

/** People of one line in an expectation file. */
const MOST_PEOPLE = 200

/** People that are listed if a search finds several. */
const MOST_LISTED = 10

/**
 * Finds a person: by a name of the configuration, `visitor`, `unknown` or `system`; by the key of their record or a search such as
 * `name=Ines`, if the configuration has `personOf`; or by claims as JSON. @throws UnknownNameError, UsageError
 */
export function findPerson(loaded: Loaded, text: string, records?: Records, at = `--for ${text}`): Person {
  if (text === 'visitor') return { name: text, claims: null }
  if (text === 'system') return { name: text, claims: undefined }
  if (text === 'unknown') return { name: text, claims: loaded.unknown ?? stranger(loaded) }
  if (Object.hasOwn(loaded.people, text)) return { name: text, claims: loaded.people[text] as Row }
  if (text.trimStart().startsWith('{')) return byClaims(loaded, text)
  const { personOf } = loaded
  if (personOf === undefined || records === undefined) {
    const names = [...Object.keys(loaded.people), ...RESERVED]
    // A key or a search needs to be told where people are.
    if (text.includes('=') && nearest(text, names) === undefined)
      throw new UsageError(
        `${at}: a search needs "personOf" in ${loaded.file}, as in personOf: { type: 'member', claims: ({ id }) => ({ id }) }`,
      )
    throw new UnknownNameError('person', text, names, at.startsWith('--for') ? '--for' : undefined)
  }
  return fromRecords(loaded, text, records, at)
}

/** A person of the records. @throws UnknownNameError, UsageError */
function fromRecords(loaded: Loaded, text: string, records: Records, at: string): Person {
  const type = typeModel(loaded.model, loaded.personOf?.type as string)
  const all = (records[type.name] ?? []) as readonly Row[]
  // A person with several claims is named by their key and what differs.
  const [first = text] = text.includes('=') ? [] : text.split(SEVERAL)
  const found = text.includes('=')
    ? oneOf(type, matching(type, all, text, at), text, at)
    : (byKey(type, all, text) ?? byKey(type, all, first))
  const people = found === undefined ? [] : personsOfRecord(loaded, found, records, at)
  const named = people.filter(({ name }) => name === text)
  const [only, ...more] = named.length > 0 || text.includes(SEVERAL) ? named : people
  if (only !== undefined && more.length === 0) return only
  if (more.length > 0)
    throw new UsageError(`${at}: there are several claims for this person. Name one: ${people.map(({ name }) => name).join(', ')}`)
  if (found !== undefined && !text.includes(SEVERAL))
    throw new UsageError(`${at}: "personOf" in ${loaded.file} returns no claims for this person`)
  const keys = found === undefined ? all.map((row) => String(keyOf(type, row))) : people.map(({ name }) => name)
  throw new UnknownNameError(
    'person',
    text,
    [...Object.keys(loaded.people), ...RESERVED, ...keys],
    at.startsWith('--for') ? '--for' : undefined,
  )
}

/** All people whose field is exactly this: `roles=warden`. @throws UnknownNameError, UsageError */
export function findPeople(loaded: Loaded, search: string, records: Records, at: string): readonly Person[] {
  const { personOf, file } = loaded
  if (personOf === undefined)
    throw new UsageError(`${at}: a search needs "personOf" in ${file}, as in personOf: { type: 'member', claims: ({ id }) => ({ id }) }`)
  const type = typeModel(loaded.model, personOf.type)
  const found = matching(type, (records[type.name] ?? []) as readonly Row[], search, at, 'exactly')
  if (found.length > MOST_PEOPLE)
    throw new UsageError(`${at}: ${found.length} of ${type.name} match, and at most ${MOST_PEOPLE} can be checked`)
  return found.flatMap((record) => personsOfRecord(loaded, record, records, at))
}

/** The people that a record stands for: one, or one for each of several claims. @throws UsageError */
export function personsOfRecord(loaded: Loaded, record: Row, records: Records, at: string): readonly Person[] {
  const { type, with: also = [], claims } = loaded.personOf as NonNullable<Loaded['personOf']>
  const given = Object.fromEntries([type, ...also].map((name) => [name, (records[name] ?? []) as readonly Row[]]))
  const found = [claimsFrom(() => claims(record, given), at)].flat()
  const all = found.map((one) => checked(loaded, one, `${at}: personOf`))
  const key = String(keyOf(typeModel(loaded.model, type), record))
  if (all.length === 1) return [{ name: key, claims: all[0] as Row }]
  const names = Object.keys(all[0] ?? {}).filter((name) => all.some((one) => jsonText(one[name]) !== jsonText(all[0]?.[name])))
  return all.map((one) => ({ name: [key, ...names.map((name) => textOf(one[name]))].join(SEVERAL), claims: one }))
}

const textOf = (value: unknown) => (typeof value === 'string' || typeof value === 'number' ? String(value) : jsonText(value))

/** Runs the function of the configuration. @throws UsageError */
function claimsFrom(make: () => unknown, at: string): unknown {
  try {
    return make()
  } catch (error) {
    const problem = error instanceof Error ? error.message : String(error)
    throw new UsageError(`${at}: personOf failed: ${problem}. Name the record types that it reads in "with".`)
  }
}

/** A person with only an id. */
function stranger({ model, file }: Loaded): Row {
  try {
    return strangerOf(model)
  } catch {
    throw new UsageError(
      `--for unknown: an id alone does not fit the shape of me. Add their claims to ${file}, beside people: unknown: { ... }`,
    )
  }
}

function byClaims(loaded: Loaded, text: string): Person {
  let given: unknown
  try {
    given = JSON.parse(text)
  } catch (error) {
    throw new UsageError(`--for ${text}: the claims are not valid JSON: ${error instanceof Error ? error.message : String(error)}`)
  }
  const claims = checked(loaded, given, '--for')
  return { name: String(claims[loaded.model.me.key] ?? 'claims'), claims }
}

function checked({ model }: Loaded, claims: unknown, at: string): Row {
  try {
    return readClaims(model.me, claims) as Row
  } catch (error) {
    if (isPachterError(error)) throw new UsageError(`${at}: ${error.message}`)
    throw error
  }
}

function byKey(type: TypeModel, all: readonly Row[], text: string): Row | undefined {
  const key = keyFromText(type, text)
  return key === undefined ? undefined : all.find((row) => keyOf(type, row) === key)
}

/** The people whose field is the text; unless `exactly` is set, else those whose field contains it, without regard to case. */
function matching(type: TypeModel, all: readonly Row[], search: string, at: string, how?: 'exactly'): readonly Row[] {
  const [, name = '', wanted = ''] = /^([^=]+)=(.*)$/s.exec(search) ?? []
  const field: Field | undefined = Object.hasOwn(type.fields, name) ? type.fields[name] : undefined
  if (field === undefined) throw new UnknownNameError('field', name, Object.keys(type.fields), at)
  const exact = all.filter((row) => textsOf(row, name).includes(wanted))
  const lower = wanted.toLowerCase()
  const isExact = exact.length > 0 || how === 'exactly'
  const found = isExact ? exact : all.filter((row) => textsOf(row, name).some((one) => one.toLowerCase().includes(lower)))
  if (found.length === 0) throw new UsageError(`${at}: no ${type.name} has such a ${name}`)
  return found
}

function textsOf(row: Row, name: string): readonly string[] {
  return [row[name] ?? ''].flat().map(String)
}

/** The only one that was found. @throws UsageError */
function oneOf(type: TypeModel, found: readonly Row[], search: string, at: string): Row | undefined {
  if (found.length > 1) {
    const [name = ''] = search.split('=')
    const listed = found.slice(0, MOST_LISTED).map((row) => `${keyOf(type, row)} (${textsOf(row, name).join(', ')})`)
    throw new UsageError(
      `${at}: ${found.length} of ${type.name} match. Use the key of one: ${listed.join(', ')}${found.length > MOST_LISTED ? ' ...' : ''}`,
    )
  }
  return found[0]
}
