import { type SqlBool, sql } from 'kysely'
import type { Comparable, Scalar } from '../../condition/index.js'
import type { Field } from '../../rulebook/index.js'
import { isAlone } from '../alone.js'
import type { Column, Expressions, Fragment, Side, Test } from '../expressions.js'
import { jsonList } from '../json-column.js'
import type { Known } from '../known.js'
import {
  areAlike,
  asKey,
  besideLoose,
  exact,
  held,
  inOrder,
  isAmong,
  isPlain,
  keptExactly,
  keyParts,
  known,
  pairOfKeys,
  sameText,
} from './storage-types.js'

// MariaDB caches subquery results by the outer columns, compared in their own collations: it takes the result for "red" for "RED" too,
// whatever the subquery compares. It does not cache a subquery that contains a volatile function.
const FOR_EACH_ROW: Test = sql<SqlBool>`rand() >= 0`

/** How this database expresses conditions. */
export const expressions: Expressions = Object.freeze({
  // The largest number that there is: https://mariadb.com/kb/en/limit/
  apart: 'limit 18446744073709551615',
  column(column: Column, path: readonly string[], type: Scalar | 'list'): Fragment {
    if (path.length > 0) return inside(column.ref, path, type)
    return type === 'list' ? column.ref : held(column, type)
  },
  isNull({ ref, as }: Column, path: readonly string[], type: Scalar | 'list' | 'other'): Test {
    const json = path.length > 0 || ((type === 'list' || type === 'other') && !isAlone(as))
    return json ? isNullInside(ref, path) : sql<SqlBool>`${ref} is null`
  },
  inside,
  isNullInside,
  value: known,
  listValue: (values: readonly Comparable[], type: Scalar): Fragment => sql`${jsonList(values, type)}`,
  forever: (): Fragment => sql`cast('9999-12-31 23:59:59.999999' as datetime(6))`,
  isBlank: (id: Fragment): Test => sql<SqlBool>`char_length(trim(${id})) = 0`,
  hasNul: (text: Fragment): Test => sql<SqlBool>`instr(cast(${text} as binary), x'00') > 0`,
  inOrder,
  sameText,
  sameIgnoringCase: (left: Fragment, right: Fragment): Test =>
    besideLoose(left, right, sql<SqlBool>`${smallLetters(left)} = ${smallLetters(right)}`),
  startsWith: (text: Fragment, start: Fragment): Test => sql<SqlBool>`left(${exact(text)}, char_length(${start})) = ${exact(start)}`,
  startsWithKnown(text: Fragment, start: Known): Test {
    if (start.look((one) => one === '')) return sql<SqlBool>`${text} is not null`
    const length = start.parameter((one) => [...(one as string)].length)
    const same = sql<SqlBool>`left(${exact(text)}, ${length}) = ${exact(sql`${start.parameter()}`)}`
    // An expression over several columns may have no usable collation.
    if (!isPlain(text)) return same
    const pattern = start.parameter((one) => `${(one as string).replace(/[|%_]/g, '|$&')}%`)
    return sql<SqlBool>`(${text} like ${pattern} escape '|' and ${same})`
  },
  endsWith: (text: Fragment, end: Fragment): Test => sql<SqlBool>`right(${exact(text)}, char_length(${end})) = ${exact(end)}`,
  contains: (text: Fragment, part: Fragment): Test => sql<SqlBool>`instr(${exact(text)}, ${exact(part)}) > 0`,
  isAmong,
  someElement: (alias: string, list: Fragment, type: Scalar, test: (element: Fragment) => Test): Test =>
    sql<SqlBool>`exists (select 1 from ${places(list, alias)} where ${test(typed(element(list, alias), type))} and ${FOR_EACH_ROW})`,
  listLength: (list: Fragment): Fragment => sql`json_length(${list})`,
  countOf(alias: string, list: Fragment, wanted: Fragment, type: Scalar): Fragment {
    const one = typed(element(list, alias), type)
    return sql`(select count(*) from ${places(list, alias)} where ${isText(type) ? sameText(one, wanted) : sql`${one} = ${wanted}`} and ${FOR_EACH_ROW})`
  },
  someObject: (alias: string, list: Fragment, test: (object: Fragment) => Test): Test =>
    sql<SqlBool>`exists (select 1 from ${places(list, alias)} where json_type(${element(list, alias)}) = 'OBJECT' and ${test(element(list, alias))} and ${FOR_EACH_ROW})`,
  key: asKey,
  kept: keptExactly,
  // As a row of at least two columns: MariaDB caches a search by a single column, whatever else the query says.
  findsForRow(values: readonly Side[], keys: readonly Side[], query: (selected: readonly Fragment[]) => Fragment): Test {
    const pairs = values.flatMap((one, at) => pairOfKeys(one, keys[at] as (typeof keys)[number]))
    const [only] = pairs
    if (only === undefined) return sql<SqlBool>`(${query([sql`1`])} limit 1) is not null`
    const several = pairs.length === 1 ? [only, only] : pairs
    return sql<SqlBool>`(${sql.join(several.map(([value]) => value))}) in (${query(several.map(([, key]) => key))})`
  },
  closedRecursion: true,
  isInQuery(values: readonly Side[], keys: readonly Side[], query: (selected: readonly Fragment[]) => Fragment): Test {
    const pairs = values.flatMap((one, at) => pairOfKeys(one, keys[at] as (typeof keys)[number]))
    const wanted = pairs.map(([value]) => value)
    const among = query(pairs.map(([, key]) => key))
    return wanted.length === 1 ? sql<SqlBool>`${wanted[0]} in (${among})` : sql<SqlBool>`(${sql.join(wanted)}) in (${among})`
  },
  // MariaDB evaluates an OR of sets row by row. A union of keys is evaluated once, and each row is found by its key.
  unionOfKeys(key: readonly Fragment[], alias: string, queries: readonly Fragment[]): Test {
    const parts = key.flatMap(keyParts)
    const among = sql`(select ${sql.join(parts.map((_, at) => sql.ref(`k${at}`)))} from (${sql.join(queries, sql` union `)}) as ${sql.ref(alias)})`
    return parts.length === 1 ? sql<SqlBool>`${parts[0]} in ${among}` : sql<SqlBool>`(${sql.join(parts)}) in ${among}`
  },
  rowsAbout: ({ schema, name }: { readonly schema?: string; readonly name: string }): Fragment =>
    sql`(select table_rows from information_schema.tables where table_schema = ${schema ?? sql`database()`} and table_name = ${name})`,
  keyColumns: (key: readonly Fragment[]): Fragment =>
    sql.join(key.flatMap(keyParts).map((part, at) => sql`${part} as ${sql.ref(`k${at}`)}`)),
  areAlike,
  forEachRow: FOR_EACH_ROW,
  grouped(column: Fragment, field: Field) {
    const value = isText(field.type as Scalar) ? exact(column) : column
    return { by: value, value }
  },
})

function isText(type: Scalar): boolean {
  return type === 'text' || type === 'id'
}

const LETTERS = 'ABCDEFGHIJKLMNOPQRSTUVWXYZ'

/** The bytes of a text with A to Z in lower case. MariaDB's lower() also changes other letters. */
function smallLetters(text: Fragment): Fragment {
  const bytes = sql`cast(convert(${text} using utf8mb4) as binary)`
  return [...LETTERS].reduce<Fragment>((done, letter) => sql`replace(${done}, ${sql.lit(letter)}, ${sql.lit(letter.toLowerCase())})`, bytes)
}

function within(json: Fragment, path: readonly string[]): Fragment {
  if (path.length === 0) return json
  return sql`json_extract(${json}, ${`$${path.map((step) => `.${JSON.stringify(step)}`).join('')}`})`
}

function inside(json: Fragment, path: readonly string[], type: Scalar | 'list'): Fragment {
  return type === 'list' ? within(json, path) : typed(within(json, path), type)
}

function isNullInside(json: Fragment, path: readonly string[]): Test {
  const found = within(json, path)
  // JSON null is a value in JSON.
  return sql<SqlBool>`(${found} is null or json_type(${found}) = 'NULL')`
}

/** A JSON value as a value of the type; null if it has another type. */
function typed(json: Fragment, type: Scalar): Fragment {
  const is = (...names: string[]) => sql<SqlBool>`json_type(${json}) in (${sql.join(names.map((name) => sql.lit(name)))})`
  const text = sql`json_unquote(${json})`
  switch (type) {
    case 'text':
    case 'id':
      return sql`(case when ${is('STRING')} then ${text} end)`
    case 'boolean':
      return sql`(case when ${is('BOOLEAN')} then ${json} = 'true' end)`
    case 'integer':
    case 'number':
      return sql`(case when ${is('INTEGER', 'DOUBLE')} then cast(${json} as double) end)`
    case 'time': {
      const form = sql`${is('STRING')} and ${text} regexp '^[0-9]{4}-[0-9]{2}-[0-9]{2}T[0-9]{2}:[0-9]{2}:[0-9]{2}[.][0-9]{3}Z$'`
      return sql`(case when ${form} then cast(replace(left(${text}, 23), 'T', ' ') as datetime(3)) end)`
    }
  }
}

/** The positions of a list. The values are read one by one, because a column would lose their types. */
function places(list: Fragment, alias: string): Fragment {
  return sql`json_table(case when json_type(${list}) = 'ARRAY' then ${list} end, '$[*]' columns (n for ordinality)) as ${sql.ref(alias)}`
}

function element(list: Fragment, alias: string): Fragment {
  return sql`json_extract(${list}, concat('$[', ${sql.ref(`${alias}.n`)} - 1, ']'))`
}
