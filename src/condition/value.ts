import { instant } from './time.js'

/** The types of a single value. An `id` is text whose blank forms count as missing. */
export type Scalar = 'text' | 'id' | 'integer' | 'number' | 'boolean' | 'time'

/** A comparable value: times are milliseconds since 1970 (`Infinity` for forever). */
export type Comparable = string | number | boolean

const UNHOLDABLE = /[\0\p{Surrogate}]/u
const BLANK = /^ *$/

/** Whether every engine can hold the text: no NUL, no half of a surrogate pair. */
export function isHoldable(text: string): boolean {
  return !UNHOLDABLE.test(text)
}

/** Whether an id is empty or only spaces. */
export function isBlank(text: string): boolean {
  return BLANK.test(text)
}

/**
 * The comparable form of a value. Undefined if it equals nothing: missing, of another type, or not exactly representable on every engine
 * (NaN, infinities, unsafe integers, lone surrogates, NUL, times outside the years 0 to 9999).
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

/** The value at a path within a value; undefined if there is none. Does not look into lists. */
export function inside(value: unknown, path: readonly string[]): unknown {
  let found = value
  for (const step of path) {
    if (typeof found !== 'object' || found === null || Array.isArray(found)) return undefined
    found = (found as Readonly<Record<string, unknown>>)[step]
  }
  return found
}

/** A literal for a value that is present and equals nothing: NUL is improper text on every engine. */
export const IMPROPER = '\0'

/** The comparable elements of a list; undefined if it is not a list. Missing and improper elements equal nothing. */
export function toComparables(value: unknown, type: Scalar): Comparable[] | undefined {
  if (!Array.isArray(value)) return undefined
  const found: Comparable[] = []
  for (const element of value) {
    const one = toComparable(element, type)
    if (one !== undefined) found.push(one)
  }
  return found
}

/** Missing: null, undefined, or a blank id. An improper value is present, and equals nothing. */
export function isMissing(value: unknown, type: Scalar | 'other'): boolean {
  return value === null || value === undefined || (type === 'id' && typeof value === 'string' && isBlank(value))
}

/** Whether values of the two types may be compared. */
export function comparable(left: Scalar, right: Scalar): boolean {
  return family(left) === family(right)
}

/** The type of a literal compared with a field: plain text or number. Whether it is an id or an integer depends on the field. */
export function literalType(type: Scalar): Scalar {
  if (type === 'id') return 'text'
  return type === 'integer' ? 'number' : type
}

/** The comparable types: id with text, integer with number. */
export function family(type: Scalar): 'text' | 'number' | 'boolean' | 'time' {
  if (type === 'id') return 'text'
  return type === 'integer' ? 'number' : type
}
