import { allOfNode, anyOfNode, type ConditionNode, constant, notNode, presenceNode, someNode } from './nodes.js'

/**
 * The exact complement, with `not` pushed to the leaves. Under each remaining `not` is a single comparison or a `some`, so a backend has
 * one place where it must handle missing values exactly.
 */
export function negate(node: ConditionNode): ConditionNode {
  switch (node.kind) {
    case 'constant':
      return constant(!node.value)
    case 'not':
      return pushNot(node.of)
    case 'named':
      return negate(node.of)
    case 'allOf':
      return anyOfNode(node.of.map(negate))
    case 'anyOf':
      return allOfNode(node.of.map(negate))
    case 'presence':
      return presenceNode(node.term, !node.present)
    case 'compare':
    case 'listChange':
      return notNode(node)
    case 'some':
      return notNode(pushNot(node))
  }
}

/** The same condition with every `not` pushed to the leaves and every name removed. */
export function pushNot(node: ConditionNode): ConditionNode {
  switch (node.kind) {
    case 'not':
      return negate(node.of)
    case 'named':
      return pushNot(node.of)
    case 'allOf':
      return allOfNode(node.of.map(pushNot))
    case 'anyOf':
      return anyOfNode(node.of.map(pushNot))
    case 'some':
      return someNode(node.each, node.over, pushNot(node.of), node.least)
    case 'constant':
    case 'presence':
    case 'compare':
    case 'listChange':
      return node
  }
}
