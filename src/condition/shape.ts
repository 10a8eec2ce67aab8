import type { ConditionNode, LiteralNode, TermNode } from './nodes.js'
import { type Scalar, toComparable } from './value.js'

/** The form of a condition: everything but the values of its literals, and these in order. */
interface Shape {
  readonly text: string
  readonly literals: readonly LiteralNode[]
}

const shapes = new WeakMap<ConditionNode, Shape>()
const SCALARS: readonly Scalar[] = ['text', 'id', 'time', 'integer', 'number', 'boolean']

/**
 * The form of a condition. Two conditions have the same text only if they differ in the values of literals alone, and each of these
 * values is missing or proper for the same types. Lists, and literals that are compared with each other, are part of the text.
 */
export function shapeOf(node: ConditionNode): Shape {
  const before = shapes.get(node)
  if (before !== undefined) return before
  const literals: LiteralNode[] = []
  const shape = { text: written(node, literals), literals }
  shapes.set(node, shape)
  return shape
}

function written(part: unknown, literals: LiteralNode[]): string {
  if (typeof part !== 'object' || part === null) return typeof part === 'string' ? JSON.stringify(part) : String(part)
  if (Array.isArray(part)) return `[${part.map((one) => written(one, literals)).join()}]`
  const node = part as ConditionNode | TermNode
  if (node.kind === 'literal') return writtenLiteral(node, literals)
  if (node.kind === 'compare' && node.left.kind === 'literal' && node.right.kind === 'literal') return JSON.stringify(node)
  let text = '{'
  for (const name of Object.keys(part)) text += `${name}:${written((part as Record<string, unknown>)[name], literals)},`
  return `${text}}`
}

function writtenLiteral(node: LiteralNode, literals: LiteralNode[]): string {
  const { type, value, list } = node
  if (list || value === null || typeof value === 'object') return JSON.stringify(node)
  literals.push(node)
  return `?${type}${properTypes(node)}`
}

/** The types for which the value of a literal is proper. */
export function properTypes({ value }: LiteralNode): string {
  let proper = ''
  for (const scalar of SCALARS) proper += toComparable(value, scalar) === undefined ? 0 : 1
  return proper
}
