import { describe, type Env, leavesOf, type Row, type Trace, trace } from '../condition/index.js'
import { type ClauseNode, type Model, type TypeModel, typeModel } from '../rulebook/index.js'
import { changedFields } from './fields.js'
import type { Verdict } from './verdict.js'

/** How one clause came out. */
export interface ClauseTrace {
  readonly title: string
  /** Whether the clause counts: it holds, and for an update on the record as it becomes too. */
  readonly holds: boolean
  /** It counts within these routines only, and this is none of them. */
  readonly onlyWithin?: readonly string[]
  readonly trace: Trace
  /** For an update: the same on the record as it would become. */
  readonly after?: Trace
}

/** A gate or veto that refuses. */
export interface Withholding {
  readonly kind: 'gate' | 'veto'
  readonly title: string
  readonly trace: Trace
  /** For an update: it holds on the record as it is, and not on the record as it would become. */
  readonly afterwards?: true
}

/**
 * Why a verdict is what it is: the clauses of the action that decided, with the values compared.
 * For developers, and never for clients: it tells what the record holds.
 */
export interface Explanation {
  readonly verdict: Verdict
  /** The action whose clauses decided: `read` where the record is not visible, and so nothing else can happen to it. */
  readonly decidedBy: string
  readonly clauses: readonly ClauseTrace[]
  /** Gates that do not hold and vetoes that do: any of them is enough to refuse. */
  readonly withheldBy: readonly Withholding[]
  /** For an update with its outcome: each field that would change, with the clauses that let it pass and those that would. */
  readonly fields?: readonly FieldTrace[]
  /** The clause that let it happen, or on a refusal the one that was nearest to it; undefined where there is none at all. */
  readonly clause: ClauseTrace | undefined
}

/** How one changed field fares: the clauses that count and let it change, and the others that would if they held. */
export interface FieldTrace {
  readonly field: string
  readonly letBy: readonly string[]
  readonly wouldBeLetBy: readonly string[]
}

function fieldTraces(type: TypeModel, clauses: readonly ClauseTrace[], before: Row, after: Row): FieldTrace[] {
  const letting = (field: string, holds: boolean) =>
    (type.rules?.may.update ?? []).flatMap(({ title, fields }, at) =>
      clauses[at]?.holds === holds && (fields?.includes(field) ?? true) ? [title] : [],
    )
  return changedFields(type, before, after).map((field) => ({ field, letBy: letting(field, true), wouldBeLetBy: letting(field, false) }))
}

/** What an explanation is made of. */
export interface Question {
  readonly verdict: Verdict
  readonly model: Model
  readonly record: Row
  readonly env: Env
  readonly becomes?: Row | undefined
  /** Whether the asker may read the record. */
  readonly readable: boolean
  /** The routine within which the question is asked. */
  readonly within?: string | undefined
}

/** Traces the rules of an action, without specialising first, so that claims are shown by name and value. */
export function explain({ verdict, model, record, env, becomes, readable, within }: Question): Explanation {
  const type = typeModel(model, verdict.type)
  const { rules } = type
  const decidedBy = verdict.action === 'create' || readable ? verdict.action : 'read'
  const after = decidedBy === 'update' ? becomes : undefined
  const clauses = (rules?.may[decidedBy] ?? []).map((clause) => clauseTrace(clause, record, env, after, within))
  const withheldBy: Withholding[] = []
  for (const gate of [model.gate, rules?.gates[decidedBy]]) {
    const traced = gate && trace(gate, record, env)
    const title = traced && describe(traced.node, { record: `the ${verdict.type}` })
    if (traced?.holds === false) withheldBy.push({ kind: 'gate', title: title as string, trace: traced })
    else if (gate !== undefined && after !== undefined) {
      const later = trace(gate, after, { ...env, after })
      if (!later.holds) withheldBy.push({ kind: 'gate', title: title as string, trace: later, afterwards: true })
    }
  }
  for (const veto of rules?.vetoes ?? []) {
    if (!veto.actions.includes(decidedBy)) continue
    const traced = trace(veto.when, record, { ...env, after })
    if (traced.holds) withheldBy.push({ kind: 'veto', title: veto.title, trace: traced })
  }
  const fields = after === undefined ? {} : { fields: fieldTraces(type, clauses, record, after) }
  return Object.freeze({ verdict, decidedBy, clauses, withheldBy, clause: closest(clauses), ...fields })
}

function clauseTrace(clause: ClauseNode, record: Row, env: Env, becomes: Row | undefined, within: string | undefined): ClauseTrace {
  const outside = clause.within !== undefined && !clause.within.includes(within as string)
  const about = { title: clause.title, ...(outside ? { onlyWithin: clause.within } : {}) }
  const before = trace(clause.when, record, { ...env, after: becomes })
  if (becomes === undefined) return { ...about, holds: before.holds && !outside, trace: before }
  const after = trace(clause.afterwards ?? clause.when, becomes, { ...env, after: becomes })
  return { ...about, holds: before.holds && after.holds && !outside, trace: before, after }
}

function closest(clauses: readonly ClauseTrace[]): ClauseTrace | undefined {
  let best: ClauseTrace | undefined
  for (const clause of clauses) {
    if (best === undefined || missedBy(clause) < missedBy(best)) best = clause
  }
  return best
}

function missedBy(clause: ClauseTrace): number {
  return (clause.onlyWithin ? 1 : 0) + stepsToHold(clause.trace) + (clause.after ? stepsToHold(clause.after) : 0)
}

// Somebody may come to own a record, or be given a share of it; that they come to be somebody else is further off.
const SOMEBODY_ELSE = 3

/**
 * How many comparisons would have to come out otherwise for the condition to hold; half a step less where some part of it is met. One
 * that asks of the person alone, as for a role, counts for more than one that asks of the record.
 */
function stepsToHold(part: Trace): number {
  if (part.holds) return 0
  switch (part.node.kind) {
    case 'allOf': {
      const steps = part.of.reduce((sum, inner) => sum + stepsToHold(inner), 0)
      return part.of.some((inner) => inner.holds) ? steps - 0.5 : steps
    }
    case 'anyOf':
      return Math.min(...part.of.map(stepsToHold))
    case 'named':
      return stepsToHold(part.of[0] as Trace)
    case 'some':
      // Of linked records, the nearest; where there is none, one would have to come.
      return part.of.length > 0 ? Math.min(...part.of.map(stepsToHold)) : stepOfLeaf(part)
    case 'constant':
      return Number.POSITIVE_INFINITY
    case 'not':
    case 'compare':
    case 'presence':
    case 'listChange':
      return stepOfLeaf(part)
  }
}

function stepOfLeaf(part: Trace): number {
  const leaves = leavesOf(part.node)
  return leaves.some(({ kind: of }) => of === 'claim') && !leaves.some(({ kind: of }) => of === 'field') ? SOMEBODY_ELSE : 1
}
