import { type SqlBool, sql } from 'kysely'
import type { Scalar } from '../../condition/index.js'
import { type Field, isUnlisted } from '../../rulebook/index.js'
import { heldAlone } from '../alone.js'
import { Annotated, knownOf } from '../annotated.js'
import { type Column, type Fragment, MIRRORED, type Order, type Test } from '../expressions.js'
import { inJson } from '../json-column.js'
import type { Known } from '../known.js'
import { besideDay, besideNumber, rangeOfDouble, rangeOfSingle } from '../number-range.js'
import type { FoundColumn } from '../places.js'
import { afterInstant, dayText, value } from './value.js'

/**
 * A plain column, which an index can be on. Its values are converted wherever they are not compared with values of the same storage type.
 */
interface Raw {
  readonly ref: Fragment
  readonly as: string
}

/** The facts about PostgreSQL fragments: the column that they read, or what is known about the value. */
interface About {
  readonly column: Raw
  readonly known: Known
  /** How to convert a text that is known only at run time to the storage of a UUID column. */
  readonly uuid: () => Fragment
}

function about(fragment: Fragment): Partial<About> {
  return knownOf<About>(fragment)
}

/** The column behind a value, if it has a storage type of its own. */
export function rawOf(fragment: Fragment): Raw | undefined {
  return about(fragment).column
}

// Texts that are not in the canonical UUID form equal no value of the column.
const WRITTEN: { readonly [as: string]: RegExp } = {
  uuid: /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/,
  bigint: /^(0|-?[1-9]\d{0,17})$/,
  integer: /^(0|-?[1-9]\d{0,8})$/,
}
// The mark of an enumeration. Its type and labels may follow, as JSON.
const ENUM = 'enum'

/** Whether a column is an enumeration. */
export function isEnum(as: string | undefined): boolean {
  return as === ENUM || as?.startsWith(`${ENUM} {`) === true
}

/** The labels of an enumeration, if they are known. */
function labelsOf(as: string): readonly string[] | undefined {
  return as.startsWith(`${ENUM} {`) ? (JSON.parse(as.slice(ENUM.length)) as { labels: readonly string[] }).labels : undefined
}

// The mark of text whose collation treats different texts as equal, or whose collation is unknown. The collation's name follows.
const LOOSE = 'loose text'

// The mark of citext in a schema that the connection does not search: its operators are those of text then.
const FOREIGN_CITEXT = `${LOOSE} of another schema`

/** Whether comparisons of a column use other operators than its own order does. */
export function hasForeignOrder(as: string | undefined): boolean {
  return as === FOREIGN_CITEXT
}

/** Whether a column treats different texts as equal. */
export function isLoose(as: string | undefined): boolean {
  return as?.startsWith(LOOSE) === true
}

/**
 * The values of a column with a storage type of its own. Texts become text, times are cut to milliseconds, numbers become doubles.
 * Comparisons with similar columns or known values use the plain column.
 */
export function held({ ref, as }: Column, type: Scalar): Fragment {
  const fragment = written(ref, as, type)
  if (as === undefined && type !== 'time') return fragment
  return new Annotated(fragment, { column: { ref, as: as ?? 'timestamptz' } })
}

function written(ref: Fragment, as: string | undefined, type: Scalar): Fragment {
  if (type === 'time') {
    if (as === 'timestamptz(3)') return sql`${ref}`
    if (as === 'date') return sql`(${ref}::timestamp at time zone 'UTC')`
    return sql`date_trunc('milliseconds', ${as === 'timestamp' ? sql`${ref} at time zone 'UTC'` : ref})`
  }
  if (type === 'integer' || type === 'number') {
    // A number beyond all doubles would make the query fail, and with it the list of everyone. Like one in JSON, it is no value of the type.
    if (as === 'numeric') return sql`(case when abs(${ref}) <= 1.7976931348623157e308 then ${ref}::double precision end)`
    return as === 'real' ? sql`${ref}::text::double precision` : ref
  }
  if (type === 'boolean' || as === undefined) return ref
  if (isLoose(as)) return sql`(${ref}::text collate "C")`
  return as.startsWith(COLLATED) ? sql`${ref}` : sql`${ref}::text`
}

/** A text known only at run time, and how to convert it to the storage of a UUID column. */
export function asClaim(fragment: Fragment, uuid: () => Fragment): Fragment {
  return new Annotated(fragment, { uuid })
}

/** The mark of a text column with a collation of its own. */
const COLLATED = 'text collate '

/** The collation of such a column. */
function collationOf(fragment: Fragment): string | undefined {
  const as = rawOf(fragment)?.as
  return as?.startsWith(COLLATED) ? as.slice(COLLATED.length) : undefined
}

/** A time as it is stored, maybe with microseconds. */
export function plainTime(time: Fragment): Fragment {
  const raw = rawOf(time)
  return raw?.as === 'timestamptz' || raw?.as === 'timestamptz(3)' ? raw.ref : time
}

/** The second of two texts, in the collation of the first if both have their own, so that an index on the first can be used. */
export function collatedLike(first: Fragment, second: Fragment): Fragment {
  const [one, other] = [collationOf(first), collationOf(second)]
  return one === undefined || other === undefined || one === other ? second : sql`(${second} collate ${sql.raw(one)})`
}

/**
 * A value that is looked up among keys that a query selects. The selected keys have a collation of their own again, whatever was said
 * within the query. With the collation on the value, an index can still be used.
 */
export function besideKeys(value: Fragment, key: Fragment): Fragment {
  const own = collationOf(value)
  return own === undefined || own === collationOf(key) ? value : sql`(${value} collate ${sql.raw(own)})`
}

/** Two texts of which one is chosen. If a column has a collation of its own, both get one that combines with any. */
export function mixed(first: Fragment, second: Fragment): readonly [Fragment, Fragment] {
  if (collationOf(first) === undefined && collationOf(second) === undefined) return [first, second]
  return [sql`(${first} collate "C")`, sql`(${second} collate "C")`]
}

/** Equality of texts. */
export function sameText(left: Fragment, right: Fragment): Test {
  const [a, b] = [rawOf(left), rawOf(right)]
  const same = sql<SqlBool>`${left} = ${collatedLike(left, right)}`
  if (a !== undefined && b !== undefined && a.as === b.as) {
    if (a.as in WRITTEN) return sql<SqlBool>`${a.ref} = ${b.ref}`
    if (labelsOf(a.as) !== undefined) return sql<SqlBool>`${a.ref} = ${b.ref}`
    return isLoose(a.as) ? sql<SqlBool>`(${a.ref} = ${b.ref} and ${same})` : same
  }
  const uuid = a?.as === 'uuid' ? about(right).uuid : b?.as === 'uuid' ? about(left).uuid : undefined
  if (uuid !== undefined) return sql<SqlBool>`${(a ?? b)?.ref} = ${uuid()}`
  const [column, known] = a === undefined ? [b, about(left).known] : [a, about(right).known]
  if (column === undefined || known === undefined) return same
  const alike = knownIn(column, [known])
  return isLoose(column.as) ? sql<SqlBool>`(${alike} and ${same})` : (alike ?? same)
}

/** Whether the plain column is one of the texts; undefined if it cannot be compared directly. */
export function knownIn({ ref, as }: Raw, texts: readonly Known[]): Test | undefined {
  const labels = labelsOf(as)
  if (labels !== undefined) return labelIn(ref, labels, texts)
  if (!(as in WRITTEN) && !isLoose(as)) return undefined
  const possible = writtenAs(as, texts)
  if (possible.length === 0) return sql<SqlBool>`1 = 0`
  // A parameter without a type takes that of the column.
  return sql<SqlBool>`${ref} in (${parameters(possible)})`
}

function parameters(texts: readonly Known[]): Fragment {
  return sql.join(texts.map((text) => text.parameter(String)))
}

/** Whether a column of an enumeration is one of the texts. A label that was added after the layout was read is compared as a text. */
function labelIn(ref: Fragment, labels: readonly string[], texts: readonly Known[]): Test {
  const isLabel = texts.map((text) => text.look((one) => labels.includes(String(one))))
  const known = texts.filter((_, at) => isLabel[at])
  const others = texts.filter((_, at) => !isLabel[at])
  const tests = [
    ...(known.length > 0 ? [sql<SqlBool>`${ref} in (${parameters(known)})`] : []),
    ...(others.length > 0 ? [sql<SqlBool>`${ref}::text in (${parameters(others)})`] : []),
  ]
  return tests.length === 1 ? (tests[0] as Test) : sql<SqlBool>`(${sql.join(tests, sql` or `)})`
}

/** The texts that such a column can hold. */
export function writtenAs(as: string, values: readonly Known[]): readonly Known[] {
  const form = WRITTEN[as]
  return form === undefined ? values : values.filter((one) => one.look((value) => form.test(String(value))))
}

/** A parameter that remembers its value. */
export function known(what: Known, type: Scalar): Fragment {
  return new Annotated(value(what, type), { known: what })
}

/**
 * A comparison of numbers, booleans or times. If one side is a column and the other one is known, an index on the plain column can be used.
 */
export function inOrder(left: Fragment, order: Order, right: Fragment): Test {
  const exact = sql<SqlBool>`${left} ${sql.raw(order)} ${right}`
  const [a, b] = [about(left), about(right)]
  if (a.column === undefined && b.column !== undefined && a.known !== undefined) return inOrder(right, MIRRORED[order], left)
  if (a.column === undefined || b.known === undefined) return exact
  const { ref, as } = a.column
  if (TIMES.has(as)) return besideInstant(a.column, order, b.known)
  if (as === 'date') return besideDay(ref, order, b.known, (midnight) => sql`${midnight.parameter((one) => dayText(one as number))}::date`)
  if (as !== 'numeric' && as !== 'real') return exact
  const number = b.known
  if (number.look((one) => Math.abs(one as number) > LARGEST_WITH_RANGE)) return exact
  if (as === 'numeric')
    return besideNumber(exact, order, ref, (end) => sql`${number.parameter((one) => String(rangeOfDouble(one as number)[end]))}::numeric`)
  const single = (end: 0 | 1) => number.parameter((one) => rangeOfSingle(one as number, 2 ** -22)[end])
  return besideNumber(exact, order, ref, (end) => sql`${single(end)}::double precision`)
}

const TIMES: ReadonlySet<string> = new Set(['timestamptz', 'timestamptz(3)', 'timestamp'])

// Beyond it, the neighbours of a double may be infinite.
const LARGEST_WITH_RANGE = 1e308

function besideInstant({ ref, as }: Raw, order: Order, instant: Known): Test {
  const fits = (time: Fragment) => (as === 'timestamp' ? sql`(${time} at time zone 'UTC')` : time)
  const from = fits(value(instant, 'time'))
  if (as === 'timestamptz(3)') return sql<SqlBool>`${ref} ${sql.raw(order)} ${from}`
  const until = fits(afterInstant(instant))
  if (order === '=') return sql<SqlBool>`(${ref} >= ${from} and ${ref} < ${until})`
  if (order === '<' || order === '>=') return sql<SqlBool>`${ref} ${sql.raw(order)} ${from}`
  return order === '<=' ? sql<SqlBool>`${ref} < ${until}` : sql<SqlBool>`${ref} >= ${until}`
}

/** Whether LIKE can be used: not in a nondeterministic collation, and an index only serves a plain column. */
export function canMatch(text: Fragment): boolean {
  const raw = rawOf(text)
  return raw === undefined || raw.as.startsWith(COLLATED)
}

/** What to group a text by: the plain column, unless its collation treats different texts as equal. */
export function groupedText(text: Fragment): Fragment {
  const raw = rawOf(text)
  return raw === undefined || isLoose(raw.as) ? text : raw.ref
}

/** A value in the form that a subquery selects. The result can be compared with columns again. */
export function key(fragment: Fragment): Fragment {
  const raw = rawOf(fragment)
  return raw !== undefined && raw.as in WRITTEN ? raw.ref : fragment
}

/** A column of such values. */
export function kept(ref: Fragment, fragment: Fragment): Fragment {
  const raw = rawOf(fragment)
  if (raw === undefined) return ref
  if (isLoose(raw.as)) return sql`(${ref} collate "C")`
  return raw.as in WRITTEN || raw.as.startsWith(COLLATED) ? held({ ref, as: raw.as }, 'text') : ref
}

/** The array column and its element type, if a list is stored as an array. */
export function arrayOf(list: Fragment): { readonly ref: Fragment; readonly element: string } | undefined {
  const raw = rawOf(list)
  return raw?.as.endsWith('[]') ? { ref: raw.ref, element: raw.as.slice(0, -2) } : undefined
}

// Element types with a storage of their own.
const SPECIAL: ReadonlySet<string> = new Set(['uuid', 'numeric', 'real'])

function isSpecial(element: string): boolean {
  return SPECIAL.has(element) || isEnum(element) || isLoose(element) || element.startsWith(COLLATED)
}

/** The type that the elements of an array are cast to. */
export function elementType(element: string): string {
  return element.startsWith(COLLATED) ? 'text' : element
}

/** An element of an array. */
export function heldElement(ref: Fragment, element: string, type: Scalar): Fragment {
  return held({ ref, ...(isSpecial(element) || type === 'time' ? { as: element } : {}) }, type)
}

/** Whether array operators compare such elements correctly. */
export function areAlike(element: string, type: Scalar): boolean {
  return type !== 'time' && (element === 'uuid' || (!SPECIAL.has(element) && !isEnum(element) && !isLoose(element)))
}

/** A column that is an array. */
export function heldArray(ref: Fragment, as: string): Fragment {
  return new Annotated(ref, { column: { ref, as } })
}

/** The storage type of a column for a field. */
export function heldAs(found: FoundColumn, field: Field): string | null | undefined {
  const type = found.type.toLowerCase()
  if (inJson(field)) return heldList(found, type, field)
  if (isUnlisted(field)) return heldAlone(field, type, { bigint: /^(bigint|integer|smallint|numeric\b.*)$/, bytes: /^bytea$/ })
  switch (field.type as Scalar) {
    case 'text':
    case 'id':
      return heldText(found, type)
    case 'boolean':
      return type === 'boolean' ? undefined : null
    case 'integer':
    case 'number':
      if (/^(bigint|integer|smallint|double precision)$/.test(type)) return undefined
      return /^numeric\b/.test(type) ? 'numeric' : type === 'real' ? 'real' : null
    case 'time':
      return heldTime(type)
  }
}

function heldList({ kind, collation, labels }: FoundColumn, type: string, field: Field): string | null | undefined {
  if (type === 'jsonb') return undefined
  const { list: _list, ...element } = field
  if (!field.list || !type.endsWith('[]') || inJson(element)) return null
  const bare = type.slice(0, -2)
  const one = heldAs(
    { schema: '', table: '', column: '', type: bare, kind: kind ?? null, collation: collation ?? null, labels: labels ?? null },
    element,
  )
  return one === null ? null : `${one ?? bare.replace(/\(.*\)/, '')}[]`
}

function heldText({ kind, collation, labels }: FoundColumn, type: string): string | null | undefined {
  if (kind === 'e') return labels ? `${ENUM} ${JSON.stringify({ type, labels: JSON.parse(labels) })}` : ENUM
  if (type === 'citext') return LOOSE
  if (type.endsWith('.citext')) return FOREIGN_CITEXT
  if (collation?.startsWith(LOOSE)) return collation
  if (type === 'uuid' || type === 'bigint' || type === 'integer') return type
  if (!/^(text|character varying\b.*)$/.test(type)) return null
  return collation ? `${COLLATED}${collation}` : undefined
}

function heldTime(type: string): string | null {
  if (/^timestamp\([0-3]\) with time zone$/.test(type)) return 'timestamptz(3)'
  if (/^timestamp(\(\d\))? with time zone$/.test(type)) return 'timestamptz'
  if (/^timestamp(\(\d\))? without time zone$/.test(type)) return 'timestamp'
  return type === 'date' ? 'date' : null
}
