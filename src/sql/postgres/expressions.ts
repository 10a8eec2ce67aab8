import { type SqlBool, sql } from 'kysely'
import { type Comparable, family, type Scalar } from '../../condition/index.js'
import type { Field } from '../../rulebook/index.js'
import { isAlone } from '../alone.js'
import type { Column, Expressions, Fragment, Side, Test } from '../expressions.js'
import { jsonList } from '../json-column.js'
import { Known } from '../known.js'
import { afterPrefix } from '../prefix.js'
import {
  areAlike,
  arrayOf,
  besideKeys,
  canMatch,
  collatedLike,
  elementType,
  groupedText,
  held,
  heldArray,
  heldElement,
  inOrder,
  isLoose,
  kept,
  key,
  known,
  knownIn,
  mixed,
  plainTime,
  rawOf,
  sameText,
  writtenAs,
} from './storage-types.js'
import { PARAMETER_TYPES, value } from './value.js'

const FIRST = sql`'0001-01-01 00:00:00+00 BC'::timestamptz`
const LAST = sql`'9999-12-31 23:59:59.999999+00'::timestamptz`

// More values than this are passed as one JSON parameter.
const MOST_PARAMETERS = 100

/** How this database expresses conditions. */
export const expressions: Expressions = Object.freeze({
  apart: 'offset 0',
  column(column: Column, path: readonly string[], type: Scalar | 'list'): Fragment {
    if (path.length > 0) return inside(column.ref, path, type)
    if (type !== 'list') return held(column, type)
    return column.as?.endsWith('[]') ? heldArray(column.ref, column.as) : column.ref
  },
  isNull({ ref, as }: Column, path: readonly string[], type: Scalar | 'list' | 'other'): Test {
    const json = path.length > 0 || ((type === 'list' || type === 'other') && !as?.endsWith('[]') && !isAlone(as))
    return json ? isNullInside(ref, path) : sql<SqlBool>`${ref} is null`
  },
  inside,
  isNullInside,
  value: known,
  listValue: (values: readonly Comparable[], type: Scalar): Fragment => sql`${jsonList(values, type)}::jsonb`,
  missing: (type: Scalar | 'list'): Fragment => sql.raw(`null::${type === 'list' ? 'jsonb' : PARAMETER_TYPES[type]}`),
  forever: (): Fragment => sql`'infinity'::timestamptz`,
  isBlank: (id: Fragment): Test => sql<SqlBool>`btrim(${id}, ' ') = ''`,
  isInstant(time: Fragment, bound?: 'first' | 'last'): Test {
    const value = plainTime(time)
    if (bound === undefined) return sql<SqlBool>`${value} between ${FIRST} and ${LAST}`
    return bound === 'first' ? sql<SqlBool>`${value} >= ${FIRST}` : sql<SqlBool>`${value} <= ${LAST}`
  },
  inOrder,
  sameText,
  // In the collation "C", lower() changes only the letters A to Z.
  sameIgnoringCase: (left: Fragment, right: Fragment): Test => sql<SqlBool>`lower(${left} collate "C") = lower(${right} collate "C")`,
  startsWith: (text: Fragment, start: Fragment): Test => sql<SqlBool>`starts_with(${text}, ${collatedLike(text, start)})`,
  startsWithKnown(text: Fragment, start: Known): Test {
    if (start.look((one) => one === '')) return sql<SqlBool>`${text} is not null`
    const isLast = start.look((one) => afterPrefix(one as string) === undefined)
    const after = isLast ? undefined : start.map((one) => afterPrefix(one as string) as string)
    const from = sql<SqlBool>`${text} >= ${value(start, 'text')} collate "C"`
    const range = after === undefined ? from : sql<SqlBool>`${from} and ${text} < ${value(after, 'text')} collate "C"`
    // An index with text_pattern_ops serves LIKE, and no comparison.
    const pattern = start.map((one) => `${(one as string).replace(/[\\%_]/g, '\\$&')}%`)
    return canMatch(text) ? sql<SqlBool>`(${text} like ${value(pattern, 'text')} and ${range})` : sql<SqlBool>`(${range})`
  },
  endsWith: (text: Fragment, end: Fragment): Test => sql<SqlBool>`right(${text}, length(${end})) = ${collatedLike(text, end)}`,
  contains: (text: Fragment, part: Fragment): Test => sql<SqlBool>`strpos(${text} collate "C", ${part} collate "C") > 0`,
  isAmong(item: Fragment, values: readonly Comparable[], type: Scalar): Test {
    const raw = rawOf(item)
    if (raw !== undefined && family(type) !== 'text' && values.length <= MOST_PARAMETERS)
      return sql<SqlBool>`(${sql.join(
        values.map((one) => inOrder(item, '=', known(Known.constant(one), type))),
        sql` or `,
      )})`
    const alike = raw === undefined ? undefined : knownIn(raw, values.map(Known.constant))
    if (alike !== undefined) return isLoose(raw?.as) ? sql<SqlBool>`(${alike} and ${among(item, values, type)})` : alike
    return among(item, values, type)
  },
  hasKnown(list: Fragment, wanted: Known, type: Scalar): Test | undefined {
    const array = arrayOf(list)
    if (array !== undefined) return arrayHas(array, '@>', [wanted], type)
    // JSON numbers can have more digits than doubles, and times can have several text forms.
    if (type === 'number' || type === 'time') return undefined
    return sql<SqlBool>`${list} @> ${wanted.parameter((one) => JSON.stringify([one]))}::jsonb`
  },
  mayOverlap(list: Fragment, values: readonly Comparable[], type: Scalar): Test | undefined {
    const array = arrayOf(list)
    return array && arrayHas(array, '&&', values.map(Known.constant), type)
  },
  plainList,
  someElement(alias: string, list: Fragment, type: Scalar, test: (element: Fragment) => Test): Test {
    const { from, one } = elementsOf(list, alias, type)
    return sql<SqlBool>`exists (select 1 from ${from} where ${test(one)})`
  },
  listLength(list: Fragment): Fragment {
    const array = arrayOf(list)
    return array === undefined ? sql`jsonb_array_length(${arrayOnly(list)})` : sql`cardinality(${array.ref})`
  },
  countOf(alias: string, list: Fragment, wanted: Fragment, type: Scalar): Fragment {
    const { from, one } = elementsOf(list, alias, type)
    return sql`(select count(*) from ${from} where ${type === 'text' || type === 'id' ? sameText(one, wanted) : inOrder(one, '=', wanted)})`
  },
  someObject: (alias: string, list: Fragment, test: (object: Fragment) => Test): Test =>
    sql<SqlBool>`exists (select 1 from ${elements(list, alias)} where jsonb_typeof(${sql.ref(`${alias}.value`)}) = 'object' and ${test(sql.ref(`${alias}.value`))})`,
  isInQuery(values: readonly Side[], keys: readonly Side[], query: (selected: readonly Fragment[]) => Fragment): Test {
    const wanted = values.map(({ value }, at) => besideKeys(value, (keys[at] as Side).value))
    const [only] = wanted
    const [one] = keys.map((each) => each.value)
    if (wanted.length > 1 || only === undefined || one === undefined)
      return sql<SqlBool>`(${sql.join(wanted)}) in (${query(keys.map(({ value }) => value))})`
    // PostgreSQL evaluates an array once and then uses an index, also within an OR. It does not do that for a subquery.
    const isIn = (value: Fragment, selected: Fragment) => sql<SqlBool>`${value} = any(array(${query([selected])}))`
    const [raw, other] = [rawOf((values[0] as Side).value), rawOf(one)]
    if (raw === undefined || raw.as !== other?.as) return isIn(only, one)
    if (isLoose(raw.as)) return sql<SqlBool>`(${isIn(raw.ref, other.ref)} and ${isIn(only, one)})`
    return key((values[0] as Side).value) === raw.ref ? isIn(raw.ref, other.ref) : isIn(only, one)
  },
  mixed,
  key,
  kept,
  grouped: (value: Fragment, field: Field) => ({ by: family(field.type as Scalar) === 'text' ? groupedText(value) : value, value }),
})

function within(json: Fragment, path: readonly string[]): Fragment {
  if (path.length === 0) return json
  const steps = path.map((step) => `"${step.replace(/["\\]/g, '\\$&')}"`).join(',')
  return sql`(${json} #> ${sql.lit(`{${steps}}`)})`
}

function inside(json: Fragment, path: readonly string[], type: Scalar | 'list'): Fragment {
  return type === 'list' ? within(json, path) : typed(within(json, path), type)
}

function isNullInside(json: Fragment, path: readonly string[]): Test {
  const value = within(json, path)
  // JSON null is a value in JSON.
  return sql<SqlBool>`(${value} is null or jsonb_typeof(${value}) = 'null')`
}

/** A JSON value as a value of the type; null if it has another type. */
function typed(json: Fragment, type: Scalar): Fragment {
  const text = sql`${json} #>> '{}'`
  const is = (name: string) => sql<SqlBool>`jsonb_typeof(${json}) = ${sql.lit(name)}`
  switch (type) {
    case 'text':
    case 'id':
      return sql`(case when ${is('string')} then ${text} end)`
    case 'boolean':
      return sql`(case when ${is('boolean')} then (${json})::boolean end)`
    case 'integer':
    case 'number':
      // JSON numbers can be larger than a double.
      return sql`(case when ${is('number')} then case when abs((${json})::numeric) <= 1.7976931348623157e308 then (${json})::double precision end end)`
    case 'time': {
      const form = sql`${is('string')} and ${text} ~ '^[0-9]{4}-[0-9]{2}-[0-9]{2}T[0-9]{2}:[0-9]{2}:[0-9]{2}[.][0-9]{3}Z$'`
      return sql`(case when ${form} then case when ${text} like '0000%' then ('0001' || substr(${text}, 5) || ' BC')::timestamptz else (${text})::timestamptz end end)`
    }
  }
}

function among(item: Fragment, values: readonly Comparable[], type: Scalar): Test {
  if (values.length <= MOST_PARAMETERS) return sql<SqlBool>`${item} in (${sql.join(values.map((one) => value(Known.constant(one), type)))})`
  const list = sql`jsonb_array_elements_text(${jsonList(values, type)}::jsonb)`
  return sql<SqlBool>`${item} = any(array(select ${list}::${sql.raw(PARAMETER_TYPES[type])}))`
}

/** Whether an array has all or any of the values; undefined if its elements cannot be compared directly. */
function arrayHas(
  { ref, element }: { readonly ref: Fragment; readonly element: string },
  how: '@>' | '&&',
  values: readonly Known[],
  type: Scalar,
): Test | undefined {
  if (!areAlike(element, type)) return undefined
  const possible = writtenAs(element, values)
  if (possible.length === 0 || (how === '@>' && possible.length < values.length)) return sql<SqlBool>`1 = 0`
  return sql<SqlBool>`${ref} ${sql.raw(how)} array[${sql.join(possible.map((one) => one.parameter()))}]::${sql.raw(elementType(element))}[]`
}

/** The elements of a list as rows, and one of them as a value of the type. */
function elementsOf(list: Fragment, alias: string, type: Scalar): { readonly from: Fragment; readonly one: Fragment } {
  const ref = sql.ref(`${alias}.value`)
  const array = arrayOf(list)
  if (array === undefined) return { from: elements(list, alias), one: typed(ref, type) }
  return { from: sql`unnest(${array.ref}) as ${sql.ref(alias)}(value)`, one: heldElement(ref, array.element, type) }
}

/** A time as RFC 3339 text in UTC: drivers differ in how they read times, above all those before Christ. */
export function instantOf(value: Fragment): Fragment {
  const time = sql`(${value} at time zone 'UTC')`
  const text = (form: string) => sql`to_char(${time}, ${sql.lit(form)})`
  const rest = '-MM-DD"T"HH24:MI:SS.MS"Z"'
  const isTold = sql`isfinite(${value}) and ${time} >= '0001-01-01 BC'::timestamp`
  return sql`case when not (${isTold}) then ${value}::text when ${time} < '0001-01-01'::timestamp then '0000' || ${text(rest)} else ${text(`YYYY${rest}`)} end`
}

/** A list as JSON, whatever the column is. */
export function plainList(list: Fragment): Fragment {
  const array = arrayOf(list)
  if (array === undefined) return list
  if (!array.element.startsWith('timestamp')) return sql`to_jsonb(${array.ref})`
  const one = instantOf(heldElement(sql.ref('e.value'), array.element, 'time'))
  return sql`case when ${array.ref} is not null then (select coalesce(jsonb_agg(${one} order by e.n), '[]') from unnest(${array.ref}) with ordinality as e(value, n)) end`
}

function arrayOnly(list: Fragment): Fragment {
  return sql`case when jsonb_typeof(${list}) = 'array' then ${list} end`
}

function elements(list: Fragment, alias: string): Fragment {
  return sql`jsonb_array_elements(${arrayOnly(list)}) as ${sql.ref(alias)}(value)`
}
