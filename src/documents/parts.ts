// The building blocks of filter documents.
import {
  type Comparable,
  FIRST_INSTANT,
  type FieldNode,
  isBlank,
  LAST_INSTANT,
  type LiteralNode,
  lowerAscii,
  type Scalar,
  type TermNode,
  timeOf,
  toComparable,
  toComparables,
} from '../condition/index.js'
import { DocumentError } from './error.js'

/** A filter document, in the query language of MongoDB. */
export type FilterDocument = { readonly [word: string]: unknown }

/** What a document filter needs besides the condition. */
export interface Written {
  /** The time of the operation, in milliseconds since 1970. */
  readonly now: number
  /** The name of a field in the document. */
  readonly name: (field: string) => string
}

/** Matches every document. */
export const ALL: FilterDocument = Object.freeze({})
/** Matches no document. */
export const NONE: FilterDocument = Object.freeze({ $nor: [{}] })
// The end of a text: $ would also match before a final line break.
export const END = '(?![\\s\\S])'
const LARGEST: { readonly [T in 'integer' | 'number']: number } = { integer: Number.MAX_SAFE_INTEGER, number: Number.MAX_VALUE }
const FIRST = new Date(FIRST_INSTANT)
const LAST = new Date(LAST_INSTANT)
/** The names of the types in the query language. */
export const TYPES = { text: 'string', number: 'number', boolean: 'bool', time: 'date' } as const

export function all(parts: readonly FilterDocument[]): FilterDocument {
  const rest = parts.filter((part) => part !== ALL)
  if (rest.includes(NONE)) return NONE
  return rest.length === 0 ? ALL : rest.length === 1 ? (rest[0] as FilterDocument) : { $and: rest }
}

export function any(parts: readonly FilterDocument[]): FilterDocument {
  const rest = parts.filter((part) => part !== NONE)
  if (rest.includes(ALL)) return ALL
  return rest.length === 0 ? NONE : rest.length === 1 ? (rest[0] as FilterDocument) : { $or: rest }
}

export function not(part: FilterDocument): FilterDocument {
  return part === ALL ? NONE : part === NONE ? ALL : { $nor: [part] }
}

/** The paths that lead to a field, outermost first: `a`, `a.b`. */
export function pathOf({ of, path, type }: FieldNode, { name }: Written, within: number | undefined): string[] {
  const own = within === undefined ? of !== 'record' && of !== 'after' : of !== within
  if (own) throw new DocumentError('a comparison of a list element with something outside the list')
  if (type === 'time' && path.length === 0) throw new DocumentError('a list of lists')
  const steps = path.map((step, at) => (at === 0 && within === undefined ? name(step) : step))
  if (steps.some((step) => step.includes('.') || step.startsWith('$') || step === ''))
    throw new DocumentError(`the field ${path.join('.')}`)
  return steps.map((_, at) => steps.slice(0, at + 1).join('.'))
}

/** The query language looks for a path in each element of a list. This excludes that. */
export function apartFromLists(places: readonly string[]): FilterDocument[] {
  return places.map((place) => ({ [place]: { $not: { $type: 'array' } } }))
}

/** The test that a value must pass to compare with anything. */
export function sound(place: string, type: Scalar): FilterDocument[] {
  if (type === 'boolean') return []
  if (type !== 'text' && type !== 'id') return [{ [place]: range(type) }]
  const whole = { [place]: { $not: { $regex: '\\x00' } } }
  return type === 'id' ? [whole, { [place]: { $not: { $regex: `^ *${END}` } } }] : [whole]
}

export function range(type: Scalar): FilterDocument {
  if (type === 'time') return { $gte: FIRST, $lte: LAST }
  const largest = LARGEST[type === 'integer' ? 'integer' : 'number']
  // Some engines sort NaN below every number.
  return { $gte: -largest, $lte: largest, $ne: Number.NaN }
}

/** A known value as documents store it; undefined if a field of the type never equals it. */
export function heldValue(term: TermNode, { now }: Written): unknown {
  switch (term.kind) {
    case 'literal': {
      const value = term.value === null ? undefined : toComparable(term.value, term.type)
      return value === undefined ? undefined : held(value, term.type)
    }
    case 'now':
      return new Date(timeOf(term, now))
    case 'field':
    case 'claim':
    case 'forever':
    case 'orElse':
      return undefined
  }
}

export function valuesOf({ value, type: own }: LiteralNode, type: Scalar): unknown[] {
  return (toComparables(value, own) ?? []).map((one) => held(one, own)).filter((one) => one !== undefined && fits(one, type))
}

function held(value: Comparable, own: Scalar): unknown {
  return own === 'time' ? new Date(value as number) : value
}

/** Whether a field of the type can equal the value: a blank id is missing, and an integer has no fraction. */
export function fits(value: unknown, type: Scalar): boolean {
  if (type === 'id') return !isBlank(value as string)
  return type !== 'integer' || Number.isSafeInteger(value)
}

export function escaped(value: string): string {
  return value.replace(/[\\^$.*+?()[\]{}|/-]/g, '\\$&')
}

/** A text that matches in either case of the letters A to Z, and of no other letters. */
export function ignoringCase(value: string): string {
  return [...lowerAscii(value)].map((letter) => (/[a-z]/.test(letter) ? `[${letter}${letter.toUpperCase()}]` : escaped(letter))).join('')
}
