import type { ConditionNode } from './nodes.js'
import { shapeOf } from './shape.js'

/** How many conditions are kept, and how long their texts may be. */
const MOST = 500
const LONGEST = 2_000

const kept = new Map<string, ConditionNode>()

/**
 * The same node for the same condition: what was worked out for it, and for its combination with others, is found again. A filter of a request
 * is a new node in each call, and mostly has the same form and values as before.
 */
export function interned(node: ConditionNode): ConditionNode {
  const { text, literals } = shapeOf(node)
  if (text.length > LONGEST) return node
  // Values that JSON cannot tell apart, such as NaN and infinity, are improper for every type, as the text says.
  const name = `${text}\n${JSON.stringify(literals.map(({ value }) => value))}`
  if (name.length > LONGEST) return node
  const there = kept.get(name) ?? node
  // The one that was used last is at the end.
  kept.delete(name)
  if (kept.size >= MOST) kept.delete(kept.keys().next().value as string)
  kept.set(name, there)
  return there
}
