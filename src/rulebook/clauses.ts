import { describe } from '../condition/describe.js'
import { allOfNode, type ConditionNode } from '../condition/nodes.js'
import { CONDITION_METHODS, useCondition } from './conditions.js'
import { RulebookError } from './error.js'
import { NODE } from './node.js'
import type { Clause, Standing } from './types.js'
import { here, made, used } from './upkeep.js'

const DRAFT: unique symbol = Symbol.for('pachter.clause')

/** A clause on its way into a rulebook. */
interface ClauseDraft {
  readonly who: ConditionNode
  readonly provided: readonly ConditionNode[]
  readonly title?: string
}

/** A clause as the rulebook keeps it. */
export interface ClauseNode {
  /** Unique among the clauses of its action. */
  readonly title: string
  /** Everything that must hold. */
  readonly when: ConditionNode
  readonly who: ConditionNode
  readonly provided: readonly ConditionNode[]
}

const CLAUSE_METHODS = {
  provided(this: object, ...conditions: unknown[]): object {
    const draft = draftOf(this) as ClauseDraft
    used(this)
    if (conditions.length === 0) throw new RulebookError(here(), 'provided() of nothing: name at least one condition')
    const provided = [...draft.provided, ...conditions.map((one) => useCondition(one, 'provided'))]
    return limited({ ...draft, provided })
  },
  titled(this: object, title: unknown): object {
    const draft = draftOf(this) as ClauseDraft
    used(this)
    if (typeof title !== 'string' || title.trim() === '') throw new RulebookError(here(), 'titled() needs words')
    return limited({ ...draft, title })
  },
}

const STANDING_METHODS = { ...CONDITION_METHODS, ...CLAUSE_METHODS }

/** A clause without limits, which is a condition as well. */
export function standingClause<F extends string>(who: ConditionNode): Standing<F> {
  const clause = Object.create(STANDING_METHODS, { [NODE]: { value: who }, [DRAFT]: { value: { who, provided: [] } } })
  return made(Object.freeze(clause)) as Standing<F>
}

/** A clause for whoever asks, where the condition holds. */
export function whoeverClause<F extends string>(condition: unknown): Clause<F> {
  return limited({ who: useCondition(condition, 'whoever'), provided: [] }) as unknown as Clause<F>
}

function limited(draft: ClauseDraft): object {
  return made(Object.freeze(Object.create(CLAUSE_METHODS, { [DRAFT]: { value: draft } })))
}

function draftOf(value: unknown): ClauseDraft | undefined {
  return typeof value === 'object' && value !== null ? (value as { [DRAFT]?: ClauseDraft })[DRAFT] : undefined
}

/** Takes the clause out of what an author put into `may`. */
export function useClause(value: unknown, at: string, record: string): ClauseNode {
  const draft = draftOf(value)
  if (draft === undefined) {
    const condition = typeof value === 'object' && value !== null && NODE in value
    throw new RulebookError(
      at,
      condition
        ? 'a condition alone does not say who it is for: write whoever(condition), or signedIn.provided(condition)'
        : `a clause is needed, as in holder or anyone.provided(...), not ${value === undefined ? 'nothing' : JSON.stringify(value)}`,
    )
  }
  used(value)
  const title = draft.title ?? titleOf(draft, `the ${record}`)
  const when = draft.provided.length === 0 ? draft.who : allOfNode([draft.who, ...draft.provided])
  return Object.freeze({ title, when, who: draft.who, provided: Object.freeze([...draft.provided]) })
}

function titleOf(draft: ClauseDraft, record: string): string {
  const who = describe(draft.who, { record })
  return draft.provided.length === 0 ? who : `${who}, provided ${describe(allOfNode(draft.provided), { record })}`
}
