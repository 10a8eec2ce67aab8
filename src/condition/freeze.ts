import { type ConditionNode, isJoined } from './nodes.js'
import { childrenOf } from './visit.js'

/** Freezes a condition and all that is in it. What is frozen already is taken to be so throughout. */
export function frozen(node: ConditionNode): ConditionNode {
  if (Object.isFrozen(node)) return node
  for (const child of childrenOf(node)) frozen(child)
  if (isJoined(node)) Object.freeze(node.of)
  if (node.kind === 'some') Object.freeze(node.over)
  return Object.freeze(node)
}
