import type { Row } from './evaluate.js'
import type { ConditionNode, LiteralNode, TermNode } from './nodes.js'
import { instantText } from './time.js'
import { type Comparable, isMissing, proper, properList, type Scalar } from './value.js'

/** A condition with what it asks of the record as it would become filled in, so that a database can be asked the rest. */
export function withAfter(node: ConditionNode, after: Row): ConditionNode {
  switch (node.kind) {
    case 'allOf':
    case 'anyOf':
      return { kind: node.kind, of: node.of.map((part) => withAfter(part, after)) }
    case 'not':
      return { kind: 'not', of: withAfter(node.of, after) }
    case 'named':
      return withAfter(node.of, after)
    case 'presence':
      return { ...node, term: filled(node.term, after) }
    case 'compare':
      return { ...node, left: filled(node.left, after), right: filled(node.right, after) }
    case 'constant':
      return node
  }
}

function filled(term: TermNode, after: Row): TermNode {
  if (term.kind === 'orElse') return { ...term, term: filled(term.term, after), otherwise: filled(term.otherwise, after) }
  if (term.kind !== 'field' || term.of !== 'after') return term
  let value: unknown = after
  for (const step of term.path) value = typeof value === 'object' && value !== null ? (value as Row)[step] : undefined
  return literalOf(value, term.type, term.list === true)
}

function literalOf(value: unknown, type: Scalar | 'other', list: boolean): LiteralNode {
  if (type === 'other') return { kind: 'literal', type: 'boolean', value: isMissing(value, type) ? null : true }
  const written = (one: Comparable) => (type === 'time' ? instantText(one as number) : one)
  if (list) return { kind: 'literal', type, list: true, value: (properList(value, type) ?? []).map(written) }
  const known = proper(value, type)
  return { kind: 'literal', type, value: known === undefined ? null : written(known) }
}
