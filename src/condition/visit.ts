import type { ConditionNode, FieldNode, OverNode, SomeNode, TermNode } from './nodes.js'

// The one way to walk conditions. Code that examines the parts of a condition uses these functions, so a new kind of node is handled here,
// and in each exhaustive `switch` over the kinds.

/** The direct sub-conditions of a condition. */
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

/** Applies a function to the direct sub-conditions. Returns the same node if nothing changes. */
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

/** The terms that a condition compares or joins on itself, without those of its sub-conditions. */
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
      return [...over.by.map(({ from }) => from), ...over.self]
  }
}

/** Applies a function to the terms of the condition itself. Returns the same node if nothing changes. */
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

/** Applies a function to the terms of what a `some` searches. */
export function mapOver(over: OverNode, change: (term: TermNode) => TermNode): OverNode {
  switch (over.kind) {
    case 'elements': {
      const list = change(over.list) as FieldNode
      return list === over.list ? over : { ...over, list }
    }
    case 'records': {
      const by = mapJoins(over.by, change)
      return by === over.by ? over : { ...over, by }
    }
    case 'ancestors': {
      const by = mapJoins(over.by, change)
      const self = mapAll(over.self, change)
      return by === over.by && self === over.self ? over : { ...over, by, self }
    }
  }
}

function mapJoins<J extends { readonly from: TermNode }>(by: readonly J[], change: (term: TermNode) => TermNode): readonly J[] {
  return mapAll(by, (join) => {
    const from = change(join.from)
    return from === join.from ? join : { ...join, from }
  })
}

/** The parts of a term: itself, or both terms of an `orElse`. */
export function partsOfTerm(term: TermNode): readonly LeafNode[] {
  return term.kind === 'orElse' ? [...partsOfTerm(term.term), ...partsOfTerm(term.otherwise)] : [term]
}

/** A term that contains no other. */
export type LeafNode = Exclude<TermNode, { readonly kind: 'orElse' }>

/** Applies a function to each part of a term. Returns the same term if nothing changes. */
export function mapTerm(term: TermNode, change: (leaf: LeafNode) => TermNode): TermNode {
  if (term.kind !== 'orElse') return change(term)
  const [first, otherwise] = [mapTerm(term.term, change), mapTerm(term.otherwise, change)]
  return first === term.term && otherwise === term.otherwise ? term : { kind: 'orElse', term: first, otherwise }
}

/** Whether a condition or one of its sub-conditions at any depth passes a test. */
export function anyNode(node: ConditionNode, test: (node: ConditionNode) => boolean): boolean {
  return test(node) || childrenOf(node).some((child) => anyNode(child, test))
}

/** The position of a part within a condition. */
export interface Surroundings {
  /** Under an odd number of `not`: it matters when it is false. */
  readonly negative: boolean
  /** The innermost enclosing `some`. */
  readonly looking: Looking | undefined
}

/** A `some` and the one that encloses it. */
export interface Looking {
  readonly node: SomeNode
  readonly outer: Looking | undefined
}

/** The position of a whole condition. */
export const OUTERMOST: Surroundings = Object.freeze({ negative: false, looking: undefined })
const NEGATED: Surroundings = Object.freeze({ negative: true, looking: undefined })

/** The enclosing `some` with that number. */
export function someAround(looking: Looking | undefined, each: number): SomeNode | undefined {
  for (let at = looking; at !== undefined; at = at.outer) if (at.node.each === each) return at.node
  return undefined
}

/** The positions of the direct sub-conditions. */
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

/** Visits a condition and all its sub-conditions, outer before inner. */
export function eachNode(
  node: ConditionNode,
  visit: (node: ConditionNode, around: Surroundings) => void,
  around: Surroundings = OUTERMOST,
): void {
  visit(node, around)
  const inner = within(node, around)
  for (const child of childrenOf(node)) eachNode(child, visit, inner)
}

/** Applies a function to each element. Returns the same list if nothing changes. */
export function mapAll<T>(list: readonly T[], change: (one: T) => T): readonly T[] {
  const changed = list.map(change)
  return changed.every((one, at) => one === list[at]) ? list : changed
}
