import { describe, type Env, leavesOf, type Row, type Trace } from '../condition/index.js'
import { type ClauseNode, type Model, type TypeModel, typeModel } from '../rulebook/index.js'
import { changedFields } from './fields.js'
import { type Tracer, tracerOf } from './keyed-trace.js'
import type { Verdict } from './verdict.js'

/** The result of one clause. */
export interface ClauseTrace {
  readonly title: string
  /** Whether the clause counts: it holds and, for an update, also on the changed record. */
  readonly holds: boolean
  /** It counts only within these routines, and this is none of them. */
  readonly onlyWithin?: readonly string[]
  readonly trace: Trace
  /** For an update: the result on the changed record. */
  readonly after?: Trace
}

/** A gate or veto that refuses. */
export interface Withholding {
  readonly kind: 'gate' | 'veto'
  readonly title: string
  readonly trace: Trace
  /** For an update: it holds on the record as it is, but not on the changed record. */
  readonly afterwards?: true
}

/**
 * Why a verdict is what it is: the clauses of the action that decided, with the compared values. For developers, and never for clients: it
 * reveals the content of the record.
 */
export interface Explanation {
  readonly verdict: Verdict
  /** The action whose clauses decided: `read` if the record is not visible, because then no other action is possible. */
  readonly decidedBy: string
  readonly clauses: readonly ClauseTrace[]
  /** Gates that do not hold and vetoes that do: any of them is enough to refuse. */
  readonly withheldBy: readonly Withholding[]
  /** For an update: each field that would change, with the clauses that allow it and those that could. */
  readonly fields?: readonly FieldTrace[]
  /** The clause that allowed it or, for a refusal, the nearest one; undefined if there is none. */
  readonly clause: ClauseTrace | undefined
}

/** The result for one changed field: the clauses that count and allow it, and the others that would if they held. */
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

/** The parts of an explanation. */
export interface Question {
  readonly verdict: Verdict
  readonly model: Model
  readonly record: Row
  readonly env: Env
  readonly becomes?: Row | undefined
  /** Whether the asker may read the record. */
  readonly readable: boolean
  /** The routine of the question. */
  readonly within?: string | undefined
}

/** Traces the rules of an action without specialising them, so that claims appear with name and value. */
export function explain({ verdict, model, record, env, becomes, readable, within }: Question): Explanation {
  const type = typeModel(model, verdict.type)
  const { rules } = type
  const decidedBy = verdict.action === 'create' || readable ? verdict.action : 'read'
  const after = decidedBy === 'update' ? becomes : undefined
  const trace = tracerOf(model)
  const clauses = (rules?.may[decidedBy] ?? []).map((clause) => clauseTrace(trace, clause, { record, env, becomes: after, within }))
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

/** What a clause is traced on. */
interface Judged {
  readonly record: Row
  readonly env: Env
  readonly becomes: Row | undefined
  readonly within: string | undefined
}

function clauseTrace(trace: Tracer, clause: ClauseNode, { record, env, becomes, within }: Judged): ClauseTrace {
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

// A person may come to own a record or get a share of it. That they become another person is less likely.
const SOMEBODY_ELSE = 3

/**
 * The number of comparisons that would have to change for the condition to hold, minus a half if some part holds. A comparison about the
 * person alone, such as a role, counts more than one about the record.
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
      if (part.node.least !== undefined) return part.node.least - (part.matching ?? 0)
      // Of linked records, the nearest. If there is none, one would have to be added.
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
