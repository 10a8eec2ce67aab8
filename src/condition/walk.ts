import { frozen } from './freeze.js'
import { type ClaimNode, type ConditionNode, type FieldNode, isJoined, type RecordRef, type TermNode } from './nodes.js'
import { perNode } from './per-node.js'
import { anyNode, eachNode, type LeafNode, mapChildren, mapOwnTerms, mapTerm, partsOfTerm, termsOf } from './visit.js'

/**
 * Applies a function to every field, claim and literal, including those that a `some` joins on. Returns the same node if nothing changes.
 */
export function mapTerms(node: ConditionNode, change: (leaf: LeafNode) => TermNode): ConditionNode {
  return mapOwnTerms(
    mapChildren(node, (child) => mapTerms(child, change)),
    (term) => mapTerm(term, change),
  )
}

/** Rewrites a condition on the record of a `some` so that it asks about a record on its own. */
export function asRecord(node: ConditionNode, each: number): ConditionNode {
  return askedOf(node, each, 'record')
}

/** All terms of a condition that contain no other term, including those that a `some` joins on. */
export function leavesOf(node: ConditionNode): LeafNode[] {
  const leaves: LeafNode[] = []
  eachNode(node, (part) => {
    for (const term of termsOf(part)) leaves.push(...partsOfTerm(term))
  })
  return leaves
}

/** Whether one of the terms returned by `leavesOf` passes a test. */
export function anyLeaf(node: ConditionNode, test: (leaf: LeafNode) => boolean): boolean {
  return anyNode(node, (part) => hasLeaf(part, test))
}

/** The same for the terms of the condition itself, without its sub-conditions. */
function hasLeaf(node: ConditionNode, test: (leaf: LeafNode) => boolean): boolean {
  return termsOf(node).some((term) => partsOfTerm(term).some(test))
}

/** The fields that a condition reads. */
export function fieldNodesIn(node: ConditionNode): FieldNode[] {
  return leavesOf(node).filter((leaf) => leaf.kind === 'field')
}

/** The claims that a condition reads. */
export function claimNodesIn(node: ConditionNode): ClaimNode[] {
  return leavesOf(node).filter((leaf) => leaf.kind === 'claim')
}

/** The names of the fields that a condition reads from the record as it is, including those that its links join on. */
export function fieldsIn(node: ConditionNode): string[] {
  const names = fieldNodesIn(node)
    .filter(({ of }) => of === 'record')
    .flatMap(({ path, via }) => (via === undefined ? [path[0]] : (via[0]?.by ?? []).map(({ from }) => from.path[0])))
  return [...new Set(names as string[])]
}

/** Whether a condition reads the changed record. */
export const asksAfter: (node: ConditionNode) => boolean = perNode((node) =>
  anyLeaf(node, (leaf) => leaf.kind === 'field' && leaf.of === 'after'),
)

/** Whether a condition asks which value a list gains or loses. */
export function changesList(node: ConditionNode): boolean {
  return anyNode(node, ({ kind }) => kind === 'listChange')
}

/** Whether a condition reads records other than the one it is evaluated on (as it is or as changed). */
export const followsLinks: (node: ConditionNode) => boolean = perNode((node) =>
  anyNode(
    node,
    (part) =>
      (part.kind === 'some' && part.over.kind !== 'elements') || hasLeaf(part, (leaf) => leaf.kind === 'field' && leaf.via !== undefined),
  ),
)

/** Moves parts that follow links behind the others in every `and` and `or`, so that they are often not evaluated. */
export function linksLast(node: ConditionNode): ConditionNode {
  if (!isJoined(node) || !followsLinks(node)) return node
  const parts = node.of.map(linksLast)
  return { ...node, of: [...parts.filter((part) => !followsLinks(part)), ...parts.filter(followsLinks)] }
}

/** The highest number of a `some` in a condition; 0 if there is none. */
export function highestEach(node: ConditionNode): number {
  let highest = 0
  eachNode(node, (part) => {
    if (part.kind === 'some' && part.each > highest) highest = part.each
  })
  return highest
}

/** Whether a condition inside a `some` asks only about the current record of that `some` and what it leads to. */
export function isSelfContained(node: ConditionNode, each: number): boolean {
  const bound = new Set([each])
  eachNode(node, (part) => {
    if (part.kind === 'some') bound.add(part.each)
  })
  return !anyLeaf(node, (leaf) => leaf.kind === 'field' && !bound.has(leaf.of as number))
}

/**
 * Numbers every `some` by its depth, from 1, so that conditions of the same form are equal. `unbound` is called for a field whose record
 * belongs to no enclosing `some`. `from` is the first number.
 */
export function numbered(node: ConditionNode, unbound: (of: number) => never, from = 1): ConditionNode {
  return frozen(renumber(node, new Map(), from, unbound))
}

function renumber(node: ConditionNode, numbers: ReadonlyMap<number, number>, depth: number, unbound: (of: number) => never): ConditionNode {
  const field = (leaf: LeafNode): TermNode => {
    if (leaf.kind !== 'field' || typeof leaf.of !== 'number') return leaf
    const of = numbers.get(leaf.of) ?? unbound(leaf.of)
    return of === leaf.of ? leaf : { ...leaf, of }
  }
  const own = mapOwnTerms(node, (term) => mapTerm(term, field))
  if (own.kind !== 'some') return mapChildren(own, (child) => renumber(child, numbers, depth, unbound))
  const of = renumber(own.of, new Map([...numbers, [own.each, depth]]), depth + 1, unbound)
  if (own === node && own.each === depth && of === own.of) return node
  return { ...own, each: depth, of }
}

/**
 * Rewrites a condition on a record to ask about the current record of the `some` with the number `each`. Its own `some` nodes get numbers
 * above `highest`.
 */
export function askedWithin(node: ConditionNode, each: number, highest = each): ConditionNode {
  const apart = numbered(
    node,
    (of) => {
      throw new Error(`no enclosing "some" has the number ${of}`)
    },
    highest + 1,
  )
  return askedOf(apart, 'record', each)
}

/** Rewrites a condition to ask about another record: every field of `from` becomes one of `to`. */
export function askedOf(node: ConditionNode, from: RecordRef, to: RecordRef): ConditionNode {
  return mapTerms(node, (leaf) => (leaf.kind === 'field' && leaf.of === from ? { ...leaf, of: to } : leaf))
}
