import type { Comparison } from './operators.js'
import type { Comparable, Scalar } from './value.js'

/**
 * The record that a field is read from: the record as it is, the changed record (in update rules), or the current record of the enclosing
 * `some` with that number.
 */
export type RecordRef = 'record' | 'after' | number

/** A place in a record that a link joins on. */
export interface PlaceNode {
  readonly path: readonly string[]
  readonly type: Scalar
  readonly list?: true
  /** In a link: A to Z count like a to z. Both places of a pair have it. */
  readonly ignoringCase?: true
}

/**
 * A step from one record to another of type `to`. Each pair of places must be equal. A list leads to every record that equals one of its
 * elements.
 */
export interface LinkNode {
  readonly name: string
  readonly to: string
  readonly by: readonly { readonly to: PlaceNode; readonly from: PlaceNode }[]
  /** The field that is present in removed records of the type, if it has one. The link does not lead to them. */
  readonly removal?: PlaceNode
}

/** A place in the records searched, and the term that it must equal. */
export interface JoinNode {
  readonly to: PlaceNode
  readonly from: TermNode
}

/** A field of a record. Fields of type `other` support presence tests only. */
export interface FieldNode {
  readonly kind: 'field'
  readonly of: RecordRef
  /** Links to one on the way to the record that has the field. If a record on the way does not exist, the field is missing. */
  readonly via?: readonly LinkNode[]
  readonly path: readonly string[]
  readonly type: Scalar | 'other'
  readonly list?: true
  /** May be missing according to its shape. */
  readonly optional?: true
}

/** A claim of the person. Every claim can be missing, because a visitor has none. */
export interface ClaimNode {
  readonly kind: 'claim'
  /** How many of the first steps are links to records: those fields exist or are missing together. */
  readonly links?: number
  readonly path: readonly string[]
  readonly type: Scalar | 'other'
  readonly list?: true
  /** May be missing even for a signed-in person. */
  readonly optional?: true
}

/** A constant from the rule, or a claim whose value is known. Times are RFC 3339 text; null is missing. */
export interface LiteralNode {
  readonly kind: 'literal'
  readonly type: Scalar
  readonly list?: true
  readonly value: Comparable | null | readonly Comparable[]
}

/**
 * The time of the operation. With a time zone: the day that it is there then, `days` later, as the midnight of that day in UTC, which is
 * also what a day in a record means.
 */
export interface NowNode {
  readonly kind: 'now'
  readonly zone?: string
  readonly days?: number
}

/** Later than any instant. */
export interface ForeverNode {
  readonly kind: 'forever'
}

/** A term, or another one if the first is missing. */
export interface OrElseNode {
  readonly kind: 'orElse'
  readonly term: TermNode
  readonly otherwise: TermNode
}

/** Anything that has a value when a rule is evaluated. */
export type TermNode = FieldNode | ClaimNode | LiteralNode | NowNode | ForeverNode | OrElseNode

/** A constant. */
export interface ConstantNode {
  readonly kind: 'constant'
  readonly value: boolean
}

/** A comparison. It is false if either side is missing or improper. */
export interface CompareNode {
  readonly kind: 'compare'
  readonly by: Comparison
  readonly left: TermNode
  readonly right: TermNode
}

/** Tests whether a term has a value. */
export interface PresenceNode {
  readonly kind: 'presence'
  readonly term: TermNode
  readonly present: boolean
}

/** One list becomes another by exactly one added or removed occurrence of the item, in any order. */
export interface ListChangeNode {
  readonly kind: 'listChange'
  readonly by: 'adds' | 'removes'
  /** The list after the change. */
  readonly list: TermNode
  /** The list before the change. */
  readonly from: TermNode
  readonly item: TermNode
}

/** True if all hold. Empty: true. */
export interface AllOfNode {
  readonly kind: 'allOf'
  readonly of: readonly ConditionNode[]
}

/** True if at least one holds. Empty: false. */
export interface AnyOfNode {
  readonly kind: 'anyOf'
  readonly of: readonly ConditionNode[]
}

/** The exact complement. */
export interface NotNode {
  readonly kind: 'not'
  readonly of: ConditionNode
}

/** The name of the condition that a record is not removed. */
export const NOT_REMOVED = 'not removed'

/** A condition with a name, used in descriptions. It has the meaning of its content. */
export interface NamedNode {
  readonly kind: 'named'
  readonly name: string
  readonly of: ConditionNode
}

/** Records of a type whose places equal the terms, or all of them if there are no pairs. */
export interface RecordsNode {
  readonly kind: 'records'
  readonly type: string
  /** The link that was followed. */
  readonly name?: string
  /** At most one record matches. */
  readonly one?: true
  /** The records that belong to the person by the link of that name. They are read with the claims. */
  readonly mine?: true
  readonly by: readonly JoinNode[]
}

/** The objects in a list of a record. */
export interface ElementsNode {
  readonly kind: 'elements'
  readonly list: FieldNode
}

/** The records above one in a chain of links within its type: any number of steps, without the record itself. */
export interface AncestorsNode {
  readonly kind: 'ancestors'
  readonly type: string
  /** The first step. */
  readonly by: readonly JoinNode[]
  /** All further steps. */
  readonly link: LinkNode
  readonly keys: readonly PlaceNode[]
  /** The key of the starting record, part by part. */
  readonly self: readonly TermNode[]
}

/** The records that a `some` searches. */
export type OverNode = RecordsNode | ElementsNode | AncestorsNode

/**
 * At least one of the records matches, or at least `least` of them, which never search a list of objects. Inside, the current record has the
 * number `each`, which no enclosing `some` has.
 */
export interface SomeNode {
  readonly kind: 'some'
  /** Two or more. Without it: one. */
  readonly least?: number
  readonly each: number
  readonly over: OverNode
  readonly of: ConditionNode
}

/** A yes/no expression over the record, the person and the time: plain frozen data that is its own JSON form. */
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

/** Always true. */
export const TRUE: ConstantNode = Object.freeze({ kind: 'constant', value: true })
/** Always false. */
export const FALSE: ConstantNode = Object.freeze({ kind: 'constant', value: false })
/** The time of the operation. */
export const NOW: NowNode = /* @__PURE__ */ Object.freeze({ kind: 'now' })
/** Later than any instant. */
export const FOREVER: ForeverNode = /* @__PURE__ */ Object.freeze({ kind: 'forever' })

/** Creates a constant condition. */
export function constant(value: boolean): ConstantNode {
  return value ? TRUE : FALSE
}

/** Creates an `allOf` node. */
export function allOfNode(of: readonly ConditionNode[]): AllOfNode {
  return Object.freeze({ kind: 'allOf', of: Object.freeze([...of]) })
}

/** Creates an `anyOf` node. */
export function anyOfNode(of: readonly ConditionNode[]): AnyOfNode {
  return Object.freeze({ kind: 'anyOf', of: Object.freeze([...of]) })
}

/** Creates a `not` node. */
export function notNode(of: ConditionNode): NotNode {
  return Object.freeze({ kind: 'not', of })
}

/** Creates a comparison. */
export function compareNode(left: TermNode, by: Comparison, right: TermNode): CompareNode {
  return Object.freeze({ kind: 'compare', by, left, right })
}

/** Creates a presence test. */
export function presenceNode(term: TermNode, present: boolean): PresenceNode {
  return Object.freeze({ kind: 'presence', term, present })
}

/** Creates a test that a list changes by one value. */
export function listChangeNode(by: ListChangeNode['by'], list: TermNode, from: TermNode, item: TermNode): ListChangeNode {
  return Object.freeze({ kind: 'listChange', by, list, from, item })
}

/** Creates a `some` node. */
export function someNode(each: number, over: OverNode, of: ConditionNode, least = 1): SomeNode {
  return Object.freeze({ kind: 'some', ...(least > 1 ? { least } : {}), each, over, of })
}

/** The value type of a term. */
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

/** The type that a term is compared as. */
export function scalarOf(term: TermNode): Scalar {
  const type = typeOf(term)
  return type === 'other' ? 'text' : type
}

/** Whether a term is a list. */
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

/** Conditions joined by `and` or `or`. */
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

/** Whether a `some` searches records, whose shape comes from their type. */
export function isOverRecords(over: OverNode): over is RecordsNode | AncestorsNode {
  switch (over.kind) {
    case 'records':
    case 'ancestors':
      return true
    case 'elements':
      return false
  }
}
