import type { Row } from '../../condition/index.js'
import { isGenerated, isKeyField, sameValue, serverKey, type TypeModel } from '../../rulebook/index.js'
import { type AskersClause, changedFields } from '../../viewpoint/index.js'
import type { FieldFault } from '../errors.js'
import { asStored, fitRecord, unknownFields } from './fit.js'

/** Whether one of the clauses allows to send the field; the system may send any. */
export function supplies(clauses: readonly AskersClause[], name: string): boolean {
  return clauses.some(({ clause }) => clause === undefined || clause.overriding?.includes(name))
}

/** Sent stamped fields that no clause allows, with another value than the stamp. */
export function refusedStamps(type: TypeModel, clauses: readonly AskersClause[], sent: Row, stamps: Row): string[] {
  return Object.keys(sent).filter(
    (name) => Object.hasOwn(stamps, name) && !supplies(clauses, name) && !sameValue(type.fields[name], sent[name], stamps[name]),
  )
}

/** The other sent fields. */
export function unstamped(type: TypeModel, sent: Row, stamps: Row): Row {
  return withoutNames(sent, (name) => name === serverKey(type) || isGenerated(type, name) || Object.hasOwn(stamps, name))
}

/** The row without some of its fields. */
export function withoutNames(row: Row, without: (name: string) => boolean): Row {
  return Object.fromEntries(Object.entries(row).filter(([name]) => !without(name)))
}

/** The row without undefined values. */
export function defined(row: Row): Row {
  return Object.fromEntries(Object.entries(row).filter(([, value]) => value !== undefined))
}

/** The sent values of fields that the type has. Undefined means "not sent". */
export function readSent(type: TypeModel, sent: unknown): { readonly known: Row; readonly faults: FieldFault[] } {
  if (typeof sent !== 'object' || sent === null || Array.isArray(sent)) {
    return { known: {}, faults: [{ field: '', problem: 'has to be an object with the fields' }] }
  }
  const known = Object.entries(sent).filter(([name, value]) => Object.hasOwn(type.fields, name) && value !== undefined)
  return { known: Object.fromEntries(known), faults: unknownFields(type, sent) }
}

/** The change in the form of a table: null clears. */
export function difference(type: TypeModel, before: Row, after: Row): Row {
  return Object.fromEntries(changedFields(type, before, after).map((name) => [name, after[name] ?? null]))
}

/**
 * The faults of an update that the asker may learn: those that do not depend on hidden values of the record. Otherwise a shape that
 * compares sent with hidden values would reveal them bit by bit.
 */
export async function faultsToTell(
  type: TypeModel,
  faults: readonly FieldFault[],
  { changes, bare, visible }: { readonly changes: Row; readonly bare: Row; readonly visible: readonly string[] | undefined },
): Promise<readonly FieldFault[]> {
  if (visible === undefined) return faults
  const seen = withoutNames(bare, (name) => !isKeyField(type, name) && !visible.includes(name))
  const alone = await fitRecord(type, asStored(type, { ...seen, ...changes }))
  if (!('faults' in alone)) return []
  return faults.filter((one) => alone.faults.some(({ field, problem }) => field === one.field && problem === one.problem))
}
