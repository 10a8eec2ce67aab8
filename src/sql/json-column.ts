import {
  type Comparable,
  FIRST_INSTANT,
  instant,
  instantText,
  isHoldable,
  LAST_INSTANT,
  type Scalar,
  unlistedText,
} from '../condition/index.js'
import { type Field, isUnlisted, timeAs, unlistedFrom } from '../rulebook/index.js'

/** The milliseconds of a time that is to be written. @throws TypeError */
export function knownInstant(value: unknown): number {
  const time = instant(value)
  if (time === undefined) throw new TypeError(`${String(value)} is not an instant between the years 0 and 9999`)
  return time
}

/** A list as JSON text. */
export function jsonList(values: readonly Comparable[], type: Scalar): string {
  return JSON.stringify(values.map((value) => (type === 'time' ? instantText(value as number) : value)))
}

function elementOf({ list: _list, ...element }: Field): Field {
  return element
}

/** The form in which a JSON column stores a value of the field. */
export function jsonValue(field: Field, value: unknown): unknown {
  if (field.list) return Array.isArray(value) ? value.map((one) => jsonValue(elementOf(field), one)) : value
  if (field.type !== 'group' || typeof value !== 'object' || value === null) return jsonScalar(field, value)
  return Object.fromEntries(
    Object.entries(value).map(([name, inner]) => [name, field.fields?.[name] ? jsonValue(field.fields[name], inner) : inner]),
  )
}

function jsonScalar(field: Field, value: unknown): unknown {
  if (isUnlisted(field)) return unlistedText(value)
  const time = field.type === 'time' ? instant(value) : undefined
  return time === undefined ? value : field.held === 'day' ? timeAs(field, time) : instantText(time)
}

/** The value of a field from its JSON column. @throws TypeError */
export function fromJson(field: Field, value: unknown): unknown {
  if (value === null) return null
  if (field.list) return Array.isArray(value) ? value.map((one) => fromJson(elementOf(field), one)) : value
  if (field.type === 'time') return timeOf(field, value)
  if (isUnlisted(field)) return unlistedOf(field, value)
  if (field.type !== 'group' || typeof value !== 'object') return value
  return Object.fromEntries(
    Object.entries(value).map(([name, inner]) => [name, field.fields?.[name] ? fromJson(field.fields[name], inner) : inner]),
  )
}

/** A time in the field's form: a Date or text. @throws TypeError */
export function timeOf(field: Field, value: unknown): unknown {
  const time = value instanceof Date || (typeof value === 'string' && isHoldable(value)) ? instant(value) : undefined
  if (time === undefined) throw new TypeError(`${JSON.stringify(value)} is not an instant`)
  return timeAs(field, time)
}

/** The same from milliseconds since 1970. @throws TypeError */
export function timeAt(field: Field, milliseconds: number): unknown {
  const time = Math.round(milliseconds)
  if (!(time >= FIRST_INSTANT && time <= LAST_INSTANT)) throw new TypeError(`${milliseconds} ms since 1970 is not an instant`)
  return timeAs(field, time)
}

/** Whether a field is stored in a JSON column. */
export function inJson(field: Field): boolean {
  return field.list === true || field.type === 'group' || (field.type === 'other' && !isUnlisted(field))
}

/** A bigint from what a driver returned, or bytes. @throws TypeError */
export function unlistedOf(field: Field, value: unknown): unknown {
  const found = unlistedFrom(field, value)
  // Drivers return bytes in classes of their own.
  if (found instanceof Uint8Array) return Uint8Array.from(found)
  if (typeof found === 'bigint' && field.held === 'bigint') return found
  throw new TypeError(`a ${typeof value} is not a valid ${field.held}`)
}

/** How a column of its own stores such a value: digits as text, because some drivers round large numbers, or bytes. @throws TypeError */
export function unlistedIn(field: Field, value: unknown): unknown {
  const given = unlistedOf(field, value)
  return typeof given === 'bigint' ? String(given) : given
}
