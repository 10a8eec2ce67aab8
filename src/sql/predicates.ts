// What conditions and their terms are, as the compiler asks.
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

/** Whether rows on which a condition holds can be found without looking at each: by a value, or by a link. */
export function isFound(node: ConditionNode): boolean {
  switch (node.kind) {
    case 'allOf':
      return node.of.some(isFound)
    case 'anyOf':
      return node.of.every(isFound)
    case 'named':
      return isFound(node.of)
    case 'some': {
      const { over } = node
      return over.kind === 'records' && over.by.some(({ from }) => from.kind === 'field') && isSelfContained(node.of, node.each)
    }
    case 'compare': {
      if (operatorOf(node.by).lookup !== 'equality') return false
      const [field, other] = node.left.kind === 'field' ? [node.left, node.right] : [node.right, node.left]
      return field.kind === 'field' && field.path.length === 1 && !field.list && field.type !== 'boolean' && other.kind === 'literal'
    }
    // Nothing is found by what it is not.
    case 'constant':
    case 'not':
    case 'presence':
    case 'listChange':
      return false
  }
}

/** A literal that equals nothing whatever stands on the other side. */
export function nothing(term: TermNode): boolean {
  if (term.kind !== 'literal') return false
  if (term.value === null) return true
  return isList(term) ? literalValues(term).length === 0 : toComparable(term.value, term.type) === undefined
}

/** Whether a field can hold the value at all: a field of whole numbers never holds a half. */
export function holds(term: TermNode, value: Comparable): boolean {
  if (term.kind === 'orElse') return holds(term.term, value) || holds(term.otherwise, value)
  const type = scalarOf(term)
  return type === 'time' || toComparable(value, type) !== undefined
}

/**
 * Whether a known value is one for a term and none for its stand-in, or the other way round: a blank is a text and no id. What equals
 * it is not sound by that alone.
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

/** What has to stand in a query that speaks of a row around it. */
export function forEachRow({ forEachRow }: Expressions): readonly Test[] {
  return forEachRow === undefined ? [] : [forEachRow]
}

export function all(tests: readonly Test[]): Test {
  return joined(tests, ' and ', YES)
}
