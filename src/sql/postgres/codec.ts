import { sql } from 'kysely'
import { type Field, isUnlisted } from '../../rulebook/index.js'
import type { Codec } from '../dialect.js'
import type { Fragment } from '../expressions.js'
import { fromJson, inJson, jsonValue, knownInstant, timeAt, unlistedIn, unlistedOf } from '../json-column.js'
import { plainList } from './expressions.js'
import { timeText } from './value.js'

/** How columns of this database store values. */
export const codec: Codec = Object.freeze({
  // Drivers differ in how they read times, above all those before Christ, so times are selected as milliseconds since 1970.
  selected(value: Fragment, field: Field): Fragment {
    if (field.list) return plainList(value)
    return field.type === 'time' ? sql`extract(epoch from ${value}) * 1000` : value
  },
  encode(field: Field, given: unknown, as?: string): unknown {
    if (given === null || given === undefined) return null
    if (as?.endsWith('[]') && Array.isArray(given))
      return given.map((one) => (field.type === 'time' && one !== null ? timeText(knownInstant(one)) : one))
    if (inJson(field)) return JSON.stringify(jsonValue(field, given))
    if (isUnlisted(field)) return unlistedIn(field, given)
    return field.type === 'time' ? timeText(knownInstant(given)) : given
  },
  decode(field: Field, given: unknown): unknown {
    if (given === null || given === undefined) return field.nullable ? null : undefined
    if (inJson(field)) return fromJson(field, given)
    if (isUnlisted(field)) return unlistedOf(field, given)
    if (field.type === 'time') return timeAt(field, Number(given))
    // Drivers return 64-bit integers as text, because a number could lose digits.
    return field.type === 'integer' || field.type === 'number' ? Number(given) : given
  },
})
