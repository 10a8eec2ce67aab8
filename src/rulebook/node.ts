import type { ConditionNode, TermNode } from '../condition/nodes.js'

/** The property of a condition or term that holds its node. The same symbol in every copy of the package. */
export const NODE: unique symbol = Symbol.for('pachter.node')

/** The node of a condition or term; undefined for anything else. */
export function nodeOf(value: unknown): ConditionNode | TermNode | undefined {
  return typeof value === 'object' && value !== null ? (value as { [NODE]?: ConditionNode | TermNode })[NODE] : undefined
}

/** The node of a condition; undefined for anything else, terms too. */
export function conditionNode(value: unknown): ConditionNode | undefined {
  const node = nodeOf(value)
  return node !== undefined && CONDITION_KINDS.has(node.kind) ? (node as ConditionNode) : undefined
}

/** The node of a term; undefined for anything else, conditions too. */
export function termNode(value: unknown): TermNode | undefined {
  const node = nodeOf(value)
  return node !== undefined && !CONDITION_KINDS.has(node.kind) ? (node as TermNode) : undefined
}

const CONDITION_KINDS: ReadonlySet<string> = new Set<ConditionNode['kind']>([
  'constant',
  'compare',
  'presence',
  'allOf',
  'anyOf',
  'not',
  'named',
  'some',
  'listChange',
])
