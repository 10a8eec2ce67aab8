import { frozen } from './freeze.js'
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

/** What a partial evaluation knows. Unknown parts stay as they are. The result is a constant only if it does not depend on them. */
export interface Binding {
  /** The value of a term as a literal, or the term itself if its value is unknown. */
  leaf(leaf: LeafNode, around: Surroundings): TermNode
  /**
   * Whether a known list contains a value that equals nothing. A literal cannot express that, and such a list never changes by one value.
   */
  isBroken?(leaf: TermNode): boolean
  /** The records or objects that a `some` searches, as far as known; undefined if nothing is known. */
  look?(node: SomeNode): Looked | undefined
  /** The result of a condition, if it is known without evaluating its parts. */
  replace?(node: ConditionNode, around: Surroundings): ConditionNode | undefined
  /** Joins simplified conditions: `combine` if the result is kept. Default: only checks whether one part decides. */
  join?(kind: 'allOf' | 'anyOf', simple: readonly ConditionNode[]): ConditionNode
  /** Cached results of named conditions, which are the same everywhere. */
  readonly named?: Map<ConditionNode, ConditionNode>
}

/** What is known about the records of a `some`. */
export interface Looked {
  /** What is known about each record. */
  readonly each: readonly Binding[]
  /** The condition to evaluate for each record. */
  readonly of: ConditionNode
  /** Whether there may be more records. */
  readonly others: boolean
}

/**
 * The only partial evaluator: fills in everything known and simplifies. It never changes the answer, whatever the unknown values turn out
 * to be. A result that is not a constant means that the answer depends on them.
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

/** A placeholder for an unknown result. No rule can name a claim with an empty name. */
export const UNDECIDED: ConditionNode = /* @__PURE__ */ frozen(presenceNode({ kind: 'claim', path: [''], type: 'other' }, true))

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

/** Fills in a term. Of `a.orElse(b)`, it keeps the one that counts, if that is known. */
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
  // Nobody is given enough records to count them.
  const looked = node.least ? undefined : binding.look?.(node)
  if (looked !== undefined) {
    const found = looked.each.map((one) => bind(looked.of, one, within(node, around)))
    return (binding.join ?? join)('anyOf', looked.others ? [...found, node] : found)
  }
  const over = mapOver(node.over, (term) => bindTerm(term, binding, around))
  if (isEmpty(over)) return FALSE
  const of = bind(node.of, binding, within(node, around))
  if (of.kind === 'constant' && !of.value) return FALSE
  return over === node.over && of === node.of ? node : { ...node, over, of }
}

/** Whether a `some` cannot find any record, because it joins on a value that equals nothing. */
function isEmpty(over: OverNode): boolean {
  switch (over.kind) {
    case 'elements':
      // The objects of a known list are evaluated one by one. Absent fields are missing.
      return over.list.kind !== 'field'
    case 'records':
    case 'ancestors':
      return over.by.some(({ from }) => equalsNothing(from))
  }
}

/** Joins simplified conditions; one part can decide. Duplicates stay; `combine` removes them. */
function join(kind: 'allOf' | 'anyOf', simple: readonly ConditionNode[]): ConditionNode {
  const decisive = kind === 'anyOf'
  const open: ConditionNode[] = []
  for (const part of simple) {
    if (part.kind !== 'constant') open.push(part)
    else if (part.value === decisive) return part
  }
  return open.length === 0 ? constant(!decisive) : open.length === 1 ? (open[0] as ConditionNode) : { kind, of: open }
}

/** The simplified complement of a simplified condition. */
export function complement(of: ConditionNode): ConditionNode {
  if (of.kind === 'not') return of.of
  return of === TRUE ? FALSE : of === FALSE ? TRUE : { kind: 'not', of }
}

/** Drops alternatives in `orElse` that equal nothing: in a comparison they mean the same as missing. */
function withoutIdle(term: TermNode): TermNode {
  if (term.kind !== 'orElse') return term
  const there = presenceOf(term.term)
  if (there !== undefined) return withoutIdle(there ? term.term : term.otherwise)
  const otherwise = withoutIdle(term.otherwise)
  if (equalsNothing(otherwise)) return withoutIdle(term.term)
  return otherwise === term.otherwise ? term : Object.freeze({ kind: 'orElse', term: term.term, otherwise })
}

/** Whether the term has a value, if that is known. */
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

/** The value of a term in comparable form, or the values of a list. Undefined if unknown, or if it equals nothing. */
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
