import type { Row } from '../condition/index.js'
import { type Field, type Fields, sameValue, type TypeModel } from '../rulebook/index.js'

const closed = new WeakMap<Fields, readonly string[]>()

/** The fields that hold objects of which only what the shape names is given out, at any depth. */
function nestedIn(fields: Fields): readonly string[] {
  let names = closed.get(fields)
  if (names === undefined) {
    names = Object.keys(fields).filter((name) => fields[name]?.fields !== undefined)
    closed.set(fields, names)
  }
  return names
}

/** A record without what is stored beside that which its shape names, in the objects that it holds. */
export function named(type: TypeModel, row: Row): Row {
  return namedIn(type.fields, row)
}

function namedIn(fields: Fields, row: Row): Row {
  const nested = nestedIn(fields)
  if (nested.length === 0) return row
  const result: Record<string, unknown> = { ...row }
  for (const name of nested) if (result[name] != null) result[name] = namedValue(fields[name] as Field, result[name])
  return result
}

function namedValue(field: Field, value: unknown): unknown {
  if (field.list) return Array.isArray(value) ? value.map((one) => namedObject(field, one)) : value
  return namedObject(field, value)
}

function namedObject({ fields = {}, open }: Field, value: unknown): unknown {
  if (!isObject(value)) return value
  const inner = namedIn(fields, value)
  return open ? inner : Object.fromEntries(Object.entries(inner).filter(([name]) => Object.hasOwn(fields, name)))
}

/** A record as it becomes, with what is stored beside that which its shape names: nobody changes it who only knows the shape. */
export function withUnnamed(type: TypeModel, stored: Row, becomes: Row): Row {
  const nested = nestedIn(type.fields)
  if (nested.length === 0) return becomes
  const result: Record<string, unknown> = { ...becomes }
  for (const name of nested) if (Object.hasOwn(result, name)) result[name] = kept(type.fields[name] as Field, stored[name], result[name])
  return result
}

function kept(field: Field, stored: unknown, becomes: unknown): unknown {
  if (stored == null || becomes == null) return becomes
  if (sameValue(field, namedValue(field, stored), becomes)) return stored
  if (field.list || !isObject(stored) || !isObject(becomes)) return becomes
  const { fields = {}, open } = field
  const inner = Object.entries(becomes).map(([name, value]) => [
    name,
    fields[name]?.fields === undefined ? value : kept(fields[name], stored[name], value),
  ])
  const beside = open ? [] : Object.entries(stored).filter(([name]) => !Object.hasOwn(fields, name))
  return { ...Object.fromEntries(beside), ...Object.fromEntries(inner) }
}

/**
 * What a JSON Merge Patch (RFC 7396) makes of a record, as the fields to change: null removes, objects are merged into what is
 * there, and everything else takes its place.
 */
export function mergePatch(type: TypeModel, record: Row, patch: Row): Row {
  return Object.fromEntries(
    Object.entries(patch).map(([name, value]) => [name, isMerged(type, name) ? merged(record[name], value) : value]),
  )
}

/** Whether a patch reaches into a field: then what is there has to be known. */
export function reachesInto(type: TypeModel, patch: Row): boolean {
  return Object.entries(patch).some(([name, value]) => isMerged(type, name) && typeof value === 'object' && value !== null)
}

function isMerged({ fields }: TypeModel, name: string): boolean {
  const field = Object.hasOwn(fields, name) ? fields[name] : undefined
  return field?.fields !== undefined && field.list !== true
}

function merged(target: unknown, patch: unknown): unknown {
  if (!isObject(patch) || patch instanceof Date) return patch
  const result = new Map(isObject(target) ? Object.entries(target) : [])
  for (const [name, value] of Object.entries(patch)) {
    if (value === null) result.delete(name)
    else result.set(name, merged(result.get(name), value))
  }
  return Object.fromEntries(result)
}

function isObject(value: unknown): value is Row {
  return typeof value === 'object' && value !== null && !Array.isArray(value)
}
