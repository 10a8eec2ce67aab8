import { type ConditionNode, combine, type Env, type Row, TRUE } from '../condition/index.js'
import { type ClauseNode, isKeyField, sameValue, serverKey, type TypeModel } from '../rulebook/index.js'
import { holds, type Testable } from './specialise.js'

/** A clause, specialised for the asker. The system's clause has no limits and belongs to no rulebook. */
export interface AskersClause extends Testable {
  readonly clause?: ClauseNode
  readonly afterwards?: Testable
}

/**
 * The fields that any of the clauses allows to see, send or change, besides the key, in the order of the shape; undefined for all. In a new
 * record, the fields of a key of several are sent like others.
 */
export function fieldsLetBy(type: TypeModel, clauses: readonly AskersClause[], action?: string): readonly string[] | undefined {
  if (clauses.some(({ clause }) => clause?.fields === undefined)) return undefined
  const isApart = (name: string) => (action === 'create' ? name === serverKey(type) : isKeyField(type, name))
  return Object.keys(type.fields).filter((name) => !isApart(name) && clauses.some(({ clause }) => clause?.fields?.includes(name)))
}

/** The fields of a record that read clauses make visible; undefined for all. */
export function visibleFields(type: TypeModel, read: readonly AskersClause[], record: Row, env: Env): readonly string[] | undefined {
  if (!isLimited(read)) return undefined
  return fieldsLetBy(
    type,
    read.filter((clause) => holds(clause, record, env)),
  )
}

/** A record with only these fields and its key. */
export function withFields(type: TypeModel, record: Row, fields: readonly string[] | undefined): Row {
  if (fields === undefined) return record
  return Object.fromEntries(Object.entries(record).filter(([name]) => isKeyField(type, name) || fields.includes(name)))
}

/** Whether some of the clauses have field limits. Otherwise all fields of a visible record are visible. */
export function isLimited(clauses: readonly AskersClause[]): boolean {
  return clauses.some(({ clause }) => clause?.fields !== undefined)
}

/** What must hold on a readable record for one of its fields to be visible. TRUE if it always is. */
export function visibility(type: TypeModel, read: readonly AskersClause[], field: string): ConditionNode {
  if (isKeyField(type, field) || !isLimited(read)) return TRUE
  const letting = read.filter(({ clause }) => clause?.fields === undefined || clause.fields.includes(field))
  if (letting.length === read.length) return TRUE
  return combine(
    'anyOf',
    letting.map(({ when }) => when),
  )
}

/** The fields that prevent a change: sent, not allowed by the clauses, and not merely a repetition of what the asker sees. */
export function fieldsRefused(
  type: TypeModel,
  changeable: readonly string[] | undefined,
  visible: readonly string[] | undefined,
  before: Row,
  sent: Row,
): string[] {
  if (changeable === undefined) return []
  return Object.keys(sent).filter((name) => {
    if (name === serverKey(type) || changeable.includes(name)) return false
    return !(visible?.includes(name) ?? true) || !sameValue(type.fields[name], before[name], sent[name])
  })
}

/** The fields that differ between two states of a record. */
export function changedFields(type: TypeModel, before: Row, after: Row): string[] {
  return Object.keys(type.fields).filter((name) => !sameValue(type.fields[name], before[name], after[name]))
}
