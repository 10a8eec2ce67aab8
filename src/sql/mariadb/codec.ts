import { sql } from 'kysely'
import { type Field, isUnlisted } from '../../rulebook/index.js'
import type { Codec } from '../dialect.js'
import type { Fragment } from '../expressions.js'
import { fromJson, inJson, jsonValue, knownInstant, timeOf, unlistedIn, unlistedOf } from '../json-column.js'
import { inSession, plainTime, timeText } from './storage-types.js'

/** How columns of this database store values. */
export const codec: Codec = Object.freeze({
  // Drivers convert datetimes by time zones that they were configured with, so times are selected as text.
  selected(column: Fragment, field: Field): Fragment {
    // Drivers round large whole numbers, unless they are told not to.
    if (isUnlisted(field) && field.held === 'bigint') return sql`cast(${column} as char)`
    return field.type === 'time' && !field.list ? sql`date_format(${plainTime(column)}, '%Y-%m-%dT%H:%i:%s.%fZ')` : column
  },
  encode(field: Field, given: unknown, as?: string): unknown {
    if (given === null || given === undefined) return null
    if (inJson(field)) return JSON.stringify(jsonValue(field, given))
    if (isUnlisted(field)) return unlistedIn(field, given)
    if (field.type !== 'time') return given
    const time = timeText(knownInstant(given))
    return as === 'timestamp' ? inSession(time) : time
  },
  decode(field: Field, held: unknown): unknown {
    if (held === null || held === undefined) return field.nullable ? null : undefined
    // Some drivers parse JSON themselves.
    if (inJson(field)) return fromJson(field, typeof held === 'string' ? JSON.parse(held) : held)
    if (isUnlisted(field)) return unlistedOf(field, held)
    if (field.type === 'time') return timeOf(field, held)
    if (field.type === 'boolean') {
      if (held !== 0 && held !== 1) throw new TypeError(`${JSON.stringify(held)} is neither 0 nor 1`)
      return held === 1
    }
    return field.type === 'integer' || field.type === 'number' ? Number(held) : held
  },
})
