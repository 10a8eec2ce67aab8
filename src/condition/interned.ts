import type { ConditionNode } from './nodes.js'
import { Recent } from './recent.js'
import { shapeOf } from './shape.js'

/** How many conditions are kept, and how long their texts may be. */
const MOST = 500
const LONGEST = 2_000

const kept = new Recent<ConditionNode>(MOST)

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
  return kept.get(name, () => node)
}
