import { sql } from 'kysely'
import { type Comparable, instantText, LAST_INSTANT, type Scalar } from '../../condition/index.js'
import type { Fragment } from '../expressions.js'

/** The types of parameters. */
export const PARAMETER_TYPES: { readonly [T in Scalar]: string } = {
  text: 'text',
  id: 'text',
  time: 'timestamptz',
  integer: 'bigint',
  number: 'double precision',
  boolean: 'boolean',
}

/**
 * A parameter with an explicit type. Integers are bigint when compared with any number, so that an index on a bigint column can be used.
 */
export function value(known: Comparable, type: Scalar): Fragment {
  if (type === 'time') return sql`${timeText(known as number)}::timestamptz`
  if (type === 'number' || type === 'integer') return sql`${known}::${sql.raw(Number.isSafeInteger(known) ? 'bigint' : 'double precision')}`
  return sql`${known}::${sql.raw(PARAMETER_TYPES[type])}`
}

/** The time one millisecond later. */
export function afterInstant(time: number): Fragment {
  return time === LAST_INSTANT ? sql`'10000-01-01 00:00:00+00'::timestamptz` : value(time + 1, 'time')
}

/** A day in PostgreSQL's format, from its midnight in UTC. */
export function dayText(midnight: number): string {
  const [day = '', era = ''] = timeText(midnight).split(/T[^ ]*/)
  return day + era
}

/** A time in PostgreSQL's format: the year 0 is the year 1 BC. */
export function timeText(time: number): string {
  const text = instantText(time)
  return text.startsWith('0000') ? `0001${text.slice(4)} BC` : text
}
