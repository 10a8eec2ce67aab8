import { type SqlBool, sql } from 'kysely'
import { type Comparable, instantText, type Scalar } from '../../condition/index.js'
import type { Field } from '../../rulebook/index.js'
import type { Dialect, Fragment, Test } from '../dialect.js'
import { fromJson, inJson, jsonList, jsonValue, knownInstant, timeOf } from '../json-column.js'
import { afterPrefix } from '../prefix.js'

// More values than this become one JSON parameter.
const MOST_PARAMETERS = 100

/**
 * PostgreSQL. Times are timestamptz, whole numbers bigint, other numbers double precision; lists, nested objects and
 * everything else are jsonb. Text compares code point by code point where its collation is deterministic, as all are that
 * are not declared otherwise; where order counts, in the collation "C".
 */
export const postgres: Dialect = Object.freeze({
  name: 'postgres',
  column(name: string, path: readonly string[], type: Scalar | 'list'): Fragment {
    if (path.length === 0) return sql.ref(name)
    return inside(sql.ref(name), path, type)
  },
  isNull(name: string, path: readonly string[], type: Scalar | 'list' | 'other'): Test {
    const json = path.length > 0 || type === 'list' || type === 'other'
    if (!json) return sql<SqlBool>`${sql.ref(name)} is null`
    return isNullInside(sql.ref(name), path)
  },
  inside,
  isNullInside,
  value,
  listValue: (values: readonly Comparable[], type: Scalar): Fragment => sql`${jsonList(values, type)}::jsonb`,
  forever: (): Fragment => sql`'infinity'::timestamptz`,
  isBlank: (id: Fragment): Test => sql<SqlBool>`btrim(${id}, ' ') = ''`,
  isInstant: (time: Fragment): Test =>
    sql<SqlBool>`${time} between '0001-01-01 00:00:00+00 BC'::timestamptz and '9999-12-31 23:59:59.999999+00'::timestamptz`,
  sameText: (left: Fragment, right: Fragment): Test => sql<SqlBool>`${left} = ${right}`,
  // In the collation "C", lower() knows the letters A to Z only.
  sameIgnoringCase: (left: Fragment, right: Fragment): Test => sql<SqlBool>`lower(${left} collate "C") = lower(${right} collate "C")`,
  startsWith: (text: Fragment, start: Fragment): Test => sql<SqlBool>`starts_with(${text}, ${start})`,
  startsWithKnown(text: Fragment, start: string): Test {
    if (start === '') return sql<SqlBool>`${text} is not null`
    const after = afterPrefix(start)
    const from = sql<SqlBool>`${text} >= ${value(start, 'text')} collate "C"`
    return after === undefined ? from : sql<SqlBool>`(${from} and ${text} < ${value(after, 'text')} collate "C")`
  },
  endsWith: (text: Fragment, end: Fragment): Test => sql<SqlBool>`right(${text}, length(${end})) = ${end}`,
  isAmong(item: Fragment, values: readonly Comparable[], type: Scalar): Test {
    if (values.length <= MOST_PARAMETERS) return sql<SqlBool>`${item} in (${sql.join(values.map((one) => value(one, type)))})`
    const list = sql`jsonb_array_elements_text(${jsonList(values, type)}::jsonb)`
    return sql<SqlBool>`${item} = any(array(select ${list}::${sql.raw(PARAMETER_TYPES[type])}))`
  },
  hasKnown(list: Fragment, known: Comparable, type: Scalar): Test | undefined {
    // Numbers in JSON have more digits than doubles have; times have more than one text form.
    if (type === 'number' || type === 'time') return undefined
    return sql<SqlBool>`${list} @> ${JSON.stringify([known])}::jsonb`
  },
  someElement(alias: string, list: Fragment, type: Scalar, test: (element: Fragment) => Test): Test {
    return sql<SqlBool>`exists (select 1 from ${elements(list, alias)} where ${test(typed(sql.ref(`${alias}.value`), type))})`
  },
  listLength: (list: Fragment): Fragment => sql`jsonb_array_length(${arrayOnly(list)})`,
  countOf: (alias: string, list: Fragment, wanted: Fragment, type: Scalar): Fragment =>
    sql`(select count(*) from ${elements(list, alias)} where ${typed(sql.ref(`${alias}.value`), type)} = ${wanted})`,
  someObject: (alias: string, list: Fragment, test: (object: Fragment) => Test): Test =>
    sql<SqlBool>`exists (select 1 from ${elements(list, alias)} where jsonb_typeof(${sql.ref(`${alias}.value`)}) = 'object' and ${test(sql.ref(`${alias}.value`))})`,
  isInQuery(values: readonly { readonly value: Fragment; readonly type: Scalar }[], query: Fragment): Test {
    const [only] = values
    // An array is asked for once, and then answered through an index, also within an OR; a subquery is not.
    if (values.length === 1 && only !== undefined) return sql<SqlBool>`${only.value} = any(array(${query}))`
    return sql<SqlBool>`(${sql.join(values.map((one) => one.value))}) in (${query})`
  },
  ordered: (column: Fragment, field: Field): Fragment => (field.type === 'text' ? sql`${column} collate "C"` : column),
  encode(field: Field, given: unknown): unknown {
    if (given === null || given === undefined) return null
    if (inJson(field)) return JSON.stringify(jsonValue(field, given))
    return field.type === 'time' ? timeText(knownInstant(given)) : given
  },
  decode(field: Field, held: unknown): unknown {
    if (held === null || held === undefined) return field.nullable ? null : undefined
    if (inJson(field)) return fromJson(field, held)
    if (field.type === 'time') return timeOf(field, held)
    // Drivers give whole numbers of 64 bits as text, so that none is cut.
    return field.type === 'integer' || field.type === 'number' ? Number(held) : held
  },
  lock: (how: 'share' | 'update'): Fragment => sql.raw(`for ${how}`),
  // PostgreSQL looks for deadlocks after a second, by default.
  waitForLocks: (milliseconds: number): Fragment => sql`set local lock_timeout = ${sql.lit(milliseconds)}`,
  // SQLSTATE class 40: transaction rollback, for a deadlock or a serialisation failure; 55P03: a lock was not to be had in time.
  isConflict: (error: unknown): boolean => /^(40|55P03)/.test(String((error as { code?: unknown } | null)?.code ?? '')),
  // SQLSTATE class 23: integrity constraint violation.
  isConstraintFailure: (error: unknown): boolean => /^23/.test(String((error as { code?: unknown } | null)?.code ?? '')),
  columnType: (field: Field): string => (inJson(field) ? 'jsonb' : COLUMN_TYPES[field.type as Scalar]),
})

const COLUMN_TYPES: { readonly [T in Scalar]: string } = {
  text: 'text collate "C"',
  id: 'text collate "C"',
  time: 'timestamptz(3)',
  integer: 'bigint',
  number: 'double precision',
  boolean: 'boolean',
}

const PARAMETER_TYPES: { readonly [T in Scalar]: string } = { ...COLUMN_TYPES, text: 'text', id: 'text', time: 'timestamptz' }

/** A parameter of a type of its own. Whole numbers are bigint beside any number, so that an index on a bigint column serves. */
function value(known: Comparable, type: Scalar): Fragment {
  if (type === 'time') return sql`${timeText(known as number)}::timestamptz`
  if (type === 'number' || type === 'integer') return sql`${known}::${sql.raw(Number.isSafeInteger(known) ? 'bigint' : 'double precision')}`
  return sql`${known}::${sql.raw(PARAMETER_TYPES[type])}`
}

/** An instant as PostgreSQL reads it: the year 0 is the first before Christ. */
function timeText(time: number): string {
  const text = instantText(time)
  return text.startsWith('0000') ? `0001${text.slice(4)} BC` : text
}

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
  // JSON has a null of its own.
  return sql<SqlBool>`(${value} is null or jsonb_typeof(${value}) = 'null')`
}

/** A value in JSON as one of the type, null where it is of another. */
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
      // Numbers in JSON may be larger than a double.
      return sql`(case when ${is('number')} then case when abs((${json})::numeric) <= 1.7976931348623157e308 then (${json})::double precision end end)`
    case 'time': {
      const form = sql`${is('string')} and ${text} ~ '^[0-9]{4}-[0-9]{2}-[0-9]{2}T[0-9]{2}:[0-9]{2}:[0-9]{2}[.][0-9]{3}Z$'`
      return sql`(case when ${form} then case when ${text} like '0000%' then ('0001' || substr(${text}, 5) || ' BC')::timestamptz else (${text})::timestamptz end end)`
    }
  }
}

function arrayOnly(list: Fragment): Fragment {
  return sql`case when jsonb_typeof(${list}) = 'array' then ${list} end`
}

function elements(list: Fragment, alias: string): Fragment {
  return sql`jsonb_array_elements(${arrayOnly(list)}) as ${sql.ref(alias)}(value)`
}
