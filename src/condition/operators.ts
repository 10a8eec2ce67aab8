import { lowerAscii } from './text.js'
import type { Comparable } from './value.js'

/** Compares one proper value of each side. */
export type Comparing = (left: Comparable, right: Comparable) => boolean

/** Everything that the backends, the builder and the documentation need to know about a comparison. */
export interface Operator {
  /** Which sides are lists. One matching element is enough. */
  readonly lists: '' | 'left' | 'right' | 'both'
  readonly compare: Comparing
  /** How an index can find a record if one side is known: by the equal value, ignoring letter case, or by the start of a text. */
  readonly lookup: 'equality' | 'equalityIgnoringCase' | 'start' | 'none'
}

const same: Comparing = (a, b) => a === b
const sameIgnoringCase: Comparing = (a, b) => lowerAscii(a as string) === lowerAscii(b as string)
const less: Comparing = (a, b) => a < b
const more: Comparing = (a, b) => a > b

const single = { lists: '', lookup: 'none' } as const
const equality = { compare: same, lookup: 'equality' } as const

/**
 * All comparisons, by the name that rules, JSON and list filters use. The type `Comparison` derives from this table, so no backend compiles
 * until it supports a new one.
 */
export const OPERATORS = Object.freeze({
  is: { ...equality, lists: '' },
  isOneOf: { ...equality, lists: 'right' },
  isLessThan: { ...single, compare: less },
  isMoreThan: { ...single, compare: more },
  isAtMost: { ...single, compare: (a, b) => a <= b },
  isAtLeast: { ...single, compare: (a, b) => a >= b },
  isBefore: { ...single, compare: less },
  isAfter: { ...single, compare: more },
  startsWith: {
    ...single,
    compare: (a, b) => (a as string).startsWith(b as string),
    lookup: 'start',
  },
  endsWith: { ...single, compare: (a, b) => (a as string).endsWith(b as string) },
  contains: { ...single, compare: (a, b) => (a as string).includes(b as string) },
  isIgnoringCase: {
    ...single,
    compare: sameIgnoringCase,
    lookup: 'equalityIgnoringCase',
  },
  has: { ...equality, lists: 'left' },
  hasIgnoringCase: {
    lists: 'left',
    compare: sameIgnoringCase,
    lookup: 'equalityIgnoringCase',
  },
  overlaps: { ...equality, lists: 'both' },
} as const satisfies { readonly [name: string]: Operator })

/** How two terms may be compared. */
export type Comparison = keyof typeof OPERATORS

/** The names of all comparisons. */
export const COMPARISONS: readonly Comparison[] = /* @__PURE__ */ Object.freeze(/* @__PURE__ */ Object.keys(OPERATORS) as Comparison[])

/** The kind of values on both sides of each comparison: `order` is numbers or times. Kept separate because pages do not need it. */
export const TAKES: { readonly [C in Comparison]: 'any' | 'number' | 'order' | 'time' | 'text' } = /* @__PURE__ */ Object.freeze({
  is: 'any',
  isOneOf: 'any',
  isLessThan: 'number',
  isMoreThan: 'number',
  isAtMost: 'order',
  isAtLeast: 'order',
  isBefore: 'time',
  isAfter: 'time',
  startsWith: 'text',
  endsWith: 'text',
  contains: 'text',
  isIgnoringCase: 'text',
  has: 'any',
  hasIgnoringCase: 'text',
  overlaps: 'any',
})

/** How a sentence says that a comparison holds or does not hold. Kept separate because pages do not need it. */
export const PHRASES: { readonly [C in Comparison]: readonly [yes: string, no: string] } = /* @__PURE__ */ Object.freeze({
  is: ['is', 'is not'],
  isOneOf: ['is one of', 'is not one of'],
  isLessThan: ['is less than', 'is not less than'],
  isMoreThan: ['is more than', 'is not more than'],
  isAtMost: ['is at most', 'is not at most'],
  isAtLeast: ['is at least', 'is not at least'],
  isBefore: ['is before', 'is not before'],
  isAfter: ['is after', 'is not after'],
  startsWith: ['starts with', 'does not start with'],
  endsWith: ['ends with', 'does not end with'],
  contains: ['contains', 'does not contain'],
  isIgnoringCase: ['is, in any letter case,', 'is not, in any letter case,'],
  has: ['include', 'do not include'],
  hasIgnoringCase: ['include, in any letter case,', 'do not include, in any letter case,'],
  overlaps: ['share a value with', 'share no value with'],
})

/** The table entry of a comparison. */
export function operatorOf(by: Comparison): Operator {
  return OPERATORS[by]
}

/** Whether the left and the right side are lists. */
export function listSides(by: Comparison): readonly [left: boolean, right: boolean] {
  const { lists } = operatorOf(by)
  return [lists === 'left' || lists === 'both', lists === 'right' || lists === 'both']
}

/** Compares the values of both sides: a single value, or the proper values of a list. */
export function compareValues(
  by: Comparison,
  left: Comparable | readonly Comparable[],
  right: Comparable | readonly Comparable[],
): boolean {
  const { compare } = operatorOf(by)
  const [lefts, rights] = listSides(by)
  const others = (rights ? right : [right]) as readonly Comparable[]
  return ((lefts ? left : [left]) as readonly Comparable[]).some((one) => others.some((other) => compare(one, other)))
}

/** Whether one list is the other plus one occurrence of a value, in any order. */
export function changedBy(more: readonly Comparable[], less: readonly Comparable[], value: Comparable): boolean {
  if (more.length !== less.length + 1) return false
  const left = new Map<Comparable, number>()
  for (const one of more) left.set(one, (left.get(one) ?? 0) + 1)
  for (const one of [...less, value]) left.set(one, (left.get(one) ?? 0) - 1)
  return [...left.values()].every((count) => count === 0)
}
