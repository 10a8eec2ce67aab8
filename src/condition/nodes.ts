import type { Comparable, Scalar } from './value.js'

/**
 * Which record a field is read from: the record as it is, or (in rules of updates) as it would become. Records reached
 * through links join here as objects, so that every visitor has to say what it does with them.
 */
export type RecordRef = 'record' | 'after'

/** A field of a record. `other` fields hold something that can only be asked whether it is there. */
export interface FieldNode {
  readonly kind: 'field'
  readonly of: RecordRef
  readonly path: readonly string[]
  readonly type: Scalar | 'other'
  readonly list?: true
  /** May be missing, by its shape. */
  readonly optional?: true
}

/** A claim of the person asking. Any claim can be missing: a visitor has none. */
export interface ClaimNode {
  readonly kind: 'claim'
  readonly path: readonly string[]
  readonly type: Scalar | 'other'
  readonly list?: true
  /** May be missing even for somebody who is signed in. */
  readonly optional?: true
}

/** A value written into the rule, or a claim once its value is known. Times are RFC 3339 text; null is missing. */
export interface LiteralNode {
  readonly kind: 'literal'
  readonly type: Scalar
  readonly list?: true
  readonly value: Comparable | null | readonly Comparable[]
}

/** The instant of the operation. */
export interface NowNode {
  readonly kind: 'now'
}

/** Later than any instant. */
export interface ForeverNode {
  readonly kind: 'forever'
}

/** A term, or another where the first is missing. */
export interface OrElseNode {
  readonly kind: 'orElse'
  readonly term: TermNode
  readonly otherwise: TermNode
}

/** Anything that has a value when a rule is judged. */
export type TermNode = FieldNode | ClaimNode | LiteralNode | NowNode | ForeverNode | OrElseNode

/** How two terms may be compared. */
export type Comparison =
  | 'is'
  | 'isOneOf'
  | 'isLessThan'
  | 'isMoreThan'
  | 'isAtMost'
  | 'isAtLeast'
  | 'isBefore'
  | 'isAfter'
  | 'startsWith'
  | 'endsWith'
  | 'isIgnoringCase'
  | 'has'
  | 'hasIgnoringCase'
  | 'overlaps'

/** True or false, whatever the record. */
export interface ConstantNode {
  readonly kind: 'constant'
  readonly value: boolean
}

/** A comparison: false as soon as either side is missing or improper. */
export interface CompareNode {
  readonly kind: 'compare'
  readonly by: Comparison
  readonly left: TermNode
  readonly right: TermNode
}

/** Whether a term has a value. */
export interface PresenceNode {
  readonly kind: 'presence'
  readonly term: TermNode
  readonly present: boolean
}

/** Every one of them holds; of none, true. */
export interface AllOfNode {
  readonly kind: 'allOf'
  readonly of: readonly ConditionNode[]
}

/** At least one of them holds; of none, false. */
export interface AnyOfNode {
  readonly kind: 'anyOf'
  readonly of: readonly ConditionNode[]
}

/** The exact complement. */
export interface NotNode {
  readonly kind: 'not'
  readonly of: ConditionNode
}

/** A condition under a name of its own: it means what it holds, and reads as its name. */
export interface NamedNode {
  readonly kind: 'named'
  readonly name: string
  readonly of: ConditionNode
}

/** A yes/no expression over the record, the person and the instant: plain frozen data that is its own JSON form. */
export type ConditionNode = ConstantNode | CompareNode | PresenceNode | AllOfNode | AnyOfNode | NotNode | NamedNode

/** What each comparison takes on its sides: the family of values, and which side is a list. */
export const COMPARISONS: {
  readonly [C in Comparison]: { readonly takes: 'any' | 'number' | 'time' | 'text'; readonly lists: '' | 'left' | 'right' | 'both' }
} = Object.freeze({
  is: { takes: 'any', lists: '' },
  isOneOf: { takes: 'any', lists: 'right' },
  isLessThan: { takes: 'number', lists: '' },
  isMoreThan: { takes: 'number', lists: '' },
  isAtMost: { takes: 'number', lists: '' },
  isAtLeast: { takes: 'number', lists: '' },
  isBefore: { takes: 'time', lists: '' },
  isAfter: { takes: 'time', lists: '' },
  startsWith: { takes: 'text', lists: '' },
  endsWith: { takes: 'text', lists: '' },
  isIgnoringCase: { takes: 'text', lists: '' },
  has: { takes: 'any', lists: 'left' },
  hasIgnoringCase: { takes: 'text', lists: 'left' },
  overlaps: { takes: 'any', lists: 'both' },
})

/** Holds always. */
export const TRUE: ConstantNode = Object.freeze({ kind: 'constant', value: true })
/** Holds never. */
export const FALSE: ConstantNode = Object.freeze({ kind: 'constant', value: false })
/** The instant of the operation. */
export const NOW: NowNode = Object.freeze({ kind: 'now' })
/** Later than any instant. */
export const FOREVER: ForeverNode = Object.freeze({ kind: 'forever' })

/** A constant condition. */
export function constant(value: boolean): ConstantNode {
  return value ? TRUE : FALSE
}

/** All of them, as one node. */
export function allOfNode(of: readonly ConditionNode[]): AllOfNode {
  return Object.freeze({ kind: 'allOf', of: Object.freeze([...of]) })
}

/** Any of them, as one node. */
export function anyOfNode(of: readonly ConditionNode[]): AnyOfNode {
  return Object.freeze({ kind: 'anyOf', of: Object.freeze([...of]) })
}

/** The complement, as one node. */
export function notNode(of: ConditionNode): NotNode {
  return Object.freeze({ kind: 'not', of })
}

/** A comparison, as one node. */
export function compareNode(left: TermNode, by: Comparison, right: TermNode): CompareNode {
  return Object.freeze({ kind: 'compare', by, left, right })
}

/** A test of presence, as one node. */
export function presenceNode(term: TermNode, present: boolean): PresenceNode {
  return Object.freeze({ kind: 'presence', term, present })
}

/** Every field term in a condition, wherever it stands. */
function fieldTerms(node: ConditionNode): FieldNode[] {
  const ofTerm = (term: TermNode): FieldNode[] => {
    if (term.kind === 'orElse') return [...ofTerm(term.term), ...ofTerm(term.otherwise)]
    return term.kind === 'field' ? [term] : []
  }
  switch (node.kind) {
    case 'allOf':
    case 'anyOf':
      return node.of.flatMap(fieldTerms)
    case 'not':
    case 'named':
      return fieldTerms(node.of)
    case 'presence':
      return ofTerm(node.term)
    case 'compare':
      return [...ofTerm(node.left), ...ofTerm(node.right)]
    case 'constant':
      return []
  }
}

/** The names of the fields that a condition asks for on the record as it is. */
export function fieldsIn(node: ConditionNode): string[] {
  const terms = fieldTerms(node).filter(({ of }) => of === 'record')
  return [...new Set(terms.map(({ path }) => path[0] as string))]
}

/** Whether a condition asks for the record as it would become. */
export function asksAfter(node: ConditionNode): boolean {
  return fieldTerms(node).some(({ of }) => of === 'after')
}

/** Freezes a condition and all that is in it. What is frozen already is taken to be so throughout. */
export function frozen(node: ConditionNode): ConditionNode {
  if (node.kind === 'compare') return Object.freeze(node)
  if (Object.isFrozen(node)) return node
  if (node.kind === 'allOf' || node.kind === 'anyOf') {
    for (const part of node.of) frozen(part)
    Object.freeze(node.of)
  } else if (node.kind === 'not' || node.kind === 'named') frozen(node.of)
  return Object.freeze(node)
}

/** The type of a term's value. */
export function typeOf(term: TermNode): Scalar | 'other' {
  switch (term.kind) {
    case 'field':
    case 'claim':
    case 'literal':
      return term.type
    case 'now':
    case 'forever':
      return 'time'
    case 'orElse':
      return typeOf(term.term)
  }
}

/** Whether a term's value is a list. */
export function isList(term: TermNode): boolean {
  switch (term.kind) {
    case 'field':
    case 'claim':
    case 'literal':
      return term.list === true
    case 'now':
    case 'forever':
      return false
    case 'orElse':
      return isList(term.term)
  }
}

/** Whether two terms are the same place or value. */
export function sameTerm(a: TermNode, b: TermNode): boolean {
  if (a === b) return true
  if (a.kind === 'field' && b.kind === 'field') return a.of === b.of && samePath(a.path, b.path)
  if (a.kind === 'claim' && b.kind === 'claim') return samePath(a.path, b.path)
  if (a.kind === 'orElse' && b.kind === 'orElse') return sameTerm(a.term, b.term) && sameTerm(a.otherwise, b.otherwise)
  if (a.kind !== 'literal' || b.kind !== 'literal') return a.kind === b.kind && a.kind !== 'literal' && a.kind !== 'orElse'
  return a.type === b.type && JSON.stringify(a.value) === JSON.stringify(b.value)
}

/** Whether two conditions are written alike. Two that merely mean the same may differ. */
export function sameCondition(a: ConditionNode, b: ConditionNode): boolean {
  if (a === b) return true
  if (a.kind === 'constant' && b.kind === 'constant') return a.value === b.value
  if (a.kind === 'compare' && b.kind === 'compare') return a.by === b.by && sameTerm(a.left, b.left) && sameTerm(a.right, b.right)
  if (a.kind === 'presence' && b.kind === 'presence') return a.present === b.present && sameTerm(a.term, b.term)
  if (a.kind === 'not' && b.kind === 'not') return sameCondition(a.of, b.of)
  if (a.kind === 'named' && b.kind === 'named') return a.name === b.name && sameCondition(a.of, b.of)
  if ((a.kind === 'allOf' && b.kind === 'allOf') || (a.kind === 'anyOf' && b.kind === 'anyOf')) {
    return a.of.length === b.of.length && a.of.every((one, at) => sameCondition(one, b.of[at] as ConditionNode))
  }
  return false
}

function samePath(a: readonly string[], b: readonly string[]): boolean {
  return a.length === b.length && a.every((step, at) => step === b[at])
}
