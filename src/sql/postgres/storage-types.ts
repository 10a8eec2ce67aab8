import { type SqlBool, sql } from 'kysely'
import type { Comparable, Scalar } from '../../condition/index.js'
import type { Field } from '../../rulebook/index.js'
import { Annotated, knownOf } from '../annotated.js'
import { type Column, type Fragment, MIRRORED, type Order, type Test } from '../expressions.js'
import { inJson } from '../json-column.js'
import type { FoundColumn } from '../places.js'
import { afterInstant, value } from './value.js'

/** A column, as it is: what an index is on. Its values are written in another way wherever they are not compared with their like. */
interface Raw {
  readonly ref: Fragment
  readonly as: string
}

/** What PostgreSQL's values carry: the column that they are of, or what they are known to be. */
interface About {
  readonly column: Raw
  readonly known: Comparable
  /** How a text that is known only when the query runs is asked for as what a column of UUIDs holds. */
  readonly uuid: () => Fragment
}

function about(fragment: Fragment): Partial<About> {
  return knownOf<About>(fragment)
}

/** The column behind a value, where it holds values in a way of its own. */
export function rawOf(fragment: Fragment): Raw | undefined {
  return about(fragment).column
}

// Texts that only look like those in the column equal none of them.
const WRITTEN: { readonly [as: string]: RegExp } = {
  uuid: /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/,
  bigint: /^(0|-?[1-9]\d{0,17})$/,
  integer: /^(0|-?[1-9]\d{0,8})$/,
}
// Text in a collation under which different texts are equal, or in one that nobody named; its name follows.
const LOOSE = 'loose text'

/** Whether a column takes different texts for equal. */
export function isLoose(as: string | undefined): boolean {
  return as?.startsWith(LOOSE) === true
}

/**
 * The values of a column that holds them in a way of its own. Texts are written as texts, times cut to milliseconds, numbers
 * read as JavaScript reads them; and comparisons with similar columns, or known values, use the column itself.
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
    if (as === 'numeric') return sql`${ref}::double precision`
    return as === 'real' ? sql`${ref}::text::double precision` : ref
  }
  if (type === 'boolean' || as === undefined) return ref
  if (isLoose(as)) return sql`(${ref}::text collate "C")`
  return as.startsWith(COLLATED) ? sql`${ref}` : sql`${ref}::text`
}

/** A text that is known only when the query runs, and how it is asked for as what a column of UUIDs holds. */
export function asClaim(fragment: Fragment, uuid: () => Fragment): Fragment {
  return new Annotated(fragment, { uuid })
}

/** A column of texts in a collation of its own. */
const COLLATED = 'text collate '

/** The collation of such a column. */
function collationOf(fragment: Fragment): string | undefined {
  const as = rawOf(fragment)?.as
  return as?.startsWith(COLLATED) ? as.slice(COLLATED.length) : undefined
}

/** The second of two texts, in the collation of the first where both have one of their own: so that an index on the first serves. */
export function collatedLike(first: Fragment, second: Fragment): Fragment {
  const [one, other] = [collationOf(first), collationOf(second)]
  return one === undefined || other === undefined || one === other ? second : sql`(${second} collate ${sql.raw(one)})`
}

/**
 * A value that is looked for among keys which a query selects: these have a collation of their own again, whatever was said of it
 * within the query. Said of the value, in its own collation, an index still serves.
 */
export function besideKeys(value: Fragment, key: Fragment): Fragment {
  const own = collationOf(value)
  return own === undefined || own === collationOf(key) ? value : sql`(${value} collate ${sql.raw(own)})`
}

/** Two texts of which one is taken: where a column has a collation of its own, both in one that goes with any. */
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
    return isLoose(a.as) ? sql<SqlBool>`(${a.ref} = ${b.ref} and ${same})` : same
  }
  const uuid = a?.as === 'uuid' ? about(right).uuid : b?.as === 'uuid' ? about(left).uuid : undefined
  if (uuid !== undefined) return sql<SqlBool>`${(a ?? b)?.ref} = ${uuid()}`
  const [column, known] = a === undefined ? [b, about(left).known] : [a, about(right).known]
  if (column === undefined || known === undefined) return same
  const alike = knownIn(column, [String(known)])
  return isLoose(column.as) ? sql<SqlBool>`(${alike} and ${same})` : (alike ?? same)
}

/** The column being one of the texts, by itself; undefined where it cannot be compared so. */
export function knownIn({ ref, as }: Raw, texts: readonly string[]): Test | undefined {
  if (!(as in WRITTEN) && !isLoose(as)) return undefined
  const possible = writtenAs(as, texts)
  if (possible.length === 0) return sql<SqlBool>`1 = 0`
  // A parameter without a type takes that of the column.
  return sql<SqlBool>`${ref} in (${sql.join(possible)})`
}

/** Those of the texts that such a column can hold at all. */
export function writtenAs<T>(as: string, values: readonly T[]): readonly T[] {
  const form = WRITTEN[as]
  return form === undefined ? values : values.filter((one) => form.test(String(one)))
}

/** A parameter that is remembered for what it is. */
export function known(what: Comparable, type: Scalar): Fragment {
  return new Annotated(value(what, type), { known: what })
}

/** A comparison of numbers, booleans or times. A time is compared with a known one by the column, whose microseconds are cut. */
export function inOrder(left: Fragment, order: Order, right: Fragment): Test {
  const time = rawOf(left)
  const instant = about(right).known
  if (time !== undefined && typeof instant === 'number' && TIMES.has(time.as)) return besideInstant(time, order, instant)
  if (rawOf(right) !== undefined && typeof about(left).known === 'number' && TIMES.has(rawOf(right)?.as as string))
    return inOrder(right, MIRRORED[order], left)
  return sql<SqlBool>`${left} ${sql.raw(order)} ${right}`
}

const TIMES: ReadonlySet<string> = new Set(['timestamptz', 'timestamptz(3)', 'timestamp'])

function besideInstant({ ref, as }: Raw, order: Order, instant: number): Test {
  const fits = (time: Fragment) => (as === 'timestamp' ? sql`(${time} at time zone 'UTC')` : time)
  const from = fits(value(instant, 'time'))
  if (as === 'timestamptz(3)') return sql<SqlBool>`${ref} ${sql.raw(order)} ${from}`
  const until = fits(afterInstant(instant))
  if (order === '=') return sql<SqlBool>`(${ref} >= ${from} and ${ref} < ${until})`
  if (order === '<' || order === '>=') return sql<SqlBool>`${ref} ${sql.raw(order)} ${from}`
  return order === '<=' ? sql<SqlBool>`${ref} < ${until}` : sql<SqlBool>`${ref} >= ${until}`
}

/** A value as a query keeps it: the result can be compared with columns again. */
export function key(fragment: Fragment): Fragment {
  const raw = rawOf(fragment)
  return raw !== undefined && raw.as in WRITTEN ? raw.ref : fragment
}

/** A column that keeps such values. */
export function kept(ref: Fragment, fragment: Fragment): Fragment {
  const raw = rawOf(fragment)
  if (raw === undefined) return ref
  if (isLoose(raw.as)) return sql`(${ref} collate "C")`
  return raw.as in WRITTEN || raw.as.startsWith(COLLATED) ? held({ ref, as: raw.as }, 'text') : ref
}

/** Whether a list is an array of the database, and of what. */
export function arrayOf(list: Fragment): { readonly ref: Fragment; readonly element: string } | undefined {
  const raw = rawOf(list)
  return raw?.as.endsWith('[]') ? { ref: raw.ref, element: raw.as.slice(0, -2) } : undefined
}

// Elements that are held in a way of their own.
const SPECIAL: ReadonlySet<string> = new Set(['uuid', 'enum', 'numeric', 'real'])

function isSpecial(element: string): boolean {
  return SPECIAL.has(element) || isLoose(element) || element.startsWith(COLLATED)
}

/** What the elements of an array are cast to. */
export function elementType(element: string): string {
  return element.startsWith(COLLATED) ? 'text' : element
}

/** An element of an array. */
export function heldElement(ref: Fragment, element: string, type: Scalar): Fragment {
  return held({ ref, ...(isSpecial(element) || type === 'time' ? { as: element } : {}) }, type)
}

/** Whether elements of that kind are equal where arrays say so. */
export function areAlike(element: string, type: Scalar): boolean {
  return type !== 'time' && (element === 'uuid' || (!SPECIAL.has(element) && !isLoose(element)))
}

/** A column that is an array. */
export function heldArray(ref: Fragment, as: string): Fragment {
  return new Annotated(ref, { column: { ref, as } })
}

/** As what a column holds a field: the word that a layout keeps. */
export function heldAs(found: FoundColumn, field: Field): string | null | undefined {
  const type = found.type.toLowerCase()
  if (inJson(field)) return heldList(found, type, field)
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

function heldList({ kind, collation }: FoundColumn, type: string, field: Field): string | null | undefined {
  if (type === 'jsonb') return undefined
  const { list: _list, ...element } = field
  if (!field.list || !type.endsWith('[]') || inJson(element)) return null
  const bare = type.slice(0, -2)
  const one = heldAs({ schema: '', table: '', column: '', type: bare, kind: kind ?? null, collation: collation ?? null }, element)
  return one === null ? null : `${one ?? bare.replace(/\(.*\)/, '')}[]`
}

function heldText({ kind, collation }: FoundColumn, type: string): string | null | undefined {
  if (kind === 'e') return 'enum'
  if (type === 'citext') return LOOSE
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
