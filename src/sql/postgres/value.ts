import { sql } from 'kysely'
import { instantText, LAST_INSTANT, type Scalar } from '../../condition/index.js'
import type { Fragment } from '../expressions.js'
import type { Known } from '../known.js'

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
export function value(known: Known, type: Scalar): Fragment {
  if (type === 'time') return sql`${known.parameter((time) => timeText(time as number))}::timestamptz`
  if (type === 'number' || type === 'integer')
    return sql`${known.parameter()}::${sql.raw(known.look(Number.isSafeInteger) ? 'bigint' : 'double precision')}`
  return sql`${known.parameter()}::${sql.raw(PARAMETER_TYPES[type])}`
}

/** The time one millisecond later. */
export function afterInstant(time: Known): Fragment {
  if (time.look((instant) => instant === LAST_INSTANT)) return sql`'10000-01-01 00:00:00+00'::timestamptz`
  return value(
    time.map((instant) => (instant as number) + 1),
    'time',
  )
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
