import {
  type AllOfNode,
  type AnyOfNode,
  type CompareNode,
  type ConditionNode,
  compareNode,
  constant,
  FALSE,
  isList,
  type ListChangeNode,
  type OverNode,
  type PresenceNode,
  presenceNode,
  type SomeNode,
  type TermNode,
  TRUE,
} from './nodes.js'
import { changedBy, compareValues } from './operators.js'
import { type Comparable, isMissing, toComparable, toComparables } from './value.js'
import { type LeafNode, mapOver, OUTERMOST, type Surroundings, within } from './visit.js'

/** What a partial evaluation knows. What it leaves as it is, stays open: the result is a constant only where that does not matter. */
export interface Binding {
  /** The value of a term, as a literal; the term itself where it is not known. */
  leaf(leaf: LeafNode, around: Surroundings): TermNode
  /** Whether a list is there that holds something that equals nothing: a literal cannot say so, and it is no match for any list. */
  isBroken?(leaf: TermNode): boolean
  /** The records, or objects, that a `some` looks at, as far as they are known; undefined where nothing is known of them. */
  look?(node: SomeNode): Looked | undefined
  /** What a condition comes to, where that is known without looking into it. */
  replace?(node: ConditionNode, around: Surroundings): ConditionNode | undefined
  /** How simplified conditions are joined: `combine`, where the result is kept. Default: only what decides the whole is looked for. */
  join?(kind: 'allOf' | 'anyOf', simple: readonly ConditionNode[]): ConditionNode
  /** What named conditions came to before, where they come to the same wherever they stand. */
  readonly named?: Map<ConditionNode, ConditionNode>
}

/** What is known of the records that a `some` looks at. */
export interface Looked {
  /** What is known of each of them. */
  readonly each: readonly Binding[]
  /** What is asked of each. */
  readonly of: ConditionNode
  /** Whether there may be others. */
  readonly others: boolean
}

/**
 * The one partial evaluator: a condition with all that is known put in, and all that follows from it decided. Never changes the
 * answer, whatever the rest turns out to be. What is open stays: so a result that is no constant means that it depends.
 */
export function bind(node: ConditionNode, binding: Binding, around: Surroundings = OUTERMOST): ConditionNode {
  const known = binding.replace?.(node, around)
  if (known !== undefined) return known
  switch (node.kind) {
    case 'constant':
      return constant(node.value)
    case 'named':
      return bindNamed(node.of, binding, around)
    case 'not':
      return complement(bind(node.of, binding, within(node, around)))
    case 'allOf':
    case 'anyOf':
      return bindJoined(node, binding, around)
    case 'presence':
      return decidePresence(node, bindTerm(node.term, binding, around))
    case 'compare':
      return decideCompare(node, bindTerm(node.left, binding, around), bindTerm(node.right, binding, around))
    case 'listChange':
      return bindListChange(node, binding, around)
    case 'some':
      return bindSome(node, binding, around)
  }
}

/** Stands for a condition whose outcome is not known: no rule asks for a claim of no name. */
export const UNDECIDED: ConditionNode = Object.freeze(
  presenceNode(Object.freeze({ kind: 'claim', path: Object.freeze(['']), type: 'other' }), true),
)

function bindNamed(of: ConditionNode, binding: Binding, around: Surroundings): ConditionNode {
  const before = binding.named?.get(of)
  if (before !== undefined) return before
  const bound = bind(of, binding, around)
  binding.named?.set(of, bound)
  return bound
}

function bindJoined(node: AllOfNode | AnyOfNode, binding: Binding, around: Surroundings): ConditionNode {
  const decisive = node.kind === 'anyOf'
  const parts: ConditionNode[] = []
  for (const part of node.of) {
    const bound = bind(part, binding, around)
    if (bound.kind === 'constant' && bound.value === decisive) return bound
    parts.push(bound)
  }
  return (binding.join ?? join)(node.kind, parts)
}

/** A term with what is known put in; of two that stand in for each other, the one that counts where that is known. */
export function bindTerm(term: TermNode, binding: Binding, around: Surroundings): TermNode {
  if (term.kind !== 'orElse') return binding.leaf(term, around)
  const first = bindTerm(term.term, binding, around)
  const there = presenceOf(first)
  if (there === true) return first
  const otherwise = bindTerm(term.otherwise, binding, around)
  if (there === false) return otherwise
  return first === term.term && otherwise === term.otherwise ? term : Object.freeze({ kind: 'orElse', term: first, otherwise })
}

function decidePresence(node: PresenceNode, term: TermNode): ConditionNode {
  const found = presenceOf(term)
  if (found !== undefined) return constant(found === node.present)
  return term === node.term ? node : presenceNode(term, node.present)
}

function decideCompare(node: CompareNode, given: TermNode, other: TermNode): ConditionNode {
  const left = withoutIdle(given)
  const right = withoutIdle(other)
  if (equalsNothing(left) || equalsNothing(right)) return FALSE
  const [one, two] = [knownValue(left), knownValue(right)]
  if (one !== undefined && two !== undefined) return constant(compareValues(node.by, one, two))
  return left === node.left && right === node.right ? node : compareNode(left, node.by, right)
}

function bindListChange(node: ListChangeNode, binding: Binding, around: Surroundings): ConditionNode {
  if (binding.isBroken?.(node.list) || binding.isBroken?.(node.from)) return FALSE
  const [list, from, item] = [node.list, node.from, node.item].map((term) => bindTerm(term, binding, around)) as [
    TermNode,
    TermNode,
    TermNode,
  ]
  if (equalsNothing(item) || presenceOf(list) === false || presenceOf(from) === false) return FALSE
  const [after, before, value] = [knownValue(list), knownValue(from), knownValue(item)]
  if (after === undefined || before === undefined || value === undefined)
    return list === node.list && from === node.from && item === node.item ? node : { ...node, list, from, item }
  const [longer, shorter] = (node.by === 'adds' ? [after, before] : [before, after]) as [Comparable[], Comparable[]]
  return constant(changedBy(longer, shorter, value as Comparable))
}

function bindSome(node: SomeNode, binding: Binding, around: Surroundings): ConditionNode {
  const looked = binding.look?.(node)
  if (looked !== undefined) {
    const found = looked.each.map((one) => bind(looked.of, one, within(node, around)))
    return (binding.join ?? join)('anyOf', looked.others ? [...found, node] : found)
  }
  const over = mapOver(node.over, (term) => bindTerm(term, binding, around))
  if (isEmpty(over)) return FALSE
  const of = bind(node.of, binding, within(node, around))
  if (of.kind === 'constant' && !of.value) return FALSE
  return over === node.over && of === node.of ? node : { kind: 'some', each: node.each, over, of }
}

/** Whether a `some` cannot find any record, because it joins on something that equals nothing. */
function isEmpty(over: OverNode): boolean {
  switch (over.kind) {
    case 'elements':
      // A list that is known is looked at one by one; what is left is missing.
      return over.list.kind !== 'field'
    case 'records':
    case 'ancestors':
      return over.by.some(({ from }) => equalsNothing(from))
  }
}

/** Joins simplified conditions: decided where one part decides. What is written twice stays so; `combine` leaves it out. */
function join(kind: 'allOf' | 'anyOf', simple: readonly ConditionNode[]): ConditionNode {
  const decisive = kind === 'anyOf'
  const open: ConditionNode[] = []
  for (const part of simple) {
    if (part.kind !== 'constant') open.push(part)
    else if (part.value === decisive) return part
  }
  return open.length === 0 ? constant(!decisive) : open.length === 1 ? (open[0] as ConditionNode) : { kind, of: open }
}

/** The complement of a simplified condition, simplified. */
export function complement(of: ConditionNode): ConditionNode {
  if (of.kind === 'not') return of.of
  return of === TRUE ? FALSE : of === FALSE ? TRUE : { kind: 'not', of }
}

/** The term without stand-ins that equal nothing: in a comparison it says no more than that the term is missing. */
function withoutIdle(term: TermNode): TermNode {
  if (term.kind !== 'orElse') return term
  const there = presenceOf(term.term)
  if (there !== undefined) return withoutIdle(there ? term.term : term.otherwise)
  const otherwise = withoutIdle(term.otherwise)
  if (equalsNothing(otherwise)) return withoutIdle(term.term)
  return otherwise === term.otherwise ? term : Object.freeze({ kind: 'orElse', term: term.term, otherwise })
}

/** Whether the term is there, where that is known. */
export function presenceOf(term: TermNode): boolean | undefined {
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
  if (isList(term)) return (toComparables(term.value, term.type)?.length ?? 0) === 0
  return toComparable(term.value, term.type) === undefined
}

/** The value of a term, ready to be compared, or the values of a list; undefined where it is open, or equals nothing. */
export function knownValue(term: TermNode): Comparable | readonly Comparable[] | undefined {
  switch (term.kind) {
    case 'literal':
      return term.list ? toComparables(term.value, term.type) : toComparable(term.value, term.type)
    case 'forever':
      return Number.POSITIVE_INFINITY
    case 'field':
    case 'claim':
    case 'now':
    case 'orElse':
      return undefined
  }
}
