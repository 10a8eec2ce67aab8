import { type CompareNode, type ConditionNode, sameTerm, type TermNode } from './nodes.js'

/** A comparison that would come out false for a missing value, and so widen what somebody may do. */
export interface Hanging {
  /** What can be missing. */
  readonly term: TermNode
  readonly comparison: CompareNode
}

/**
 * Finds comparisons whose *false* would make a condition true although something is missing: those under `not`, where
 * the author has not said what a missing value means (by `orElse`, `isPresent` or `isMissing`).
 *
 * For each term that can be missing the condition is folded as if it were. Where the outcome still depends on a
 * comparison of that term under `not`, the comparison is reported; where a test of presence settles it, all is said.
 */
export function hangingOnAbsence(node: ConditionNode): Hanging[] {
  return negatedComparisons(node, false).flatMap((comparison) => {
    const ways = [...waysToMiss(comparison.left), ...waysToMiss(comparison.right)]
    const hanging = ways.find(({ missing }) => fold(node, false, comparison, missing).hangs)
    return hanging === undefined ? [] : [{ term: hanging.term, comparison }]
  })
}

type Missing = (term: TermNode) => boolean

/** One way in which a term can come to be missing. */
interface Way {
  /** The place that lacks a value. */
  readonly term: TermNode
  readonly missing: Missing
}

function waysToMiss(term: TermNode): readonly Way[] {
  const justThis: Way = { term, missing: (other) => sameTerm(other, term) }
  switch (term.kind) {
    case 'field':
      return term.optional ? [justThis] : []
    case 'claim': {
      // Claims that the shape requires are missing only together, for a visitor.
      const visitor: Way = { term, missing: (other) => other.kind === 'claim' }
      return term.optional ? [justThis, visitor] : [visitor]
    }
    case 'orElse':
      return waysToMiss(term.term).flatMap((first) =>
        waysToMiss(term.otherwise).map((second) => ({
          term: first.term,
          missing: (other) => first.missing(other) || second.missing(other),
        })),
      )
    case 'literal':
    case 'now':
    case 'forever':
      return []
  }
}

function isAbsent(term: TermNode, missing: Missing): boolean {
  if (term.kind === 'orElse') return isAbsent(term.term, missing) && isAbsent(term.otherwise, missing)
  return (term.kind === 'literal' && term.value === null) || missing(term)
}

function negatedComparisons(node: ConditionNode, negative: boolean): CompareNode[] {
  switch (node.kind) {
    case 'compare':
      return negative ? [node] : []
    case 'not':
      return negatedComparisons(node.of, !negative)
    case 'named':
      return negatedComparisons(node.of, negative)
    case 'allOf':
    case 'anyOf':
      return node.of.flatMap((part) => negatedComparisons(part, negative))
    case 'constant':
    case 'presence':
      return []
  }
}

interface Folded {
  /** The outcome, where it is settled. */
  readonly value: boolean | undefined
  /** The outcome depends on the comparison in question. */
  readonly hangs: boolean
}

const OPEN: Folded = { value: undefined, hangs: false }

function fold(node: ConditionNode, negative: boolean, asked: CompareNode, missing: Missing): Folded {
  switch (node.kind) {
    case 'constant':
      return { value: node.value, hangs: false }
    case 'named':
      return fold(node.of, negative, asked, missing)
    case 'not': {
      const of = fold(node.of, !negative, asked, missing)
      return { value: of.value === undefined ? undefined : !of.value, hangs: of.hangs }
    }
    case 'presence':
      return isAbsent(node.term, missing) ? { value: !node.present, hangs: false } : OPEN
    case 'compare':
      if (!isAbsent(node.left, missing) && !isAbsent(node.right, missing)) return OPEN
      return negative && node === asked ? { value: undefined, hangs: true } : { value: false, hangs: false }
    case 'allOf':
    case 'anyOf': {
      const decisive = node.kind === 'anyOf'
      const parts = node.of.map((part) => fold(part, negative, asked, missing))
      if (parts.some((part) => part.value === decisive)) return { value: decisive, hangs: false }
      if (parts.every((part) => part.value === !decisive)) return { value: !decisive, hangs: false }
      return { value: undefined, hangs: parts.some((part) => part.hangs) }
    }
  }
}
