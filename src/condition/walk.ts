import { frozen } from './freeze.js'
import { type ClaimNode, type ConditionNode, type FieldNode, isJoined, type RecordRef, type TermNode } from './nodes.js'
import { anyNode, eachNode, type LeafNode, mapChildren, mapOwnTerms, mapTerm, partsOfTerm, termsOf } from './visit.js'

/**
 * The same condition with every field, claim and literal put through a function, also those that a `some` joins on.
 * Where that changes nothing, it is the same node.
 */
export function mapTerms(node: ConditionNode, change: (leaf: LeafNode) => TermNode): ConditionNode {
  return mapOwnTerms(
    mapChildren(node, (child) => mapTerms(child, change)),
    (term) => mapTerm(term, change),
  )
}

/** A condition on the record that a `some` looks at, asked of a record by itself. */
export function asRecord(node: ConditionNode, each: number): ConditionNode {
  return askedOf(node, each, 'record')
}

/** Every term in a condition that holds no other term, also those that a `some` joins on. */
export function leavesOf(node: ConditionNode): LeafNode[] {
  const leaves: LeafNode[] = []
  eachNode(node, (part) => {
    for (const term of termsOf(part)) leaves.push(...partsOfTerm(term))
  })
  return leaves
}

/** Whether there is such a term in a condition, among those that `leavesOf` gives. */
export function anyLeaf(node: ConditionNode, test: (leaf: LeafNode) => boolean): boolean {
  return anyNode(node, (part) => hasLeaf(part, test))
}

/** The same of the terms of a condition itself, without those of the conditions that it is made of. */
function hasLeaf(node: ConditionNode, test: (leaf: LeafNode) => boolean): boolean {
  return termsOf(node).some((term) => partsOfTerm(term).some(test))
}

/** The fields that a condition reads. */
export function fieldNodesIn(node: ConditionNode): FieldNode[] {
  return leavesOf(node).filter((leaf) => leaf.kind === 'field')
}

/** The claims that a condition asks for. */
export function claimNodesIn(node: ConditionNode): ClaimNode[] {
  return leavesOf(node).filter((leaf) => leaf.kind === 'claim')
}

/** The names of the fields that a condition reads from the record as it is, also those that its links join on. */
export function fieldsIn(node: ConditionNode): string[] {
  const names = fieldNodesIn(node)
    .filter(({ of }) => of === 'record')
    .flatMap(({ path, via }) => (via === undefined ? [path[0]] : (via[0]?.by ?? []).map(({ from }) => from.path[0])))
  return [...new Set(names as string[])]
}

/** Whether a condition asks for the record as it would become. */
export function asksAfter(node: ConditionNode): boolean {
  return anyLeaf(node, (leaf) => leaf.kind === 'field' && leaf.of === 'after')
}

/** Whether a condition asks which value is added to a list or removed. */
export function changesList(node: ConditionNode): boolean {
  return anyNode(node, ({ kind }) => kind === 'listChange')
}

/** Whether a condition reads records besides the one that it is asked about, as it is or as it would become. */
export function followsLinks(node: ConditionNode): boolean {
  return anyNode(
    node,
    (part) =>
      (part.kind === 'some' && part.over.kind !== 'elements') || hasLeaf(part, (leaf) => leaf.kind === 'field' && leaf.via !== undefined),
  )
}

/** The same condition with what follows links behind what does not, in every `and` and `or`: often it is not asked at all. */
export function linksLast(node: ConditionNode): ConditionNode {
  if (!isJoined(node) || !followsLinks(node)) return node
  const parts = node.of.map(linksLast)
  return { ...node, of: [...parts.filter((part) => !followsLinks(part)), ...parts.filter(followsLinks)] }
}

/** The highest number that a `some` in a condition has; 0 where there is none. */
export function highestEach(node: ConditionNode): number {
  let highest = 0
  eachNode(node, (part) => {
    if (part.kind === 'some' && part.each > highest) highest = part.each
  })
  return highest
}

/** Whether a condition within a `some` asks about nothing but the record that it looks at (and what that leads to). */
export function isSelfContained(node: ConditionNode, each: number): boolean {
  const bound = new Set([each])
  eachNode(node, (part) => {
    if (part.kind === 'some') bound.add(part.each)
  })
  return !anyLeaf(node, (leaf) => leaf.kind === 'field' && !bound.has(leaf.of as number))
}

/**
 * Numbers every `some` by its depth, from 1, so that conditions that are written alike are alike.
 * `unbound` is told of a field whose record no enclosing `some` is looking at. `from` is the first number.
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
  return { kind: 'some', each: depth, over: own.over, of }
}

/** A condition on a record, asked of the one that a `some` of the number `each` looks at. Its own are numbered above `highest`. */
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

/** A condition on a record, asked about another: every field of `from` becomes one of `to`. */
export function askedOf(node: ConditionNode, from: RecordRef, to: RecordRef): ConditionNode {
  return mapTerms(node, (leaf) => (leaf.kind === 'field' && leaf.of === from ? { ...leaf, of: to } : leaf))
}
