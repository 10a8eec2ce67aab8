import { allOfNode, anyOfNode, type ConditionNode, isJoined, type SomeNode } from './nodes.js'
import { sameCondition } from './same.js'

/** Whether one condition follows from another by its form. False can also mean that it was not recognised. */
export function implies(given: ConditionNode, wanted: ConditionNode): boolean {
  if (sameCondition(given, wanted)) return true
  switch (wanted.kind) {
    case 'constant':
      return wanted.value
    case 'named':
      return implies(given, wanted.of)
    case 'allOf':
      return wanted.of.every((part) => implies(given, part))
    case 'anyOf':
      return partImplies(given, wanted) || wanted.of.some((part) => implies(given, part))
    case 'not':
    case 'some':
    case 'compare':
    case 'presence':
    case 'listChange':
      return partImplies(given, wanted)
  }
}

function partImplies(given: ConditionNode, wanted: ConditionNode): boolean {
  switch (given.kind) {
    case 'named':
      return implies(given.of, wanted)
    case 'allOf':
      return given.of.some((part) => implies(part, wanted))
    case 'anyOf':
      return given.of.length > 0 && given.of.every((part) => implies(part, wanted))
    case 'some':
      return wanted.kind === 'some' && isAsMany(given, wanted) && implies(given.of, wanted.of)
    case 'constant':
    case 'not':
    case 'compare':
    case 'presence':
    case 'listChange':
      return false
  }
}

/** Whether one `some` searches the same records as the other, for as many of them or more. */
function isAsMany(given: SomeNode, { least = 1, ...wanted }: SomeNode): boolean {
  return (given.least ?? 1) >= least && sameCondition({ ...given, least: 1, of: wanted.of }, { ...wanted, least: 1 })
}

/** With more parts than this, no pair is compared, since the cost grows with the square. */
const MOST_PARTS = 40

/**
 * Drops what another part says already, by the absorption laws: a and (a or b) is a; a or (a and b) is a. A rule for changing a record
 * often repeats part of the rule for reading it.
 */
export function absorbed(node: ConditionNode): ConditionNode {
  if (!isJoined(node)) return node
  const parts = node.of.map(absorbed)
  if (parts.length > MOST_PARTS) return node
  const needed = [...parts]
  // Later parts are examined first: of two equivalent parts, the first stays.
  for (const part of [...parts].reverse()) {
    const at = needed.indexOf(part)
    const idle = needed.some((other, of) => of !== at && (node.kind === 'allOf' ? implies(other, part) : implies(part, other)))
    if (idle) needed.splice(at, 1)
  }
  if (needed.length === 1) return needed[0] as ConditionNode
  return node.kind === 'allOf' ? allOfNode(needed) : anyOfNode(needed)
}
