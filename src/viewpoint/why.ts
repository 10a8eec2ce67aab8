import { type Env, type Row, type Trace, trace } from '../condition/index.js'
import type { Action, ClauseNode, TypeModel } from '../rulebook/index.js'
import type { Verdict } from './verdict.js'

/** How one clause came out. */
export interface ClauseTrace {
  readonly title: string
  /** Whether the clause counts: it holds, and for an update on the record as it becomes too. */
  readonly holds: boolean
  readonly trace: Trace
  /** For an update: the same on the record as it would become. */
  readonly after?: Trace
}

/**
 * Why a verdict is what it is: the clauses of the action that decided, with the values compared.
 * For developers, and never for clients: it tells what the record holds.
 */
export interface Explanation {
  readonly verdict: Verdict
  /** The action whose clauses decided: `read` where the record is not visible, and so nothing else can happen to it. */
  readonly decidedBy: Action
  readonly clauses: readonly ClauseTrace[]
  /** The clause that let it happen, or on a refusal the one that was nearest to it; undefined where there is none at all. */
  readonly clause: ClauseTrace | undefined
}

/** Traces every clause of an action, without specialising first, so that claims are shown by name and value. */
export function explain(verdict: Verdict, type: TypeModel, record: Row, env: Env, becomes?: Row): Explanation {
  const decidedBy = verdict.action !== 'create' && verdict.outcome !== 'allowed' && !visible(type, record, env) ? 'read' : verdict.action
  const after = decidedBy === 'update' ? becomes : undefined
  const clauses = (type.rules?.may[decidedBy] ?? []).map((clause) => clauseTrace(clause, record, env, after))
  return Object.freeze({ verdict, decidedBy, clauses: Object.freeze(clauses), clause: closest(clauses) })
}

function visible(type: TypeModel, record: Row, env: Env): boolean {
  return (type.rules?.may.read ?? []).some((clause) => trace(clause.when, record, env).holds)
}

function clauseTrace(clause: ClauseNode, record: Row, env: Env, becomes: Row | undefined): ClauseTrace {
  const before = trace(clause.when, record, env)
  if (becomes === undefined) return { title: clause.title, holds: before.holds, trace: before }
  const after = trace(clause.when, becomes, env)
  return { title: clause.title, holds: before.holds && after.holds, trace: before, after }
}

function closest(clauses: readonly ClauseTrace[]): ClauseTrace | undefined {
  let best: ClauseTrace | undefined
  for (const clause of clauses) {
    if (best === undefined || missedBy(clause) < missedBy(best)) best = clause
  }
  return best
}

function missedBy(clause: ClauseTrace): number {
  return stepsToHold(clause.trace) + (clause.after ? stepsToHold(clause.after) : 0)
}

/** How many comparisons would have to come out otherwise for the condition to hold; a half goes to those with nothing met at all. */
function stepsToHold(part: Trace): number {
  if (part.holds) return 0
  const { kind } = part.node
  if (kind === 'allOf') {
    const steps = part.of.reduce((sum, inner) => sum + stepsToHold(inner), 0)
    return part.of.some((inner) => inner.holds) ? steps - 0.5 : steps
  }
  if (kind === 'anyOf') return part.of.length === 0 ? Number.POSITIVE_INFINITY : Math.min(...part.of.map(stepsToHold))
  if (kind === 'named') return stepsToHold(part.of[0] as Trace)
  return kind === 'constant' ? Number.POSITIVE_INFINITY : 1
}
