import { type RawBuilder, type SqlBool, sql } from 'kysely'
import { type Comparable, FIRST_INSTANT, instantText, LAST_INSTANT, type Scalar } from '../../condition/index.js'
import { type Field, isUnlisted } from '../../rulebook/index.js'
import { heldAlone } from '../alone.js'
import { Annotated } from '../annotated.js'
import { type Column, type Fragment, MIRRORED, type Order, type Side, type Test } from '../expressions.js'
import { inJson } from '../json-column.js'
import { Known } from '../known.js'
import { besideDay, besideNumber, rangeOfDouble, rangeOfSingle } from '../number-range.js'
import type { FoundColumn } from '../places.js'

/** A plain column or parameter, for which an index can be used. */
interface Plain {
  readonly ref: Fragment
  readonly type: Scalar
  /** For a column: how it stores its values. */
  readonly as?: string
  /** For a parameter: its value. */
  readonly known?: Known
}

/** The collation that compares code point by code point, including trailing spaces. */
const EXACT = 'utf8mb4_nopad_bin'
/** The mark of an enumeration. Its collation follows. */
const ENUM = 'enum '
const UUID = /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/

/** Whether a column is an enumeration. */
export function isEnum(as: string | undefined): boolean {
  return as?.startsWith(ENUM) === true
}

function plain(fragment: Fragment, what: Plain): Fragment {
  return new Annotated(fragment, what)
}

/** The facts about a plain column or parameter; undefined for other expressions. */
function plainOf(fragment: Fragment): Plain | undefined {
  return fragment instanceof Annotated ? (fragment.about as Plain) : undefined
}

/** The values of a column: times cut to milliseconds and in UTC, numbers as JavaScript reads them. */
export function held({ ref, as }: Column, type: Scalar): Fragment {
  return plain(written(ref, as, type), { ref, type, ...(as === undefined ? {} : { as }) })
}

function written(ref: Fragment, as: string | undefined, type: Scalar): Fragment {
  if (type === 'time') {
    if (as === 'datetime(3)') return sql`${ref}`
    if (as === 'date') return sql`cast(${ref} as datetime(3))`
    const time = as === 'timestamp' ? inUtc(ref) : ref
    // Through text: date arithmetic does not support year 0, and a cast may round.
    return sql`cast(left(cast(${time} as char), 23) as datetime(3))`
  }
  if (as === 'decimal') return sql`cast(${ref} as double)`
  if (as === 'float') return sql`cast(cast(${ref} as char) as double)`
  return as === 'uuid' ? sql`cast(${ref} as char(36))` : sql`${ref}`
}

/** A time of a TIMESTAMP column, which is given in the time zone of the session, in UTC. */
export function inUtc(time: Fragment): Fragment {
  return sql`convert_tz(${time}, @@session.time_zone, '+00:00')`
}

/** A time in UTC, as text, as a TIMESTAMP column takes it. */
export function inSession(time: unknown): RawBuilder<unknown> {
  return sql`convert_tz(${time}, '+00:00', @@session.time_zone)`
}

/** A parameter. */
export function known(what: Known, type: Scalar): Fragment {
  const fragment = value(what, type)
  return plain(fragment, { ref: fragment, type, known: what })
}

export function value(what: Known, type: Scalar): Fragment {
  if (type === 'time') return sql`cast(${what.parameter((time) => timeText(time as number))} as datetime(3))`
  // A literal with a fraction would be a decimal with few digits.
  if (what.look((one) => typeof one === 'number' && !Number.isSafeInteger(one))) return sql`cast(${what.parameter(String)} as double)`
  return sql`${what.parameter()}`
}

/** A time in MariaDB's format. */
export function timeText(time: number): string {
  return instantText(time).replace('T', ' ').slice(0, -1)
}

/** A time in UTC, maybe with microseconds: the plain column, if it is stored so. */
export function plainTime(time: Fragment): Fragment {
  const column = plainOf(time)
  return column?.as === 'datetime' || column?.as === 'datetime(3)' ? column.ref : time
}

/** A text that is compared and sorted by code points. */
export function exact(text: Fragment): Fragment {
  if (plainOf(text)?.as === EXACT) return text
  return sql`(convert(${text} using utf8mb4) collate ${sql.raw(EXACT)})`
}

/** Whether this is a plain column or parameter. */
export function isPlain(fragment: Fragment): boolean {
  return plainOf(fragment) !== undefined
}

/** Equality of texts: in the column's collation, which an index serves, and then code point by code point. */
export function sameText(left: Fragment, right: Fragment): Test {
  const same = sql<SqlBool>`${exact(left)} = ${exact(right)}`
  const [a, b] = [plainOf(left), plainOf(right)]
  if (a === undefined || b === undefined) return same
  if (a.known !== undefined && b.known === undefined) return sameText(right, left)
  // A parameter takes the collation of the column.
  if (a.as === EXACT && (b.as === EXACT || b.known !== undefined)) return sql<SqlBool>`${left} = ${right}`
  if (a.as === 'uuid') {
    if (b.as === 'uuid') return sql<SqlBool>`${a.ref} = ${b.ref}`
    return b.known === undefined ? same : besideUuid(a.ref, [b.known])
  }
  // Columns with two collations cannot be compared directly.
  return b.known === undefined && b.as !== a.as ? same : b.as === 'uuid' ? same : sql<SqlBool>`(${left} = ${right} and ${same})`
}

function besideUuid(column: Fragment, values: readonly Known[]): Test {
  const possible = values.filter((one) => one.look((value) => UUID.test(String(value))))
  return possible.length === 0 ? sql<SqlBool>`1 = 0` : sql<SqlBool>`${column} in (${sql.join(possible.map((one) => one.parameter()))})`
}

/** The storage types of numbers that are also compared by the plain column. */
const CONVERTED: ReadonlySet<string> = new Set(['decimal', 'float'])

/**
 * Collations of no language in which all of A to Z are the same as small letters. In those of a language, some are not: "I" is no capital "i"
 * in Turkish, and "aA" is not "aa" in Danish, where "aa" is one letter.
 */
const LOOSE =
  /^(utf8(mb3|mb4)?|latin1)_(general|unicode|unicode_520)(_nopad)?_ci$|^latin1_swedish_ci$|^(utf8mb4_)?uca1400_(nopad_)?a[is]_ci$/

/**
 * A comparison without regard to case, with one in the collation of the column before it, which an index serves: the collation finds at least
 * as much.
 */
export function besideLoose(left: Fragment, right: Fragment, exactly: Test): Test {
  const [a, b] = [plainOf(left), plainOf(right)]
  if (a === undefined || b === undefined) return exactly
  if (a.known !== undefined && b.known === undefined) return besideLoose(right, left, exactly)
  const isLoose = a.known === undefined && LOOSE.test(a.as ?? '')
  return isLoose && (b.known !== undefined || b.as === a.as) ? sql<SqlBool>`(${left} = ${right} and ${exactly})` : exactly
}

/** Whether the value is one of several. */
export function isAmong(item: Fragment, given: readonly Comparable[], type: Scalar): Test {
  const values = given.map(Known.constant)
  const column = plainOf(item)
  if (column !== undefined && column.known === undefined && (type === 'time' || CONVERTED.has(column.as ?? '')))
    return sql<SqlBool>`(${sql.join(
      values.map((one) => inOrder(item, '=', known(one, type))),
      sql` or `,
    )})`
  const among = values.map((one) => value(one, type))
  if (type !== 'text' && type !== 'id') return sql<SqlBool>`${item} in (${sql.join(among)})`
  if (column?.as === 'uuid') return besideUuid(column.ref, values)
  if (column?.as === EXACT) return sql<SqlBool>`${item} in (${sql.join(among)})`
  const exactly = sql<SqlBool>`${exact(item)} in (${sql.join(among.map(exact))})`
  return column === undefined ? exactly : sql<SqlBool>`(${item} in (${sql.join(among)}) and ${exactly})`
}

/**
 * A comparison of numbers, booleans or times. If one side is a column and the other one is known, an index on the plain column can be used.
 */
export function inOrder(left: Fragment, order: Order, right: Fragment): Test {
  const exact = sql<SqlBool>`${left} ${sql.raw(order)} ${right}`
  const [a, b] = [plainOf(left), plainOf(right)]
  if (a?.known !== undefined && b !== undefined && b.known === undefined) return inOrder(right, MIRRORED[order], left)
  if (a === undefined || a.known !== undefined || b?.known === undefined) return exact
  if (a.type === 'time' && b.type === 'time') return besideTime(a, order, b.known, exact)
  return besideKnown(a, order, b.known, exact)
}

function besideTime(column: Plain, order: Order, instant: Known, exact: Test): Test {
  if (column.as === 'date')
    return besideDay(column.ref, order, instant, (midnight) => sql`cast(${midnight.parameter((one) => dayText(one as number))} as date)`)
  if (column.as !== 'timestamp') return besideInstant(column, order, instant)
  // Where clocks are set back, an hour comes twice in the time zone of the session: so the plain column is only compared roughly.
  const roughly = (end: 0 | 1) => instant.parameter((time) => timeText(withinYears((time as number) + (end === 0 ? -ROUGHLY : ROUGHLY))))
  return besideNumber(exact, order, column.ref, (end) => inSession(roughly(end)))
}

const ROUGHLY = 3 * 3_600_000

function withinYears(time: number): number {
  return Math.min(Math.max(time, FIRST_INSTANT), LAST_INSTANT)
}

function besideKnown({ ref, as }: Plain, order: Order, known: Known, exact: Test): Test {
  if (as !== 'decimal' && as !== 'float') return exact
  // Beyond these, the decimal bounds would be rounded too much.
  const isModest = (one: Comparable) => one === 0 || (Math.abs(one as number) > 1e-10 && Math.abs(one as number) < 1e30)
  if (!known.look(isModest)) return exact
  const bound = (end: 0 | 1) => {
    if (as === 'decimal') return sql`cast(${known.parameter((one) => String(rangeOfDouble(one as number)[end]))} as decimal(65, 30))`
    // Its text has six digits.
    return sql`cast(${known.parameter((one) => String(rangeOfSingle(one as number, 2 ** -16)[end]))} as double)`
  }
  return besideNumber(exact, order, ref, bound)
}

/** A day in MariaDB's format, from its midnight in UTC. */
function dayText(midnight: number): string {
  return instantText(midnight).slice(0, 10)
}

function besideInstant({ ref, as }: Plain, order: Order, instant: Known): Test {
  const from = value(instant, 'time')
  if (as === 'datetime(3)') return sql<SqlBool>`${ref} ${sql.raw(order)} ${from}`
  if (order === '<' || order === '>=') return sql<SqlBool>`${ref} ${sql.raw(order)} ${from}`
  // Nothing is later than the last time.
  if (instant.look((one) => one === LAST_INSTANT))
    return order === '>' ? sql<SqlBool>`1 = 0` : order === '=' ? sql<SqlBool>`${ref} >= ${from}` : sql<SqlBool>`${ref} is not null`
  const until = value(
    instant.map((one) => (one as number) + 1),
    'time',
  )
  if (order === '=') return sql<SqlBool>`(${ref} >= ${from} and ${ref} < ${until})`
  return order === '<=' ? sql<SqlBool>`${ref} < ${until}` : sql<SqlBool>`${ref} >= ${until}`
}

/** A key as selected by a subquery, and as looked up in its result. */
export function asKey(fragment: Fragment, type: Scalar): Fragment {
  return type === 'text' || type === 'id' ? exact(fragment) : fragment
}

/**
 * The parts by which a key is looked up. If the column's collation is loose: the plain value, which an index serves, and the exact value.
 * Derived tables have a column for each part.
 */
export function keyParts(fragment: Fragment): readonly Fragment[] {
  const column = plainOf(fragment)
  if (column === undefined) return [fragment]
  const isText = column.type === 'text' || column.type === 'id'
  return !isText || column.as === EXACT || column.as === 'uuid' ? [column.ref] : [column.ref, exact(fragment)]
}

/** A value and the key that it is looked up in, as pairs that must all be equal: also the plain columns if they compare alike. */
export function pairOfKeys(value: Side, key: Side): readonly (readonly [Fragment, Fragment])[] {
  const exactly = [asKey(value.value, value.type), asKey(key.value, key.type)] as const
  const [one, other] = [plainOf(value.value), plainOf(key.value)]
  if (!areAlike(value.value, key.value) || one?.known !== undefined || other?.known !== undefined) return [exactly]
  const columns = [one?.ref as Fragment, other?.ref as Fragment] as const
  if (one?.as === 'uuid') return [columns]
  return keyParts(value.value).length === 1 ? [exactly] : [columns, exactly]
}

/** A column with exact keys. */
export function keptExactly(ref: Fragment, fragment: Fragment): Fragment {
  const from = plainOf(fragment)
  return from !== undefined && (from.type === 'text' || from.type === 'id') ? held({ ref, as: EXACT }, 'text') : ref
}

/** The storage type of a column for a field. */
export function heldAs({ type: written, collation }: FoundColumn, field: Field): string | null | undefined {
  const type = written.toLowerCase()
  // A JSON column is a text with a check constraint.
  if (inJson(field)) return /^(json|longtext|mediumtext|text)$/.test(type) ? undefined : null
  if (isUnlisted(field))
    return heldAlone(field, type, {
      bigint: /^((tiny|small|medium|big)?int\b|decimal\(\d+,0\))/,
      bytes: /^(tiny|medium|long)?blob|^(var)?binary\b/,
    })
  switch (field.type as Scalar) {
    case 'text':
    case 'id':
      if (type === 'uuid') return 'uuid'
      if (!/^(char|varchar|tinytext|text|mediumtext|longtext|enum)\b/.test(type)) return null
      if (type.startsWith('enum')) return ENUM + (collation ?? '')
      return collation ?? undefined
    case 'boolean':
      return /^(tinyint|boolean)\b/.test(type) ? undefined : null
    case 'integer':
    case 'number':
      if (/^(tinyint|smallint|mediumint|int|bigint|double)\b/.test(type)) return undefined
      return /^(decimal|float)\b/.exec(type)?.[1] ?? null
    case 'time':
      if (/^datetime(\([0-3]\))?$/.test(type)) return 'datetime(3)'
      return /^(datetime|timestamp|date)\b/.exec(type)?.[1] ?? null
  }
}

/** Whether two columns store and compare their values in the same way. */
export function areAlike(a: Fragment, b: Fragment): boolean {
  const as = plainOf(a)?.as
  return as !== undefined && as === plainOf(b)?.as
}
