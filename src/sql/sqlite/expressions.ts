import { type SqlBool, sql } from 'kysely'
import { type Comparable, family, instantText, type Scalar } from '../../condition/index.js'
import type { Field } from '../../rulebook/index.js'
import { isAlone } from '../alone.js'
import type { Column, Expressions, Fragment, Side, Test } from '../expressions.js'
import { jsonList } from '../json-column.js'
import type { Known } from '../known.js'
import { afterPrefix } from '../prefix.js'

// More values than this are passed as one JSON parameter, well below SQLite's limit on parameters.
const MOST_PARAMETERS = 100

/** How this database expresses conditions. */
export const expressions: Expressions = Object.freeze({
  apart: 'limit -1 offset 0',
  column,
  isNull({ ref, as }: Column, path: readonly string[], type: Scalar | 'list' | 'other'): Test {
    const json = path.length === 0 && (type === 'list' || type === 'other') && !isAlone(as)
    return json ? sql<SqlBool>`(${ref} is null or ${ref} = 'null')` : sql<SqlBool>`${column({ ref }, path)} is null`
  },
  value: (value: Known, type: Scalar): Fragment => sql`${value.parameter((one) => encodeScalar(one, type))}`,
  listValue: (values: readonly Comparable[], type: Scalar): Fragment => sql`${jsonList(values, type)}`,
  forever: (): Fragment => sql`'~'`,
  isBlank: (id: Fragment): Test => sql<SqlBool>`trim(${id}, ' ') = ''`,
  hasNul: (text: Fragment): Test => sql<SqlBool>`instr(${text}, char(0)) > 0`,
  sameText: (left: Fragment, right: Fragment): Test => sql<SqlBool>`${left} = ${right} collate binary`,
  sameIgnoringCase: (left: Fragment, right: Fragment): Test => sql<SqlBool>`lower(${left}) = lower(${right}) collate binary`,
  startsWith: (text: Fragment, start: Fragment): Test => sql<SqlBool>`substr(${text}, 1, length(${start})) = ${start} collate binary`,
  startsWithKnown(text: Fragment, start: Known): Test {
    if (start.look((one) => one === '')) return sql<SqlBool>`${text} is not null`
    const from = sql<SqlBool>`${text} >= ${start.parameter()} collate binary`
    if (start.look((one) => afterPrefix(one as string) === undefined)) return from
    return sql<SqlBool>`(${from} and ${text} < ${start.parameter((one) => afterPrefix(one as string))} collate binary)`
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
    // SQLite reads an integer in JSON as a 64-bit integer. As a double it has the value that every other reader sees.
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
  grouped(column: Fragment, field: Field) {
    const value = family(field.type as Scalar) === 'text' ? sql`${column} collate binary` : column
    return { by: value, value }
  },
})

function column({ ref, as }: Column, path: readonly string[]): Fragment {
  if (path.length > 0) return extracted(ref, path)
  return as === DAY ? sql`(${ref} || 'T00:00:00.000Z')` : ref
}

/** The mark of a column with days. In comparisons, a day is its midnight in UTC. */
export const DAY = 'day'

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

/** A value in SQLite's form. */
export function encodeScalar(value: Comparable, type: Scalar): string | number {
  if (type === 'time') return instantText(value as number)
  return typeof value === 'boolean' ? Number(value) : value
}
