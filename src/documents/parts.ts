// What filter documents are put together of.
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
  toComparable,
  toComparables,
} from '../condition/index.js'
import { DocumentError } from './error.js'

/** A filter document, in the query language of MongoDB. */
export type FilterDocument = { readonly [word: string]: unknown }

/** What a document filter needs to know of its surroundings. */
export interface Written {
  /** The instant of the operation, in milliseconds since 1970. */
  readonly now: number
  /** How a field is named in the document. */
  readonly name: (field: string) => string
}

/** Matches every document. */
export const ALL: FilterDocument = Object.freeze({})
/** Matches none. */
export const NONE: FilterDocument = Object.freeze({ $nor: [{}] })
// The end of a text: $ would let a line break follow.
export const END = '(?![\\s\\S])'
const LARGEST: { readonly [T in 'integer' | 'number']: number } = { integer: Number.MAX_SAFE_INTEGER, number: Number.MAX_VALUE }
const FIRST = new Date(FIRST_INSTANT)
const LAST = new Date(LAST_INSTANT)
/** What the query language calls the types. */
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

/** The places that lead to a field, from the outermost to its own: `a`, `a.b`. */
export function pathOf({ of, path, type }: FieldNode, { name }: Written, within: number | undefined): string[] {
  const own = within === undefined ? of !== 'record' && of !== 'after' : of !== within
  if (own) throw new DocumentError('a comparison of a list element with something outside the list')
  if (type === 'time' && path.length === 0) throw new DocumentError('a list of lists')
  const steps = path.map((step, at) => (at === 0 && within === undefined ? name(step) : step))
  if (steps.some((step) => step.includes('.') || step.startsWith('$') || step === ''))
    throw new DocumentError(`the field ${path.join('.')}`)
  return steps.map((_, at) => steps.slice(0, at + 1).join('.'))
}

/** A path is looked for in each element of a list: here it is not. */
export function apartFromLists(places: readonly string[]): FilterDocument[] {
  return places.map((place) => ({ [place]: { $not: { $type: 'array' } } }))
}

/** What a value has to fulfil to equal or exceed anything at all. */
export function sound(place: string, type: Scalar): FilterDocument[] {
  if (type === 'boolean') return []
  if (type !== 'text' && type !== 'id') return [{ [place]: range(type) }]
  const whole = { [place]: { $not: { $regex: '\\x00' } } }
  return type === 'id' ? [whole, { [place]: { $not: { $regex: `^ *${END}` } } }] : [whole]
}

export function range(type: Scalar): FilterDocument {
  if (type === 'time') return { $gte: FIRST, $lte: LAST }
  const largest = LARGEST[type === 'integer' ? 'integer' : 'number']
  // Some order NaN below every number.
  return { $gte: -largest, $lte: largest, $ne: Number.NaN }
}

/** A known value as documents hold it; undefined where a field of the type equals it never. */
export function heldValue(term: TermNode, { now }: Written): unknown {
  switch (term.kind) {
    case 'literal': {
      const value = term.value === null ? undefined : toComparable(term.value, term.type)
      return value === undefined ? undefined : held(value, term.type)
    }
    case 'now':
      return new Date(now)
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

/** Whether a field of the type can equal the value at all: a blank id is missing, and a whole number is no half. */
export function fits(value: unknown, type: Scalar): boolean {
  if (type === 'id') return !isBlank(value as string)
  return type !== 'integer' || Number.isSafeInteger(value)
}

export function escaped(value: string): string {
  return value.replace(/[\\^$.*+?()[\]{}|/-]/g, '\\$&')
}

/** A text in either case of A to Z, and of no other letter. */
export function ignoringCase(value: string): string {
  return [...lowerAscii(value)].map((letter) => (/[a-z]/.test(letter) ? `[${letter}${letter.toUpperCase()}]` : escaped(letter))).join('')
}
