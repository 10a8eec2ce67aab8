import { anyLeaf, lower, type Row, toComparable } from '../../condition/index.js'
import { conditionsOfType, type Field, type Model, sameValue, type TypeModel } from '../../rulebook/index.js'
import type { AskersClause } from '../../viewpoint/index.js'
import { type FieldFault, InvalidError } from '../errors.js'
import { sampleOf } from '../generated-values.js'
import { fitRecord, isWithin } from './fit.js'
import { supplies, withoutNames } from './sent-fields.js'

/** The sent fields that the database sets, which no clause allows to send. */
export function refusedGenerated(type: TypeModel, clauses: readonly AskersClause[], sent: Row): string[] {
  return (type.generated ?? []).filter((name) => Object.hasOwn(sent, name) && !supplies(clauses, name))
}

/**
 * Validates a record in which fields are left to the database. The shape sees samples in their place. What it then says may come from the
 * samples, as where it compares fields with each other: so only missing and mistyped fields are faults already, and the stored record is
 * validated whole.
 */
export async function fitBeforeWriting(type: TypeModel, record: Row): ReturnType<typeof fitRecord> {
  const left = (type.generated ?? []).filter((name) => record[name] === undefined)
  if (left.length === 0) return fitRecord(type, record)
  const samples = Object.fromEntries(left.map((name) => [name, sampleOf(type.fields[name] as Field)]))
  const fitted = await fitRecord(type, { ...samples, ...record })
  const bare = (row: Row) => withoutNames(row, (name) => left.includes(name))
  if (!('faults' in fitted)) return { record: bare(fitted.record) }
  const own = Object.keys(type.fields).filter((name) => !left.includes(name))
  const faults = fitted.faults.filter(({ field }) => own.some((name) => isWithin(field, name)))
  const isSure = faults.some(({ field }) =>
    own.some((name) => isWithin(field, name) && !isOfType(type.fields[name] as Field, record[name])),
  )
  return isSure ? { faults } : { record: bare(record) }
}

function isOfType(field: Field, value: unknown): boolean {
  if (value === undefined || value === null) return field.optional === true
  if (field.list) return Array.isArray(value)
  return field.type === 'other' || field.type === 'group' ? typeof value === 'object' : toComparable(value, field.type) !== undefined
}

/** The record as it was stored has to fit its shape. @throws InvalidError for what was sent; Error for what the database set. */
export async function checkStored(type: TypeModel, kept: Row): Promise<void> {
  if (type.generated === undefined) return
  const fitted = await fitRecord(type, kept)
  if (!('faults' in fitted)) return
  const faults = fitted.faults.filter(({ field }) => !type.generated?.some((name) => isWithin(field, name)))
  if (faults.length > 0) throw new InvalidError(type.name, faults)
  const [fault] = fitted.faults as [FieldFault]
  throw new Error(`the database saved ${type.name}.${fault.field} with a value that does not fit its shape: ${fault.problem}`)
}

/** The fields of a written record that the database changed although rules of the update depend on them. */
export function changedUnder(model: Model, type: TypeModel, judged: Row, kept: Row): string | undefined {
  const changed = (type.generated ?? []).filter((name) => !sameValue(type.fields[name], kept[name], judged[name]))
  if (changed.length === 0) return undefined
  const conditions = conditionsOfType(model, type, { actions: ['update'], roles: ['gate', 'clause', 'afterwards', 'veto'] })
  return changed.find((name) =>
    conditions.some(({ condition }) =>
      anyLeaf(lower(condition), (leaf) => leaf.kind === 'field' && typeof leaf.of === 'string' && leaf.path[0] === name),
    ),
  )
}
