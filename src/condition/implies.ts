import { allOfNode, anyOfNode, type ConditionNode, sameCondition } from './nodes.js'

/** Whether one condition follows from another by the way they are written. False may just mean: not seen. */
export function implies(given: ConditionNode, wanted: ConditionNode): boolean {
  if (sameCondition(given, wanted)) return true
  if (wanted.kind === 'constant') return wanted.value
  if (wanted.kind === 'named') return implies(given, wanted.of)
  if (wanted.kind === 'allOf') return wanted.of.every((part) => implies(given, part))
  if (given.kind === 'named') return implies(given.of, wanted)
  if (given.kind === 'some' && wanted.kind === 'some') {
    return sameCondition({ ...given, of: wanted.of }, wanted) && implies(given.of, wanted.of)
  }
  if (given.kind === 'anyOf') return given.of.length > 0 && given.of.every((part) => implies(part, wanted))
  if (wanted.kind === 'anyOf' && wanted.of.some((part) => implies(given, part))) return true
  return given.kind === 'allOf' && given.of.some((part) => implies(part, wanted))
}

/** Parts beyond this number are left as they are: each would be held against all others. */
const MOST_PARTS = 40

/**
 * The same condition without what another part of it says already: the absorption laws, a and (a or b) is a, and a or (a and b)
 * is a. A rule for changing a record often repeats a part of the one for reading it.
 */
export function absorbed(node: ConditionNode): ConditionNode {
  if (node.kind !== 'allOf' && node.kind !== 'anyOf') return node
  const parts = node.of.map(absorbed)
  if (parts.length > MOST_PARTS) return node
  const needed = [...parts]
  // What comes later is looked at first: of two that say the same, the first stays.
  for (const part of [...parts].reverse()) {
    const at = needed.indexOf(part)
    const idle = needed.some((other, of) => of !== at && (node.kind === 'allOf' ? implies(other, part) : implies(part, other)))
    if (idle) needed.splice(at, 1)
  }
  if (needed.length === 1) return needed[0] as ConditionNode
  return node.kind === 'allOf' ? allOfNode(needed) : anyOfNode(needed)
}
