import { sql } from 'kysely'
import type { Comparable, Scalar } from '../../condition/index.js'
import { type Field, isUnlisted, timeAs } from '../../rulebook/index.js'
import type { Codec } from '../dialect.js'
import type { Fragment } from '../expressions.js'
import { fromJson, inJson, jsonValue, knownInstant, timeOf, unlistedIn, unlistedOf } from '../json-column.js'
import { encodeScalar } from './expressions.js'

/** How columns of this database store values. */
export const codec: Codec = Object.freeze({
  // Drivers round large whole numbers.
  selected: (column: Fragment, field: Field): Fragment =>
    isUnlisted(field) && field.held === 'bigint' ? sql`cast(${column} as text)` : column,
  encode(field: Field, value: unknown): unknown {
    if (value === null || value === undefined) return null
    if (field.held === 'day' && !inJson(field)) return timeAs(field, knownInstant(value))
    if (inJson(field)) return JSON.stringify(jsonValue(field, value))
    if (isUnlisted(field)) return unlistedIn(field, value)
    return encodeScalar(field.type === 'time' ? knownInstant(value) : (value as Comparable), field.type as Scalar)
  },
  decode(field: Field, value: unknown): unknown {
    if (value === null || value === undefined) return field.nullable ? null : undefined
    if (inJson(field)) return fromJson(field, JSON.parse(String(value)))
    if (isUnlisted(field)) return unlistedOf(field, value)
    if (field.type === 'boolean') {
      if (value !== 0 && value !== 1) throw new TypeError(`${JSON.stringify(value)} is neither 0 nor 1`)
      return value === 1
    }
    return field.type === 'time' ? timeOf(field, value) : value
  },
})
