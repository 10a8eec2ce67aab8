import { type SqlBool, sql } from 'kysely'
import { type Comparable, family, instant, instantText, isHoldable, type Scalar } from '../../condition/index.js'
import type { Field } from '../../rulebook/index.js'
import type { Dialect, Fragment, Test } from '../dialect.js'
import { afterPrefix } from '../prefix.js'

// More values than this become one JSON parameter, well below SQLite's limit on parameters.
const MOST_PARAMETERS = 100

/**
 * SQLite. Times are RFC 3339 text in UTC with milliseconds, so that text order is time order; booleans are 0 and 1;
 * lists, nested objects and everything else are JSON text. SQLite's lower() knows the letters A to Z only.
 */
export const sqlite: Dialect = Object.freeze({
  name: 'sqlite',
  column(column: string, path: readonly string[]): Fragment {
    if (path.length === 0) return sql.ref(column)
    return sql`json_extract(${sql.ref(column)}, ${sql.lit(`$${path.map((step) => `.${JSON.stringify(step)}`).join('')}`)})`
  },
  value: (value: Comparable, type: Scalar): Fragment => sql`${encodeScalar(value, type)}`,
  listValue: (values: readonly Comparable[], type: Scalar): Fragment => sql`${jsonList(values, type)}`,
  forever: (): Fragment => sql`'~'`,
  isBlank: (id: Fragment): Test => sql<SqlBool>`trim(${id}, ' ') = ''`,
  hasNul: (text: Fragment): Test => sql<SqlBool>`instr(${text}, char(0)) > 0`,
  sameText: (left: Fragment, right: Fragment): Test => sql<SqlBool>`${left} = ${right} collate binary`,
  sameIgnoringCase: (left: Fragment, right: Fragment): Test => sql<SqlBool>`lower(${left}) = lower(${right}) collate binary`,
  startsWith: (text: Fragment, start: Fragment): Test => sql<SqlBool>`substr(${text}, 1, length(${start})) = ${start} collate binary`,
  startsWithKnown(text: Fragment, start: string): Test {
    if (start === '') return sql<SqlBool>`${text} is not null`
    const after = afterPrefix(start)
    const from = sql<SqlBool>`${text} >= ${start} collate binary`
    return after === undefined ? from : sql<SqlBool>`(${from} and ${text} < ${after} collate binary)`
  },
  endsWith: (text: Fragment, end: Fragment): Test =>
    sql<SqlBool>`length(${text}) >= length(${end}) and substr(${text}, length(${text}) - length(${end}) + 1) = ${end} collate binary`,
  isAmong(item: Fragment, values: readonly Comparable[], type: Scalar): Test {
    const encoded = values.map((value) => encodeScalar(value, type))
    const exact = family(type) === 'text' ? sql`${item} collate binary` : item
    if (encoded.length <= MOST_PARAMETERS) return sql<SqlBool>`${exact} in (${sql.join(encoded)})`
    return sql<SqlBool>`${exact} in (select value from json_each(${JSON.stringify(encoded)}))`
  },
  someElement(alias: string, list: Fragment, type: Scalar, test: (element: Fragment) => Test): Test {
    const row = sql.ref(alias)
    const value = sql.ref(`${alias}.value`)
    // A whole number in JSON is read as an integer of 64 bits: as a double it is what every other reader makes of it.
    const element = type === 'number' ? sql`cast(${value} as real)` : sql`${value}`
    return sql<SqlBool>`exists (select 1 from json_each(${list}) as ${row} where typeof(${sql.ref(`${alias}.key`)}) = 'integer' and ${sql.ref(`${alias}.type`)} in (${sql.join(JSON_TYPES[type].map((name) => sql.lit(name)))}) and ${test(element)})`
  },
  ordered: (column: Fragment, field: Field): Fragment => (field.type === 'text' ? sql`${column} collate binary` : column),
  encode(field: Field, value: unknown): unknown {
    if (value === null || value === undefined) return null
    if (field.list || field.type === 'group' || field.type === 'other') return JSON.stringify(jsonValue(field, value))
    return encodeScalar(field.type === 'time' ? knownInstant(value) : (value as Comparable), field.type)
  },
  decode(field: Field, value: unknown): unknown {
    if (value === null || value === undefined) return field.nullable ? null : undefined
    if (field.list || field.type === 'group' || field.type === 'other') return fromJson(field, JSON.parse(String(value)))
    if (field.type === 'boolean') {
      if (value !== 0 && value !== 1) throw new TypeError(`${JSON.stringify(value)} is neither 0 nor 1`)
      return value === 1
    }
    return field.type === 'time' ? timeOf(field, value) : value
  },
  isConstraintFailure: (error: unknown): boolean => error instanceof Error && /\bconstraint failed\b/i.test(error.message),
  columnType(field: Field): string {
    if (field.list || field.type === 'group' || field.type === 'other') return 'text'
    return COLUMN_TYPES[field.type]
  },
})

const JSON_TYPES: { readonly [T in Scalar]: readonly string[] } = {
  text: ['text'],
  id: ['text'],
  time: ['text'],
  integer: ['integer', 'real'],
  number: ['integer', 'real'],
  boolean: ['true', 'false'],
}

const COLUMN_TYPES: { readonly [T in Scalar]: string } = {
  text: 'text',
  id: 'text',
  time: 'text',
  integer: 'integer',
  number: 'real',
  boolean: 'integer',
}

function encodeScalar(value: Comparable, type: Scalar): string | number {
  if (type === 'time') return instantText(value as number)
  return typeof value === 'boolean' ? Number(value) : value
}

function knownInstant(value: unknown): number {
  const time = instant(value)
  if (time === undefined) throw new TypeError(`${String(value)} is no instant between the years 0 and 9999`)
  return time
}

function jsonList(values: readonly Comparable[], type: Scalar): string {
  return JSON.stringify(values.map((value) => (type === 'time' ? instantText(value as number) : value)))
}

function jsonValue(field: Field, value: unknown): unknown {
  if (field.list) return Array.isArray(value) ? value.map((one) => jsonScalar(field, one)) : value
  if (field.type !== 'group' || typeof value !== 'object' || value === null) return field.type === 'time' ? jsonScalar(field, value) : value
  return Object.fromEntries(
    Object.entries(value).map(([name, inner]) => [name, field.fields?.[name] ? jsonValue(field.fields[name], inner) : inner]),
  )
}

function jsonScalar(field: Field, value: unknown): unknown {
  const time = field.type === 'time' ? instant(value) : undefined
  return time === undefined ? value : instantText(time)
}

function fromJson(field: Field, value: unknown): unknown {
  if (value === null) return null
  if (field.list) return Array.isArray(value) ? value.map((one) => (field.type === 'time' ? timeOf(field, one) : one)) : value
  if (field.type === 'time') return timeOf(field, value)
  if (field.type !== 'group' || typeof value !== 'object') return value
  return Object.fromEntries(
    Object.entries(value).map(([name, inner]) => [name, field.fields?.[name] ? fromJson(field.fields[name], inner) : inner]),
  )
}

function timeOf(field: Field, value: unknown): unknown {
  const time = typeof value === 'string' && isHoldable(value) ? instant(value) : undefined
  if (time === undefined) throw new TypeError(`${JSON.stringify(value)} is no instant`)
  return field.held === 'text' ? instantText(time) : new Date(time)
}
