import { describeOdd } from '../condition/describe.js'
import { allOfNode, anyOfNode, type ConditionNode, notNode } from '../condition/nodes.js'
import { here, made, used } from './build-context.js'
import { RulebookError } from './error.js'
import { conditionNode, NODE, termNode } from './node.js'
import type { Condition } from './term-types.js'

/** Methods of conditions. Clauses without limits have them too. */
export const CONDITION_METHODS = {
  and(this: Condition, ...more: Condition[]): Condition {
    return allOf(this, ...more)
  },
  or(this: Condition, ...more: Condition[]): Condition {
    return anyOf(this, ...more)
  },
}

/** Wraps a node as a condition for authors. */
export function toCondition(node: ConditionNode): Condition {
  const condition = Object.create(CONDITION_METHODS, { [NODE]: { value: node } })
  return made(Object.freeze(condition)) as Condition
}

/** Reads the node of a condition that an author passed, and marks it as used. */
export function useCondition(value: unknown, by: string): ConditionNode {
  const node = conditionNode(value)
  if (node === undefined) throw new RulebookError(here(), `${by} takes conditions, and ${whatItIs(value)}`)
  used(value)
  return node
}

function whatItIs(value: unknown): string {
  if (typeof value === 'function') return 'was given a function: call it'
  if (typeof value === 'boolean') return `was given ${value}: write a condition with terms, as in x.is(y)`
  if (termNode(value) !== undefined) return 'was given a term: compare it, as in x.is(y)'
  if (typeof value === 'object' && value !== null && 'provided' in value) {
    return 'was given a clause with limits. Only a clause without limits is a condition: use the standing itself.'
  }
  return `was given ${describeOdd(value)}`
}

/** True if all conditions hold. */
export function allOf(...conditions: Condition[]): Condition {
  return toCondition(allOfNode(several(conditions, 'allOf')))
}

/** True if at least one of the conditions holds. */
export function anyOf(...conditions: Condition[]): Condition {
  return toCondition(anyOfNode(several(conditions, 'anyOf')))
}

/** True exactly if the condition is false. You must say what a missing value means: `not(x.orElse('').is(y))`. */
export function not(condition: Condition): Condition {
  return toCondition(notNode(useCondition(condition, 'not')))
}

function several(conditions: readonly unknown[], by: string): ConditionNode[] {
  if (conditions.length === 0) throw new RulebookError(here(), `${by}() needs at least one condition`)
  return conditions.map((one) => useCondition(one, by))
}
