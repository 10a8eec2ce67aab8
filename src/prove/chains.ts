import {
  type AncestorsNode,
  allOfNode,
  type ConditionNode,
  compareNode,
  equality,
  type JoinNode,
  notNode,
  onLinked,
  placeOf,
  type SomeNode,
  someNode,
  type TermNode,
  TRUE,
} from '../condition/index.js'

/** The first step of a chain. */
export function stepOf({ by, link }: AncestorsNode, each: number): ConditionNode {
  return allOfNode([...by.map((join) => equality(join, each)), onLinked(link, each, TRUE)])
}

/** Whether a record is the one that the chain begins with. */
export function isItself({ keys, self }: AncestorsNode, each: number): ConditionNode {
  return allOfNode(keys.map((place, at) => compareNode(placeOf(place, each), 'is', self[at] as TermNode)))
}

const known = new WeakMap<SomeNode, ConditionNode[]>()
/** A number that no `some` of a rule has. */
const BETWEEN = 1_000_000

/** The same of records that are so many steps up, in conditions of single steps. The same object for the same node. */
export function stepsUp(node: SomeNode, over: AncestorsNode, count: number): ConditionNode {
  const made = known.get(node) ?? []
  known.set(node, made)
  made[count] ??= count === 1 ? step(node, over, over.by) : twoSteps(node, over)
  return made[count]
}

function step({ each, of }: SomeNode, over: AncestorsNode, by: readonly JoinNode[]): ConditionNode {
  const fits = allOfNode([onLinked(over.link, each, TRUE), notNode(isItself(over, each)), of])
  return someNode(each, { kind: 'records', type: over.type, by }, fits)
}

function twoSteps(node: SomeNode, over: AncestorsNode): ConditionNode {
  const between = node.each + BETWEEN
  const by = over.link.by.map(({ to, from: { ignoringCase: _how, ...place } }) => ({ to, from: placeOf(place, between) }))
  const fits = allOfNode([onLinked(over.link, between, TRUE), notNode(isItself(over, between)), step(node, over, by)])
  return someNode(between, { kind: 'records', type: over.type, by: over.by }, fits)
}
