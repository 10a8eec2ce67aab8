import type { CompareNode } from './nodes.js'
import { lowerAscii } from './text.js'
import type { Comparable } from './value.js'

/** How two proper values compare. */
export type Compared = (left: Comparable, right: Comparable) => boolean

/** Equal. */
export const same: Compared = (a, b) => a === b
/** Equal but for the case of the letters A to Z. */
export const sameIgnoringCase: Compared = (a, b) => lowerAscii(a as string) === lowerAscii(b as string)
const less: Compared = (a, b) => a < b
const more: Compared = (a, b) => a > b

/** The comparisons of one value with another. */
export const ON_VALUES: Partial<Record<CompareNode['by'], Compared>> = {
  is: same,
  isLessThan: less,
  isMoreThan: more,
  isAtMost: (a, b) => a <= b,
  isAtLeast: (a, b) => a >= b,
  isBefore: less,
  isAfter: more,
  startsWith: (a, b) => (a as string).startsWith(b as string),
  endsWith: (a, b) => (a as string).endsWith(b as string),
  isIgnoringCase: sameIgnoringCase,
}

/** Compares what both sides hold, a value or the proper values of a list. */
export function comparedAs(
  by: CompareNode['by'],
  left: Comparable | readonly Comparable[],
  right: Comparable | readonly Comparable[],
): boolean {
  const among = (list: typeof left, one: typeof left, compare: Compared) =>
    (list as readonly Comparable[]).some((value) => compare(value, one as Comparable))
  if (by === 'isOneOf') return among(right, left, same)
  if (by === 'has') return among(left, right, same)
  if (by === 'hasIgnoringCase') return among(left, right, sameIgnoringCase)
  if (by === 'overlaps') return (left as readonly Comparable[]).some((one) => among(right, one, same))
  return (ON_VALUES[by] as Compared)(left as Comparable, right as Comparable)
}

/** Whether one list is another with one occurrence of a value more, whatever the order. */
export function changedBy(more: readonly Comparable[], less: readonly Comparable[], value: Comparable): boolean {
  if (more.length !== less.length + 1) return false
  const left = new Map<Comparable, number>()
  for (const one of more) left.set(one, (left.get(one) ?? 0) + 1)
  for (const one of [...less, value]) left.set(one, (left.get(one) ?? 0) - 1)
  return [...left.values()].every((count) => count === 0)
}
