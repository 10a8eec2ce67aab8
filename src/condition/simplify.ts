import type { Row } from './evaluate.js'
import { predicate } from './evaluate.js'
import {
  allOfNode,
  anyOfNode,
  type ClaimNode,
  type CompareNode,
  type ConditionNode,
  compareNode,
  constant,
  FALSE,
  isList,
  type LiteralNode,
  notNode,
  presenceNode,
  sameCondition,
  type TermNode,
} from './nodes.js'
import { instantText } from './time.js'
import { type Comparable, isMissing, proper, properList, type Scalar } from './value.js'

/**
 * Folds away everything that can be decided beforehand. Given somebody's claims (null for a visitor), every claim becomes
 * its value, so that what remains speaks of the record alone: often `TRUE` or `FALSE`, else a few comparisons.
 * Without claims, only what holds for everybody is folded. Never changes the answer for any record.
 */
export function simplify(node: ConditionNode, claims?: Row | null): ConditionNode {
  switch (node.kind) {
    case 'constant':
      return node
    case 'named':
      return simplify(node.of, claims)
    case 'not': {
      const of = simplify(node.of, claims)
      if (of.kind === 'constant') return constant(!of.value)
      if (of.kind === 'not') return of.of
      return of === node.of ? node : notNode(of)
    }
    case 'allOf':
      return combine(node, claims, 'allOf')
    case 'anyOf':
      return combine(node, claims, 'anyOf')
    case 'presence': {
      const term = simplifyTerm(node.term, claims)
      const known = presenceOf(term)
      if (known !== undefined) return constant(known === node.present)
      return term === node.term ? node : presenceNode(term, node.present)
    }
    case 'compare':
      return compare(node, claims)
  }
}

function combine(
  node: Extract<ConditionNode, { of: readonly ConditionNode[] }>,
  claims: Row | null | undefined,
  kind: 'allOf' | 'anyOf',
): ConditionNode {
  // The value that decides the whole alone: false for allOf, true for anyOf.
  const decisive = kind === 'anyOf'
  const parts: ConditionNode[] = []
  for (const part of node.of) {
    const simple = simplify(part, claims)
    if (simple.kind === 'constant') {
      if (simple.value === decisive) return simple
    } else if (simple.kind === kind) {
      for (const inner of simple.of) addOnce(parts, inner)
    } else addOnce(parts, simple)
  }
  if (parts.length === 0) return constant(!decisive)
  if (parts.length === 1) return parts[0] as ConditionNode
  if (parts.length === node.of.length && parts.every((part, at) => part === node.of[at])) return node
  return kind === 'allOf' ? allOfNode(parts) : anyOfNode(parts)
}

function addOnce(parts: ConditionNode[], one: ConditionNode): void {
  if (!parts.some((part) => sameCondition(part, one))) parts.push(one)
}

function compare(node: CompareNode, claims: Row | null | undefined): ConditionNode {
  const left = compared(simplifyTerm(node.left, claims))
  const right = compared(simplifyTerm(node.right, claims))
  if (equalsNothing(left) || equalsNothing(right)) return FALSE
  if (isSettled(left) && isSettled(right)) {
    return constant(predicate(compareNode(left, node.by, right))({}, { me: null, now: 0 }))
  }
  return left === node.left && right === node.right ? node : compareNode(left, node.by, right)
}

function simplifyTerm(term: TermNode, claims: Row | null | undefined): TermNode {
  if (term.kind === 'claim' && claims !== undefined) return claimValue(term, claims)
  if (term.kind !== 'orElse') return term
  const first = simplifyTerm(term.term, claims)
  const known = presenceOf(first)
  if (known === true) return first
  const otherwise = simplifyTerm(term.otherwise, claims)
  if (known === false) return otherwise
  return first === term.term && otherwise === term.otherwise ? term : Object.freeze({ kind: 'orElse', term: first, otherwise })
}

/** The term without a stand-in that equals nothing: in a comparison it says no more than that the term is missing. */
function compared(term: TermNode): TermNode {
  return term.kind === 'orElse' && equalsNothing(term.otherwise) ? compared(term.term) : term
}

/** Whether the term is there, where that is known without a record. */
function presenceOf(term: TermNode): boolean | undefined {
  switch (term.kind) {
    case 'literal':
      return !isMissing(term.value, term.list ? 'other' : term.type)
    case 'now':
    case 'forever':
      return true
    case 'orElse':
      return presenceOf(term.term) || presenceOf(term.otherwise) || undefined
    case 'field':
    case 'claim':
      return undefined
  }
}

function equalsNothing(term: TermNode): boolean {
  if (term.kind !== 'literal') return false
  if (isList(term)) return (properList(term.value, term.type)?.length ?? 0) === 0
  return proper(term.value, term.type) === undefined
}

function isSettled(term: TermNode): boolean {
  return term.kind === 'literal' || term.kind === 'forever'
}

/** A claim as a literal. A claim that is improper stays present and equals nothing, as everywhere. */
function claimValue(term: ClaimNode, claims: Row | null): LiteralNode {
  let found: unknown = claims
  for (const step of term.path) {
    found = typeof found === 'object' && found !== null && !Array.isArray(found) ? (found as Row)[step] : undefined
  }
  const type: Scalar = term.type === 'other' ? 'text' : term.type
  if (found === null || found === undefined) return Object.freeze({ kind: 'literal', type, value: null })
  if (term.list) return Object.freeze({ kind: 'literal', type, list: true, value: Object.freeze(literalList(found, type)) })
  const value = proper(found, type)
  if (value === undefined) return Object.freeze({ kind: 'literal', type, value: isMissing(found, type) ? null : IMPROPER })
  return Object.freeze({ kind: 'literal', type, value: type === 'time' ? instantText(value as number) : value })
}

/** Stands in a literal for a claim that is there and equals nothing: NUL is improper text on every engine. */
const IMPROPER = '\0'

function literalList(found: unknown, type: Scalar): Comparable[] {
  const values = properList(found, type) ?? []
  return type === 'time' ? values.map((value) => instantText(value as number)) : values
}
