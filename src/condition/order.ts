import type { ConditionNode } from './nodes.js'
import { followsLinks } from './walk.js'

/** The same condition with what follows links behind what does not, in every `and` and `or`: often it is not asked at all. */
export function linksLast(node: ConditionNode): ConditionNode {
  if ((node.kind !== 'allOf' && node.kind !== 'anyOf') || !followsLinks(node)) return node
  const parts = node.of.map(linksLast)
  return { ...node, of: [...parts.filter((part) => !followsLinks(part)), ...parts.filter(followsLinks)] }
}
