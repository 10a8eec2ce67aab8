import type { Comparison } from './operators.js'
import type { Comparable, Scalar } from './value.js'

/**
 * Which record a field is read from: the record as it is, or (in rules of updates) as it would become; or, by number, the
 * record that the enclosing `some` of that number is looking at.
 */
export type RecordRef = 'record' | 'after' | number

/** A place in a record that a link joins on. */
export interface PlaceNode {
  readonly path: readonly string[]
  readonly type: Scalar
  readonly list?: true
}

/** A step from one record to another of type `to`: each pair of places has to be equal. A list leads to whatever equals one of its values. */
export interface LinkNode {
  readonly name: string
  readonly to: string
  readonly by: readonly { readonly to: PlaceNode; readonly from: PlaceNode }[]
}

/** A place in the records looked through, and the term that it has to be equal to. */
export interface JoinNode {
  readonly to: PlaceNode
  readonly from: TermNode
}

/** A field of a record. `other` fields hold something that can only be asked whether it is there. */
export interface FieldNode {
  readonly kind: 'field'
  readonly of: RecordRef
  /** Links to one that lead on to the record that has the field. Where there is none, the field is missing. */
  readonly via?: readonly LinkNode[]
  readonly path: readonly string[]
  readonly type: Scalar | 'other'
  readonly list?: true
  /** May be missing, by its shape. */
  readonly optional?: true
}

/** A claim of the person asking. Any claim can be missing: a visitor has none. */
export interface ClaimNode {
  readonly kind: 'claim'
  /** So many of the first steps are links to records: together they are there or missing. */
  readonly links?: number
  readonly path: readonly string[]
  readonly type: Scalar | 'other'
  readonly list?: true
  /** May be missing even for a signed-in person. */
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

/** A list becomes another by one value alone: exactly one occurrence of the item is added, or removed, whatever the order. */
export interface ListChangeNode {
  readonly kind: 'listChange'
  readonly by: 'adds' | 'removes'
  /** The list as it becomes. */
  readonly list: TermNode
  /** The list as it is. */
  readonly from: TermNode
  readonly item: TermNode
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

/** Records of a type: those whose places equal the terms, or all of them. */
export interface RecordsNode {
  readonly kind: 'records'
  readonly type: string
  /** The link by which they are reached. */
  readonly name?: string
  /** There is at most one. */
  readonly one?: true
  readonly by: readonly JoinNode[]
}

/** The objects in a list within a record. */
export interface ElementsNode {
  readonly kind: 'elements'
  readonly list: FieldNode
}

/** The chain of records above one, by a link of their type to itself: any number of steps, the record itself left out. */
export interface AncestorsNode {
  readonly kind: 'ancestors'
  readonly type: string
  /** The first step. */
  readonly by: readonly JoinNode[]
  /** Every further one. */
  readonly link: LinkNode
  readonly key: PlaceNode
  /** The key of the record itself. */
  readonly self: TermNode
}

/** What a `some` looks through. */
export type OverNode = RecordsNode | ElementsNode | AncestorsNode

/** At least one of the records fits. Inside, it is the record of the number `each`, which no enclosing `some` has. */
export interface SomeNode {
  readonly kind: 'some'
  readonly each: number
  readonly over: OverNode
  readonly of: ConditionNode
}

/** A yes/no expression over the record, the person and the instant: plain frozen data that is its own JSON form. */
export type ConditionNode =
  | ConstantNode
  | CompareNode
  | PresenceNode
  | ListChangeNode
  | AllOfNode
  | AnyOfNode
  | NotNode
  | NamedNode
  | SomeNode

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

/** A change of a list by one value, as one node. */
export function listChangeNode(by: ListChangeNode['by'], list: TermNode, from: TermNode, item: TermNode): ListChangeNode {
  return Object.freeze({ kind: 'listChange', by, list, from, item })
}

/** A `some`, as one node. */
export function someNode(each: number, over: OverNode, of: ConditionNode): SomeNode {
  return Object.freeze({ kind: 'some', each, over, of })
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

/** The type by which a term is compared. */
export function scalarOf(term: TermNode): Scalar {
  const type = typeOf(term)
  return type === 'other' ? 'text' : type
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

/** Conditions joined: every one of them, or at least one. */
export function isJoined(node: ConditionNode): node is AllOfNode | AnyOfNode {
  switch (node.kind) {
    case 'allOf':
    case 'anyOf':
      return true
    case 'constant':
    case 'not':
    case 'named':
    case 'compare':
    case 'presence':
    case 'listChange':
    case 'some':
      return false
  }
}

/** What is looked through is records, of which a type says what they hold. */
export function isOverRecords(over: OverNode): over is RecordsNode | AncestorsNode {
  switch (over.kind) {
    case 'records':
    case 'ancestors':
      return true
    case 'elements':
      return false
  }
}
