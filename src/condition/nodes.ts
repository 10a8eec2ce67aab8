import type { Comparable, Scalar } from './value.js'

/**
 * Which record a field is read from: the record as it is, or (in rules of updates) as it would become; or, by number, the
 * record that the enclosing `some` of that number is looking at.
 */
export type RecordRef = 'record' | 'after' | number

/** A place in a record that a link goes by. */
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

/** A change of a list by one value, as one node. */
export function listChangeNode(by: ListChangeNode['by'], list: TermNode, from: TermNode, item: TermNode): ListChangeNode {
  return Object.freeze({ kind: 'listChange', by, list, from, item })
}

/** A `some`, as one node. */
export function someNode(each: number, over: OverNode, of: ConditionNode): SomeNode {
  return Object.freeze({ kind: 'some', each, over, of })
}

/** Freezes a condition and all that is in it. What is frozen already is taken to be so throughout. */
export function frozen(node: ConditionNode): ConditionNode {
  if (node.kind === 'compare' || node.kind === 'listChange') return Object.freeze(node)
  if (Object.isFrozen(node)) return node
  if (node.kind === 'allOf' || node.kind === 'anyOf') {
    for (const part of node.of) frozen(part)
    Object.freeze(node.of)
  } else if (node.kind === 'not' || node.kind === 'named') frozen(node.of)
  else if (node.kind === 'some') {
    frozen(node.of)
    Object.freeze(node.over)
  }
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

/** Whether two terms are the same place or value. */
export function sameTerm(a: TermNode, b: TermNode): boolean {
  if (a === b) return true
  // Of one type as well: what is blank is missing in an id, and there in a text.
  if (a.kind === 'field' && b.kind === 'field')
    return a.type === b.type && a.of === b.of && samePath(a.path, b.path) && sameLinks(a.via, b.via)
  if (a.kind === 'claim' && b.kind === 'claim') return a.type === b.type && samePath(a.path, b.path)
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
  if (a.kind === 'listChange' && b.kind === 'listChange')
    return a.by === b.by && sameTerm(a.list, b.list) && sameTerm(a.from, b.from) && sameTerm(a.item, b.item)
  if (a.kind === 'not' && b.kind === 'not') return sameCondition(a.of, b.of)
  if (a.kind === 'named' && b.kind === 'named') return a.name === b.name && sameCondition(a.of, b.of)
  if (a.kind === 'some' && b.kind === 'some') return a.each === b.each && sameOver(a.over, b.over) && sameCondition(a.of, b.of)
  if ((a.kind === 'allOf' && b.kind === 'allOf') || (a.kind === 'anyOf' && b.kind === 'anyOf')) {
    return a.of.length === b.of.length && a.of.every((one, at) => sameCondition(one, b.of[at] as ConditionNode))
  }
  return false
}

function samePath(a: readonly string[], b: readonly string[]): boolean {
  return a.length === b.length && a.every((step, at) => step === b[at])
}

/** Whether two chains of links are the same. */
export function sameLinks(a: readonly LinkNode[] = [], b: readonly LinkNode[] = []): boolean {
  return a === b || (a.length === b.length && a.every((one, at) => sameLink(one, b[at] as LinkNode)))
}

function sameLink(a: LinkNode, b: LinkNode): boolean {
  if (a === b) return true
  const same = (one: PlaceNode, other: PlaceNode | undefined) => other?.type === one.type && samePath(one.path, other.path)
  return (
    a.to === b.to && a.by.length === b.by.length && a.by.every(({ to, from }, at) => same(to, b.by[at]?.to) && same(from, b.by[at]?.from))
  )
}

function sameOver(a: OverNode, b: OverNode): boolean {
  if (a.kind === 'elements' || b.kind === 'elements')
    return a.kind === b.kind && sameTerm((a as ElementsNode).list, (b as ElementsNode).list)
  if (a.kind !== b.kind || a.type !== b.type || !sameJoins(a.by, b.by)) return false
  return a.kind === 'records' || (sameLink(a.link, (b as AncestorsNode).link) && sameTerm(a.self, (b as AncestorsNode).self))
}

function sameJoins(a: readonly JoinNode[], b: readonly JoinNode[]): boolean {
  return (
    a.length === b.length &&
    a.every(({ to, from }, at) => {
      const other = b[at] as JoinNode
      return to.type === other.to.type && samePath(to.path, other.to.path) && sameTerm(from, other.from)
    })
  )
}
