import type { Row } from '../../condition/index.js'
import { sameValue, type TypeModel } from '../../rulebook/index.js'
import { type AskersClause, changedFields } from '../../viewpoint/index.js'
import type { FieldFault } from '../errors.js'
import { asStored, fitRecord, unknownFields } from './fit.js'

/** Whether one of the clauses lets give the field; the system may give any. */
export function supplies(clauses: readonly AskersClause[], name: string): boolean {
  return clauses.some(({ clause }) => clause === undefined || clause.overriding?.includes(name))
}

/** What was sent of the fields that the server stamps, though no clause lets give them and the stamp would be another. */
export function refusedStamps(type: TypeModel, clauses: readonly AskersClause[], sent: Row, stamps: Row): string[] {
  return Object.keys(sent).filter(
    (name) => Object.hasOwn(stamps, name) && !supplies(clauses, name) && !sameValue(type.fields[name], sent[name], stamps[name]),
  )
}

/** What was sent of the other fields. */
export function unstamped(type: TypeModel, sent: Row, stamps: Row): Row {
  return withoutNames(sent, (name) => name === type.key || Object.hasOwn(stamps, name))
}

/** The row without some of its fields. */
export function withoutNames(row: Row, without: (name: string) => boolean): Row {
  return Object.fromEntries(Object.entries(row).filter(([name]) => !without(name)))
}

/** The row without what is undefined. */
export function defined(row: Row): Row {
  return Object.fromEntries(Object.entries(row).filter(([, value]) => value !== undefined))
}

/** What was sent, as far as the record type has such fields. Undefined is "not sent". */
export function readSent(type: TypeModel, sent: unknown): { readonly known: Row; readonly faults: FieldFault[] } {
  if (typeof sent !== 'object' || sent === null || Array.isArray(sent)) {
    return { known: {}, faults: [{ field: '', problem: 'has to be an object with the fields' }] }
  }
  const known = Object.entries(sent).filter(([name, value]) => Object.hasOwn(type.fields, name) && value !== undefined)
  return { known: Object.fromEntries(known), faults: unknownFields(type, sent) }
}

/** What a table has to be told of a change: null clears. */
export function difference(type: TypeModel, before: Row, after: Row): Row {
  return Object.fromEntries(changedFields(type, before, after).map((name) => [name, after[name] ?? null]))
}

/**
 * The faults of an update that may be told: those that are there whatever the record holds that is hidden from the asker. What a
 * shape says of what was sent beside something hidden would tell of it, by and by.
 */
export async function faultsToTell(
  type: TypeModel,
  faults: readonly FieldFault[],
  { changes, bare, visible }: { readonly changes: Row; readonly bare: Row; readonly visible: readonly string[] | undefined },
): Promise<readonly FieldFault[]> {
  if (visible === undefined) return faults
  const seen = withoutNames(bare, (name) => name !== type.key && !visible.includes(name))
  const alone = await fitRecord(type, asStored(type, { ...seen, ...changes }))
  if (!('faults' in alone)) return []
  return faults.filter((one) => alone.faults.some(({ field, problem }) => field === one.field && problem === one.problem))
}
