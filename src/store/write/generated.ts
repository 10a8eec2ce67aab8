import type { Row } from '../../condition/index.js'
import { anyLeaf, lower } from '../../condition/index.js'
import { conditionsOfType, type Field, type Model, sameValue, type TypeModel } from '../../rulebook/index.js'
import type { AskersClause } from '../../viewpoint/index.js'
import type { FieldFault } from '../errors.js'
import { sampleOf } from '../generated-values.js'
import { fitRecord, isWithin } from './fit.js'
import { supplies } from './sent-fields.js'

/** The sent fields that the database sets, which no clause allows to send. */
export function refusedGenerated(type: TypeModel, clauses: readonly AskersClause[], sent: Row): string[] {
  return (type.generated ?? []).filter((name) => Object.hasOwn(sent, name) && !supplies(clauses, name))
}

/**
 * Validates a record in which fields are left to the database. The shape sees samples in their place, so that it can check all else, and what
 * it says of them does not count: the stored record is validated whole.
 */
export async function fitBeforeWriting(type: TypeModel, record: Row): ReturnType<typeof fitRecord> {
  const left = (type.generated ?? []).filter((name) => record[name] === undefined)
  if (left.length === 0) return fitRecord(type, record)
  const samples = Object.fromEntries(left.map((name) => [name, sampleOf(type.fields[name] as Field)]))
  const fitted = await fitRecord(type, { ...samples, ...record })
  const bare = (row: Row) => Object.fromEntries(Object.entries(row).filter(([name]) => !left.includes(name)))
  if (!('faults' in fitted)) return { record: bare(fitted.record) }
  const faults = fitted.faults.filter(({ field }) => !left.some((name) => isWithin(field, name)))
  return faults.length > 0 ? { faults } : { record: bare(record) }
}

/** What the database made of fields that it sets is validated too. @throws Error */
export async function checkStored(type: TypeModel, kept: Row): Promise<void> {
  if (type.generated === undefined) return
  const fitted = await fitRecord(type, kept)
  const [fault]: readonly FieldFault[] = 'faults' in fitted ? fitted.faults : []
  if (fault !== undefined)
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
