import type { ConditionNode, FieldNode, OverNode, SomeNode, TermNode } from './nodes.js'

// The one way to walk conditions. What asks a question of the parts of a condition is written with these, so that a new kind of
// node is handled here, and wherever a `switch` over the kinds gives each a meaning of its own.

/** The conditions that a condition is made of. */
export function childrenOf(node: ConditionNode): readonly ConditionNode[] {
  switch (node.kind) {
    case 'allOf':
    case 'anyOf':
      return node.of
    case 'not':
    case 'named':
    case 'some':
      return [node.of]
    case 'constant':
    case 'compare':
    case 'presence':
    case 'listChange':
      return NONE
  }
}

const NONE: readonly never[] = Object.freeze([])

/** The same condition with each of the conditions that it is made of put through a function; the same node where nothing changes. */
export function mapChildren(node: ConditionNode, change: (child: ConditionNode) => ConditionNode): ConditionNode {
  switch (node.kind) {
    case 'allOf':
    case 'anyOf': {
      const of = mapAll(node.of, change)
      return of === node.of ? node : { ...node, of }
    }
    case 'not':
    case 'named':
    case 'some': {
      const of = change(node.of)
      return of === node.of ? node : { ...node, of }
    }
    case 'constant':
    case 'compare':
    case 'presence':
    case 'listChange':
      return node
  }
}

/** The terms that a condition itself compares or joins on; not those of the conditions inside it. */
export function termsOf(node: ConditionNode): readonly TermNode[] {
  switch (node.kind) {
    case 'compare':
      return [node.left, node.right]
    case 'presence':
      return [node.term]
    case 'listChange':
      return [node.list, node.from, node.item]
    case 'some':
      return termsOfOver(node.over)
    case 'constant':
    case 'allOf':
    case 'anyOf':
    case 'not':
    case 'named':
      return NONE
  }
}

/** The terms that a `some` joins on. */
export function termsOfOver(over: OverNode): readonly TermNode[] {
  switch (over.kind) {
    case 'elements':
      return [over.list]
    case 'records':
      return over.by.map(({ from }) => from)
    case 'ancestors':
      return [...over.by.map(({ from }) => from), over.self]
  }
}

/** The same condition with each of its own terms put through a function; the same node where nothing changes. */
export function mapOwnTerms(node: ConditionNode, change: (term: TermNode) => TermNode): ConditionNode {
  switch (node.kind) {
    case 'compare': {
      const [left, right] = [change(node.left), change(node.right)]
      return left === node.left && right === node.right ? node : { ...node, left, right }
    }
    case 'presence': {
      const term = change(node.term)
      return term === node.term ? node : { ...node, term }
    }
    case 'listChange': {
      const [list, from, item] = [change(node.list), change(node.from), change(node.item)]
      return list === node.list && from === node.from && item === node.item ? node : { ...node, list, from, item }
    }
    case 'some': {
      const over = mapOver(node.over, change)
      return over === node.over ? node : { ...node, over }
    }
    case 'constant':
    case 'allOf':
    case 'anyOf':
    case 'not':
    case 'named':
      return node
  }
}

/** What a `some` looks through, with its terms put through a function. */
export function mapOver(over: OverNode, change: (term: TermNode) => TermNode): OverNode {
  switch (over.kind) {
    case 'elements': {
      const list = change(over.list) as FieldNode
      return list === over.list ? over : { ...over, list }
    }
    case 'records': {
      const by = mapAll(over.by, (join) => withFrom(join, change(join.from)))
      return by === over.by ? over : { ...over, by }
    }
    case 'ancestors': {
      const by = mapAll(over.by, (join) => withFrom(join, change(join.from)))
      const self = change(over.self)
      return by === over.by && self === over.self ? over : { ...over, by, self }
    }
  }
}

function withFrom<J extends { readonly from: TermNode }>(join: J, from: TermNode): J {
  return from === join.from ? join : { ...join, from }
}

/** The terms that a term is made of: itself, or the two that stand in for each other. */
export function partsOfTerm(term: TermNode): readonly LeafNode[] {
  return term.kind === 'orElse' ? [...partsOfTerm(term.term), ...partsOfTerm(term.otherwise)] : [term]
}

/** A term that holds no other. */
export type LeafNode = Exclude<TermNode, { readonly kind: 'orElse' }>

/** A term with each that it is made of put through a function; the same where nothing changes. */
export function mapTerm(term: TermNode, change: (leaf: LeafNode) => TermNode): TermNode {
  if (term.kind !== 'orElse') return change(term)
  const [first, otherwise] = [mapTerm(term.term, change), mapTerm(term.otherwise, change)]
  return first === term.term && otherwise === term.otherwise ? term : { kind: 'orElse', term: first, otherwise }
}

/** Whether a condition, or one that it is made of at whatever depth, passes a test. */
export function anyNode(node: ConditionNode, test: (node: ConditionNode) => boolean): boolean {
  return test(node) || childrenOf(node).some((child) => anyNode(child, test))
}

/** Where in a condition a part stands. */
export interface Surroundings {
  /** Under an odd number of `not`: it counts where it does not hold. */
  readonly negative: boolean
  /** The innermost `some` around it. */
  readonly looking: Looking | undefined
}

/** A `some`, and the one around it. */
export interface Looking {
  readonly node: SomeNode
  readonly outer: Looking | undefined
}

/** Where a whole condition stands. */
export const OUTERMOST: Surroundings = Object.freeze({ negative: false, looking: undefined })
const NEGATED: Surroundings = Object.freeze({ negative: true, looking: undefined })

/** The `some` of that number around a part of a condition. */
export function someAround(looking: Looking | undefined, each: number): SomeNode | undefined {
  for (let at = looking; at !== undefined; at = at.outer) if (at.node.each === each) return at.node
  return undefined
}

/** Where the conditions that a condition is made of stand. */
export function within(node: ConditionNode, around: Surroundings): Surroundings {
  const { negative, looking } = around
  switch (node.kind) {
    case 'some':
      return { negative, looking: { node, outer: looking } }
    case 'not':
      return looking === undefined ? (negative ? OUTERMOST : NEGATED) : { negative: !negative, looking }
    case 'constant':
    case 'allOf':
    case 'anyOf':
    case 'named':
    case 'compare':
    case 'presence':
    case 'listChange':
      return around
  }
}

/** Visits a condition and all that it is made of, the outer before the inner. */
export function eachNode(
  node: ConditionNode,
  visit: (node: ConditionNode, around: Surroundings) => void,
  around: Surroundings = OUTERMOST,
): void {
  visit(node, around)
  const inner = within(node, around)
  for (const child of childrenOf(node)) eachNode(child, visit, inner)
}

/** A list with each element put through a function; the same list where nothing changes. */
export function mapAll<T>(list: readonly T[], change: (one: T) => T): readonly T[] {
  const changed = list.map(change)
  return changed.every((one, at) => one === list[at]) ? list : changed
}
