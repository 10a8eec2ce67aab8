import { type ConditionNode, combine, type Env, type Row, TRUE } from '../condition/index.js'
import { type ClauseNode, sameValue, type TypeModel } from '../rulebook/index.js'
import { holds, type Testable } from './specialise.js'

/** A clause, specialised for the asker. The system's has no limits, and so belongs to no rulebook. */
export interface AskersClause extends Testable {
  readonly clause?: ClauseNode
  readonly afterwards?: Testable
}

/** The fields that any of the clauses lets see, send or change, besides the key, in the order of the shape; undefined for all of them. */
export function fieldsLetBy(type: TypeModel, clauses: readonly AskersClause[]): readonly string[] | undefined {
  if (clauses.some(({ clause }) => clause?.fields === undefined)) return undefined
  return Object.keys(type.fields).filter((name) => name !== type.key && clauses.some(({ clause }) => clause?.fields?.includes(name)))
}

/** The fields of a record that read clauses make visible; undefined for all of them. */
export function visibleFields(type: TypeModel, read: readonly AskersClause[], record: Row, env: Env): readonly string[] | undefined {
  if (!isLimited(read)) return undefined
  return fieldsLetBy(
    type,
    read.filter((clause) => holds(clause, record, env)),
  )
}

/** A record with these fields and its key: hidden fields are absent. */
export function withFields(type: TypeModel, record: Row, fields: readonly string[] | undefined): Row {
  if (fields === undefined) return record
  return Object.fromEntries(Object.entries(record).filter(([name]) => name === type.key || fields.includes(name)))
}

/** Whether some of the clauses let see some fields only: otherwise all fields of a visible record are. */
export function isLimited(clauses: readonly AskersClause[]): boolean {
  return clauses.some(({ clause }) => clause?.fields !== undefined)
}

/** What must hold of a readable record for one of its fields to be visible. TRUE where it always is. */
export function visibility(type: TypeModel, read: readonly AskersClause[], field: string): ConditionNode {
  if (field === type.key || !isLimited(read)) return TRUE
  const letting = read.filter(({ clause }) => clause?.fields === undefined || clause.fields.includes(field))
  return combine(
    'anyOf',
    letting.map(({ when }) => when),
  )
}

/**
 * The fields of a change that stand in its way: sent, outside what the clauses let change, and not merely a repetition of
 * what the asker sees.
 */
export function fieldsRefused(
  type: TypeModel,
  changeable: readonly string[] | undefined,
  visible: readonly string[] | undefined,
  before: Row,
  sent: Row,
): string[] {
  if (changeable === undefined) return []
  return Object.keys(sent).filter((name) => {
    if (name === type.key || changeable.includes(name)) return false
    return !(visible?.includes(name) ?? true) || !sameValue(type.fields[name], before[name], sent[name])
  })
}

/** The fields in which two states of a record differ. */
export function changedFields(type: TypeModel, before: Row, after: Row): string[] {
  return Object.keys(type.fields).filter((name) => !sameValue(type.fields[name], before[name], after[name]))
}
