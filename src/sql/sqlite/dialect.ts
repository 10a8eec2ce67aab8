import { type SqlBool, SqliteQueryCompiler, sql } from 'kysely'
import { type Comparable, family, instantText, type Scalar } from '../../condition/index.js'
import type { Field } from '../../rulebook/index.js'
import type { Column, Dialect, Fragment, Side, Test } from '../dialect.js'
import { fromJson, inJson, jsonList, jsonValue, knownInstant, timeOf } from '../json-column.js'
import type { FoundColumn, TablePlace, WantedIndex } from '../places.js'
import { afterPrefix } from '../prefix.js'

// More values than this become one JSON parameter, well below SQLite's limit on parameters.
const MOST_PARAMETERS = 100

/**
 * SQLite. Times are RFC 3339 text in UTC with milliseconds, so that text order is time order; booleans are 0 and 1;
 * lists, nested objects and everything else are JSON text. SQLite's lower() knows the letters A to Z only.
 */
export const sqlite: Dialect = Object.freeze({
  name: 'sqlite',
  queryCompiler: () => new SqliteQueryCompiler(),
  column,
  isNull({ ref }: Column, path: readonly string[], type: Scalar | 'list' | 'other'): Test {
    const json = path.length === 0 && (type === 'list' || type === 'other')
    return json ? sql<SqlBool>`(${ref} is null or ${ref} = 'null')` : sql<SqlBool>`${column({ ref }, path)} is null`
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
  contains: (text: Fragment, part: Fragment): Test => sql<SqlBool>`instr(${text}, ${part}) > 0`,
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
  listLength: (list: Fragment): Fragment => sql`json_array_length(${list})`,
  countOf(alias: string, list: Fragment, value: Fragment, type: Scalar): Fragment {
    const element = sql.ref(`${alias}.value`)
    const same = family(type) === 'text' ? sql`${element} = ${value} collate binary` : sql`${element} = ${value}`
    const types = sql.join(JSON_TYPES[type].map((name) => sql.lit(name)))
    return sql`(select count(*) from json_each(${list}) as ${sql.ref(alias)} where ${sql.ref(`${alias}.type`)} in (${types}) and ${same})`
  },
  someObject(alias: string, list: Fragment, test: (object: Fragment) => Test): Test {
    return sql<SqlBool>`exists (select 1 from json_each(${list}) as ${sql.ref(alias)} where typeof(${sql.ref(`${alias}.key`)}) = 'integer' and ${sql.ref(`${alias}.type`)} = 'object' and ${test(sql.ref(`${alias}.value`))})`
  },
  inside: (object: Fragment, path: readonly string[]): Fragment => extracted(object, path),
  isNullInside: (object: Fragment, path: readonly string[]): Test => sql<SqlBool>`${extracted(object, path)} is null`,
  isInQuery(values: readonly Side[], keys: readonly Side[], query: (selected: readonly Fragment[]) => Fragment): Test {
    const selected = query(keys.map((each) => each.value))
    const exact = values.map(({ value, type }) => (family(type) === 'text' ? sql`${value} collate binary` : value))
    return exact.length === 1 ? sql<SqlBool>`${exact[0]} in (${selected})` : sql<SqlBool>`(${sql.join(exact)}) in (${selected})`
  },
  ordered: (column: Fragment, field: Field): Fragment => (field.type === 'text' ? sql`${column} collate binary` : column),
  encode(field: Field, value: unknown): unknown {
    if (value === null || value === undefined) return null
    if (inJson(field)) return JSON.stringify(jsonValue(field, value))
    return encodeScalar(field.type === 'time' ? knownInstant(value) : (value as Comparable), field.type as Scalar)
  },
  decode(field: Field, value: unknown): unknown {
    if (value === null || value === undefined) return field.nullable ? null : undefined
    if (inJson(field)) return fromJson(field, JSON.parse(String(value)))
    if (field.type === 'boolean') {
      if (value !== 0 && value !== 1) throw new TypeError(`${JSON.stringify(value)} is neither 0 nor 1`)
      return value === 1
    }
    return field.type === 'time' ? timeOf(field, value) : value
  },
  isConstraintFailure: (error: unknown): boolean => error instanceof Error && /\bconstraint failed\b/i.test(error.message),
  columnType(field: Field): string {
    if (inJson(field)) return 'text'
    return COLUMN_TYPES[field.type as Scalar]
  },
  catalog: (): Fragment =>
    sql`select '' as "schema", m.name as "table", c.name as "column", c.type as "type", m.type = 'view' as view from sqlite_master m, pragma_table_info(m.name) c where m.type in ('table', 'view') order by m.name, c.cid`,
  indexes: (): Fragment =>
    sql`select '' as "schema", m.name as "table", i.name as "column", 'btree' as method
      from sqlite_master m, pragma_index_list(m.name) l, pragma_index_info(l.name) i where m.type = 'table' and i.seqno = 0 and l.partial = 0`,
  createIndex({ name, columns }: TablePlace, field: string, _of: Field, use: WantedIndex['for']): string | undefined {
    // It has none over the elements of JSON.
    if (use === 'elements') return undefined
    const column = columns[field]?.name ?? field
    const quoted = (one: string) => `"${one.replaceAll('"', '""')}"`
    return `create index ${quoted(`${name}_${column}`)} on ${quoted(name)} (${quoted(column)});`
  },
  // A column holds whatever it is given: its type says little.
  heldAs: (column: FoundColumn, field: Field): null | undefined =>
    column.type.toLowerCase() === 'blob' && !inJson(field) ? null : undefined,
})

function column({ ref }: Column, path: readonly string[]): Fragment {
  return path.length === 0 ? ref : extracted(ref, path)
}

function extracted(json: Fragment, path: readonly string[]): Fragment {
  return sql`json_extract(${json}, ${sql.lit(`$${path.map((step) => `.${JSON.stringify(step)}`).join('')}`)})`
}

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
