// Classifies conditions and terms for the compiler.
import { type SqlBool, sql } from 'kysely'
import {
  type Comparable,
  type ConditionNode,
  instant,
  isList,
  isSelfContained,
  type LiteralNode,
  type OrElseNode,
  operatorOf,
  type Scalar,
  scalarOf,
  type TermNode,
  toComparable,
} from '../condition/index.js'
import type { Expressions, Test } from './expressions.js'

export const YES: Test = sql<SqlBool>`1 = 1`
export const NO: Test = sql<SqlBool>`1 = 0`

/** Whether an index can find the rows on which a condition holds: by a value or by a link. */
export function isFound(node: ConditionNode): boolean {
  switch (node.kind) {
    case 'allOf':
      return node.of.some(isFound)
    case 'anyOf':
      return node.of.every(isFound)
    case 'named':
      return isFound(node.of)
    case 'some': {
      const { over, least } = node
      return (
        least === undefined &&
        over.kind === 'records' &&
        over.by.some(({ from }) => from.kind === 'field') &&
        isSelfContained(node.of, node.each)
      )
    }
    case 'compare': {
      if (operatorOf(node.by).lookup !== 'equality') return false
      const [field, other] = node.left.kind === 'field' ? [node.left, node.right] : [node.right, node.left]
      return field.kind === 'field' && field.path.length === 1 && !field.list && field.type !== 'boolean' && other.kind === 'literal'
    }
    // An index cannot find rows by a negation.
    case 'constant':
    case 'not':
    case 'presence':
    case 'listChange':
      return false
  }
}

/** A literal that equals nothing, whatever the other side is. */
export function nothing(term: TermNode): boolean {
  if (term.kind !== 'literal') return false
  if (term.value === null) return true
  return isList(term) ? literalValues(term).length === 0 : toComparable(term.value, term.type) === undefined
}

/** Whether a field can hold the value: a field of integers never holds 0.5. */
export function holds(term: TermNode, value: Comparable): boolean {
  if (term.kind === 'orElse') return holds(term.term, value) || holds(term.otherwise, value)
  const type = scalarOf(term)
  return type === 'time' || toComparable(value, type) !== undefined
}

/**
 * Whether a known value is proper for a term but not for its alternative, or the other way round: a blank is a valid text but not an id.
 * Then equality alone does not show that the value is proper.
 */
export function isUneven(term: TermNode, known: TermNode): term is OrElseNode {
  if (term.kind !== 'orElse' || known.kind !== 'literal' || known.value === null) return false
  const values = isList(known) ? literalValues(known) : [comparableOf(known.value as Comparable, known.type)]
  const uneven = (one: TermNode, value: Comparable): boolean =>
    one.kind === 'orElse' &&
    (holds(one.term, value) !== holds(one.otherwise, value) || uneven(one.term, value) || uneven(one.otherwise, value))
  return values.some((value) => uneven(term, value))
}

export function mayBeEqual(left: TermNode, right: TermNode): boolean {
  const fits = (term: TermNode, other: TermNode) => term.kind !== 'literal' || holds(other, term.value as Comparable)
  return fits(left, right) && fits(right, left)
}

export function literalValues(term: LiteralNode): Comparable[] {
  return (term.value as readonly Comparable[]).map((value) => comparableOf(value, term.type))
}

export function comparableOf(value: Comparable, type: Scalar): Comparable {
  return type === 'time' ? (instant(value) as number) : value
}

export function joined(tests: readonly Test[], word: ' and ' | ' or ', empty: Test): Test {
  const [only] = tests
  if (only === undefined) return empty
  return tests.length === 1 ? only : sql<SqlBool>`(${sql.join(tests, sql.raw(word))})`
}

/** What a query must contain if it refers to an outer row. */
export function forEachRow({ forEachRow }: Expressions): readonly Test[] {
  return forEachRow === undefined ? [] : [forEachRow]
}

export function all(tests: readonly Test[]): Test {
  return joined(tests, ' and ', YES)
}
