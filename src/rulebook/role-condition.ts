import {
  allOfNode,
  type ConditionNode,
  compareNode,
  isList,
  type LiteralNode,
  type SomeNode,
  someNode,
  type TermNode,
} from '../condition/nodes.js'
import { RulebookError } from './error.js'
import type { Roles } from './model.js'

/** The field with the role in rows that are read again. */
export function roleOf({ of }: SomeNode): TermNode {
  const last = of.kind === 'allOf' ? of.of[1] : undefined
  if (last?.kind !== 'presence') throw new RulebookError('me.roles', 'the rows of roles need a condition, and that the role is present')
  return last.term
}

/** Whether the person has a role. */
export function hasRole({ term, rows }: Roles, role: LiteralNode): ConditionNode {
  const is = compareNode(term, isList(term) ? 'has' : 'is', role)
  if (rows === undefined) return is
  return someNode(rows.each, rows.over, allOfNode([(rows.of as { readonly of: readonly ConditionNode[] }).of[0] as ConditionNode, is]))
}
