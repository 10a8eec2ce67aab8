import { instant } from './time.js'

/** What a single value can be. An `id` is text whose blank forms count as missing. */
export type Scalar = 'text' | 'id' | 'integer' | 'number' | 'boolean' | 'time'

/** A value ready to be compared: times are milliseconds since 1970 (`Infinity` for forever). */
export type Comparable = string | number | boolean

const UNHOLDABLE = /[\0\p{Surrogate}]/u
const BLANK = /^ *$/

/** Text that every engine can hold: no NUL, no half of a surrogate pair. */
export function isHoldable(text: string): boolean {
  return !UNHOLDABLE.test(text)
}

/** An id that is no id: empty, or nothing but spaces. */
export function isBlank(text: string): boolean {
  return BLANK.test(text)
}

/**
 * The value as comparisons see it, or undefined where it equals nothing: missing, of another type, or not exactly
 * representable on every engine (NaN, infinities, unsafe integers, lone surrogates, NUL, times outside the years 0 to 9999).
 */
export function toComparable(value: unknown, type: Scalar): Comparable | undefined {
  switch (type) {
    case 'text':
      return typeof value === 'string' && isHoldable(value) ? value : undefined
    case 'id':
      return typeof value === 'string' && isHoldable(value) && !isBlank(value) ? value : undefined
    case 'integer':
      return Number.isSafeInteger(value) ? (value as number) : undefined
    case 'number':
      return Number.isFinite(value) ? (value as number) : undefined
    case 'boolean':
      return typeof value === 'boolean' ? value : undefined
    case 'time':
      return instant(value)
  }
}

/** What lies at a path within a value; undefined where there is nothing. Lists are not looked into. */
export function inside(value: unknown, path: readonly string[]): unknown {
  let found = value
  for (const step of path) {
    if (typeof found !== 'object' || found === null || Array.isArray(found)) return undefined
    found = (found as Readonly<Record<string, unknown>>)[step]
  }
  return found
}

/** Stands in a literal for what is there and equals nothing: NUL is improper text on every engine. */
export const IMPROPER = '\0'

/** The elements of a list that comparisons see; undefined for what is no list. Missing and improper elements equal nothing. */
export function toComparables(value: unknown, type: Scalar): Comparable[] | undefined {
  if (!Array.isArray(value)) return undefined
  const found: Comparable[] = []
  for (const element of value) {
    const one = toComparable(element, type)
    if (one !== undefined) found.push(one)
  }
  return found
}

/** Missing: null, undefined, or a blank id. What is improper is present, and equals nothing. */
export function isMissing(value: unknown, type: Scalar | 'other'): boolean {
  return value === null || value === undefined || (type === 'id' && typeof value === 'string' && isBlank(value))
}

/** Whether values of the two types may be compared at all. */
export function comparable(left: Scalar, right: Scalar): boolean {
  return family(left) === family(right)
}

/** The type of a literal beside a field: text or a number as it stands; whether the field is an id or an integer is the field's affair. */
export function literalType(type: Scalar): Scalar {
  if (type === 'id') return 'text'
  return type === 'integer' ? 'number' : type
}

/** The types that compare with each other: id with text, integer with number. */
export function family(type: Scalar): 'text' | 'number' | 'boolean' | 'time' {
  if (type === 'id') return 'text'
  return type === 'integer' ? 'number' : type
}
