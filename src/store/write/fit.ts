import { isMissing, type Row, toComparable } from '../../condition/index.js'
import { type Field, isUnlisted, isUnlistedValue, type TypeModel, unknownName } from '../../rulebook/index.js'
import { issuePath } from '../../viewpoint/index.js'
import type { FieldFault } from '../errors.js'

/** Faults for fields that the record type does not have, including names like `__proto__`. */
export function unknownFields(type: TypeModel, sent: object): FieldFault[] {
  const known = Object.keys(type.fields)
  return Object.keys(sent)
    .filter((name) => !Object.hasOwn(type.fields, name))
    .map((name) => ({ field: name, problem: unknownName('field', name, known) }))
}

/** Validates a record by its shape, and by what every engine can store exactly. Returns the shape's output, or all faults. */
export async function fitRecord(
  type: TypeModel,
  record: Row,
): Promise<{ readonly record: Row } | { readonly faults: readonly FieldFault[] }> {
  const result = await type.shape['~standard'].validate(record)
  if (result.issues) {
    return { faults: result.issues.map((issue) => ({ field: issuePath(issue), problem: issue.message })) }
  }
  const fitted = result.value as Row
  const faults = Object.entries(type.fields).flatMap(([name, field]) => unholdable(field, fitted[name], name))
  return faults.length > 0 ? { faults } : { record: asStored(type, fitted) }
}

/**
 * A record with missing values in one form, as tables store them: null if the field may be null, otherwise absent. A column cannot tell the
 * two apart, and every engine must return the same.
 */
export function asStored(type: TypeModel, record: Row): Row {
  const stored: Record<string, unknown> = { ...record }
  for (const [name, field] of Object.entries(type.fields)) {
    if (!isMissing(stored[name], 'other')) continue
    if (field.nullable) stored[name] = null
    else delete stored[name]
  }
  return stored
}

function unholdable(field: Field, value: unknown, name: string): FieldFault[] {
  if (value === null || value === undefined) return []
  if (field.list) {
    return Array.isArray(value) ? value.flatMap((one, at) => unholdable(single(field), one, `${name}[${at}]`)) : []
  }
  if (isUnlisted(field)) return isUnlistedValue(field, value) ? [] : [{ field: name, problem: `is not a valid ${field.held}` }]
  if (field.type === 'other') return jsonProblem(value) ? [{ field: name, problem: 'holds something that cannot be written as JSON' }] : []
  if (field.type === 'group') {
    return Object.entries(field.fields ?? {}).flatMap(([inner, of]) => unholdable(of, (value as Row)[inner], `${name}.${inner}`))
  }
  return toComparable(value, field.type) === undefined ? [{ field: name, problem: `is not a valid ${field.type}` }] : []
}

function single({ list: _list, ...field }: Field): Field {
  return field
}

function jsonProblem(value: unknown): boolean {
  try {
    return JSON.stringify(value) === undefined
  } catch {
    return true
  }
}

/** Whether the path of a fault is that of a field, or of a part of it. */
export function isWithin(path: string, field: string): boolean {
  return path === field || path.startsWith(`${field}.`) || path.startsWith(`${field}[`)
}
