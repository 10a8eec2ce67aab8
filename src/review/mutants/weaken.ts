import { allOfNode, anyOfNode, type ConditionNode, describe, FALSE, notNode, someNode, TRUE, type Wording } from '../../condition/index.js'

/** A condition weakened by one step. */
export interface Step {
  readonly node: ConditionNode
  /** The change in words. */
  readonly what: string
}

/** How to weaken conditions. */
export interface Weakening {
  /** The replacement for a tie to a person: everyone who is signed in. */
  readonly signedIn: ConditionNode
  readonly wording: Wording
}

/**
 * All ways to weaken a condition by one step, so that it holds more often: a comparison is left out or negated, one part of an `allOf` is
 * left out, a standing or role becomes "signed in". A named condition is otherwise weakened only at its definition.
 */
export function weaker(node: ConditionNode, how: Weakening): Step[] {
  switch (node.kind) {
    case 'constant':
      return []
    case 'named':
      if (node.of.kind === 'constant' || node.of === how.signedIn || same(node.of, how.signedIn)) return []
      return [{ node: how.signedIn, what: `${node.name} becomes everyone who is signed in` }]
    case 'allOf':
      return node.of.flatMap((part, at) => [
        ...(isTrue(part) || isNamed(part) ? [] : [without(node.of, at, allOfNode, part, how)]),
        ...weaker(part, how)
          .filter((step) => step.node !== TRUE)
          .map((step) => ({ ...step, node: allOfNode(replaced(node.of, at, step.node)) })),
      ])
    case 'anyOf':
      return node.of.flatMap((part, at) =>
        weaker(part, how).map((step) => ({ ...step, node: step.node === TRUE ? TRUE : anyOfNode(replaced(node.of, at, step.node)) })),
      )
    case 'not':
      return narrower(node.of, how).map((step) => ({ ...step, node: step.node === FALSE ? TRUE : notNode(step.node) }))
    case 'some':
      return [
        left(node, TRUE, how),
        ...weaker(node.of, how).map((step) => ({ ...step, node: someNode(node.each, node.over, step.node, node.least) })),
        ...(node.least === undefined ? [] : [{ node: someNode(node.each, node.over, node.of), what: `one is enough: ${said(node, how)}` }]),
      ]
    case 'compare':
    case 'presence':
    case 'listChange':
      return [left(node, TRUE, how), { node: notNode(node), what: `negated: ${said(node, how)}` }]
  }
}

/** All ways to make the condition of a veto hold less often by one step. */
export function narrower(node: ConditionNode, how: Weakening): Step[] {
  switch (node.kind) {
    case 'constant':
      return []
    case 'named':
      return node.of.kind === 'constant' ? [] : [left(node, FALSE, how)]
    case 'allOf':
      return node.of.flatMap((part, at) =>
        narrower(part, how).map((step) => ({ ...step, node: step.node === FALSE ? FALSE : allOfNode(replaced(node.of, at, step.node)) })),
      )
    case 'anyOf':
      return node.of.flatMap((part, at) => [
        without(node.of, at, anyOfNode, part, how),
        ...narrower(part, how)
          .filter((step) => step.node !== FALSE)
          .map((step) => ({ ...step, node: anyOfNode(replaced(node.of, at, step.node)) })),
      ])
    case 'not':
      return weaker(node.of, how).map((step) => ({ ...step, node: step.node === TRUE ? FALSE : notNode(step.node) }))
    case 'some': {
      const more = node.least === undefined ? [] : [someNode(node.each, node.over, node.of, node.least + 1)]
      return [left(node, FALSE, how), ...more.map((one) => ({ node: one, what: `one more: ${said(node, how)}` }))]
    }
    case 'compare':
    case 'presence':
    case 'listChange':
      return [left(node, FALSE, how)]
  }
}

function without(
  parts: readonly ConditionNode[],
  at: number,
  join: (parts: readonly ConditionNode[]) => ConditionNode,
  part: ConditionNode,
  how: Weakening,
): Step {
  return { node: join(parts.filter((_, other) => other !== at)), what: `removed: ${said(part, how)}` }
}

function left(node: ConditionNode, by: ConditionNode, how: Weakening): Step {
  return { node: by, what: `removed: ${said(node, how)}` }
}

function replaced(parts: readonly ConditionNode[], at: number, part: ConditionNode): readonly ConditionNode[] {
  return parts.map((one, other) => (other === at ? part : one))
}

function said(node: ConditionNode, { wording }: Weakening): string {
  return describe(node, wording)
}

/** Whether a condition is always true, under any name. */
export function isTrue(node: ConditionNode): boolean {
  return (node.kind === 'named' ? unnamed(node.of) : node) === TRUE
}

function unnamed(node: ConditionNode): ConditionNode {
  return node.kind === 'named' ? unnamed(node.of) : node
}

function isNamed(node: ConditionNode): boolean {
  return node.kind === 'named'
}

function same(a: ConditionNode, b: ConditionNode): boolean {
  return JSON.stringify(a) === JSON.stringify(b)
}
