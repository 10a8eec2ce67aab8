import type { Row } from '../condition/context.js'
import type { PlaceNode } from '../condition/nodes.js'
import { type Comparable, toComparable } from '../condition/value.js'
import { BETWEEN, keyText } from './key-text.js'
import { type Fields, timeAs } from './shape.js'
import type { Key } from './types.js'

/** What keys are made of. */
export interface Keyed {
  /** The fields of the key: one, or several. */
  readonly keys: readonly string[]
  readonly fields: Fields
}

/**
 * The key of a record: the value of its field, or one text for several, as in `g-4~s-11`. In a part, "~" is "%7E" and "%" is "%25". Without
 * one of its parts, a record has no key.
 */
export function keyOf({ keys }: Pick<Keyed, 'keys'>, row: Row): Key {
  const [only] = keys
  if (keys.length === 1) return row[only as string] as Key
  const isWhole = keys.every((name) => typeof row[name] === 'string' || typeof row[name] === 'number')
  return (isWhole ? keyText(keys, row) : undefined) as Key
}

/** The fields of a record with this key. A part that is no value of its field is undefined. */
export function keyRow({ keys, fields }: Keyed, key: Key): Row {
  const [only] = keys
  if (keys.length === 1) return { [only as string]: key }
  const parts = typeof key === 'string' ? key.split(BETWEEN) : []
  return Object.fromEntries(
    keys.map((name, at) => [name, parts.length === keys.length ? read(fields, name, parts[at] as string) : undefined]),
  )
}

/** Whether a record can have this key. A text that would be written otherwise is none. */
export function isKey(type: Keyed, key: unknown): key is Key {
  if (typeof key !== 'string' && typeof key !== 'number') return false
  const row = keyRow(type, key)
  return keyPlaces(type).every(({ path, type: held }) => toComparable(row[path[0]], held) !== undefined) && keyOf(type, row) === key
}

/**
 * A key as a caller gives it: an object of the fields, or the key itself. Anything else is returned as it is: a record cannot have it as
 * its key.
 */
export function readKey(type: Keyed, given: unknown): Key {
  if (typeof given !== 'object' || given === null) return given as Key
  const row = given as Row
  const isWhole = type.keys.length > 1 && type.keys.every((name) => typeof row[name] === 'string' || typeof row[name] === 'number')
  return isWhole && Object.keys(row).length === type.keys.length ? keyOf(type, row) : (given as unknown as Key)
}

/** The key that a text names, in the form of the type. A text that cannot be a key matches no record. */
export function keyFromText(type: Keyed, text: string): Key {
  const key = serverKey(type)
  if (key === undefined || type.fields[key]?.type !== 'integer') return text
  const number = Number(text)
  // A number has only one text: 7, and not 007 or 7.0.
  return Number.isSafeInteger(number) && String(number) === text ? number : text
}

/** The places of the key in a record. */
export function keyPlaces({ keys, fields }: Keyed): readonly KeyPlace[] {
  return keys.map((name) => ({ path: [name], type: placeType(fields, name) }))
}

/** A place that a key is in. */
interface KeyPlace extends PlaceNode {
  readonly path: readonly [string]
}

/** The values of a key in the order of its fields, as conditions compare them. */
export function keyValues(type: Keyed, key: Key): readonly Comparable[] {
  const row = keyRow(type, key)
  return keyPlaces(type).map(({ path, type: held }) => toComparable(row[path[0]], held) as Comparable)
}

/** Whether the field is the key or a part of it. */
export function isKeyField({ keys }: Pick<Keyed, 'keys'>, name: string): boolean {
  return keys.includes(name)
}

/** The field whose value the server makes up for a new record: the key, unless it has several fields. Those are sent or stamped. */
export function serverKey({ keys }: Pick<Keyed, 'keys'>): string | undefined {
  return keys.length === 1 ? keys[0] : undefined
}

/** How the key is called in messages. */
export function keyName({ keys }: Pick<Keyed, 'keys'>): string {
  return keys.join(BETWEEN)
}

function placeType(fields: Fields, name: string): KeyPlace['type'] {
  const type = fields[name]?.type
  return type === 'integer' || type === 'time' ? type : 'id'
}

function read(fields: Fields, name: string, part: string): unknown {
  const text = part.replaceAll('%7E', BETWEEN).replaceAll('%25', '%')
  const type = placeType(fields, name)
  if (type === 'integer') return Number(text)
  if (type !== 'time') return text
  const time = toComparable(text, 'time') as number | undefined
  return time === undefined ? undefined : timeAs({ type, held: 'day' }, time)
}
