import type { ConditionNode } from '../condition/nodes.js'
import { numbered } from '../condition/walk.js'
import { RulebookError } from './error.js'

/** The maximum depth of conditions, in memory, in JSON and for every database. */
const DEEPEST = 64

/** Brings a condition into the form of the model. @throws RulebookError if it is too deep, or uses a record outside its `some`. */
export function finished(node: ConditionNode, at: string): ConditionNode {
  if (depthOf(node, 0) > DEEPEST) throw new RulebookError(at, `a condition may be nested at most ${DEEPEST} levels deep`)
  return numbered(node, () => {
    throw new RulebookError(at, 'the argument of a some(...) function was used outside of that function')
  })
}

function depthOf(value: unknown, above: number): number {
  if (typeof value !== 'object' || value === null || above > DEEPEST) return above
  const depth = 'kind' in value ? above + 1 : above
  return Math.max(depth, ...Object.values(value).map((inner) => depthOf(inner, depth)))
}
