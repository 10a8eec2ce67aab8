import type { ConditionNode } from '../condition/nodes.js'
import type { ClauseNode, Model, TypeModel } from './model.js'

/** The purpose of a condition of a record type. */
export type ConditionRole = 'gate' | 'standing' | 'clause' | 'afterwards' | 'veto'

/** A condition of a record type. */
export interface TypeCondition {
  readonly condition: ConditionNode
  readonly role: ConditionRole
  /** The clause, for a clause and its `afterwards`, and the action that it allows. */
  readonly clause?: ClauseNode
  readonly action?: string
}

/** Which conditions to collect. */
export interface WhichConditions {
  /** Only conditions that count for these actions; standings count for all. Default: every action. */
  readonly actions?: readonly string[]
  /** Default: `ALL_ROLES`. */
  readonly roles?: readonly ConditionRole[]
}

/** All purposes. */
export const ALL_ROLES: readonly ConditionRole[] = Object.freeze(['gate', 'standing', 'clause', 'afterwards', 'veto'])

/** Every condition that affects records of a type, including the gate of the rulebook. */
export function conditionsOfType(
  { gate }: Pick<Model, 'gate'>,
  { rules, standings }: Pick<TypeModel, 'rules' | 'standings'>,
  { actions, roles = ALL_ROLES }: WhichConditions = {},
): readonly TypeCondition[] {
  const counts = (action: string) => actions === undefined || actions.includes(action)
  const gates = Object.entries(rules?.gates ?? {}).filter(([action]) => counts(action))
  const clauses = Object.entries(rules?.may ?? {}).filter(([action]) => counts(action))
  const vetoes = (rules?.vetoes ?? []).filter((veto) => veto.actions.some(counts))
  const found: TypeCondition[] = [
    ...(gate === undefined ? [] : [{ condition: gate, role: 'gate' as const }]),
    ...gates.map(([action, condition]) => ({ condition, role: 'gate' as const, action })),
    ...Object.values(standings).map((condition) => ({ condition, role: 'standing' as const })),
    ...clauses.flatMap(([action, all]) => all.flatMap((clause) => conditionsOfClause(clause, action))),
    ...vetoes.map(({ when }) => ({ condition: when, role: 'veto' as const })),
  ]
  return found.filter(({ role }) => roles.includes(role))
}

function conditionsOfClause(clause: ClauseNode, action: string): TypeCondition[] {
  const { when, afterwards } = clause
  const own: TypeCondition = { condition: when, role: 'clause', clause, action }
  return afterwards === undefined ? [own] : [own, { condition: afterwards, role: 'afterwards', clause, action }]
}
