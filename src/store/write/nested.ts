import type { Row } from '../../condition/index.js'
import { type Field, type Fields, holdsObjects, isUnlisted, sameValue, type TypeModel } from '../../rulebook/index.js'

const closed = new WeakMap<Fields, readonly string[]>()

/** The fields with objects of which only the named parts are returned, at any depth. */
function nestedIn(fields: Fields): readonly string[] {
  let names = closed.get(fields)
  if (names === undefined) {
    names = Object.keys(fields).filter((name) => holdsObjects(fields[name] as Field))
    closed.set(fields, names)
  }
  return names
}

/** Removes from a record's objects everything that their shape does not name. */
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
  if (!holdsObjects(field)) return value
  if (field.list) return Array.isArray(value) ? value.map((one) => namedOne(field, one)) : value
  return namedOne(field, value)
}

function namedOne({ fields, open, holds = {} }: Field, value: unknown): unknown {
  const { oneOf, others, first = [], each } = holds
  if (oneOf !== undefined) {
    const fitting = oneOf.filter((one) => fits(one, value))
    return (fitting.length > 0 ? fitting : oneOf).map((one) => namedValue(one, value)).reduce(together)
  }
  if (Array.isArray(value)) {
    return value.map((one, at) => {
      const element = first[at] ?? each
      return element === undefined ? one : namedValue(element, one)
    })
  }
  if (!isObject(value)) return value
  const entries = Object.entries(value).flatMap(([name, inner]) => {
    const field = fieldAt(fields, name) ?? others
    if (field !== undefined) return [[name, inner == null ? inner : namedValue(field, inner)] as const]
    return fields === undefined || open ? [[name, inner] as const] : []
  })
  return Object.fromEntries(entries)
}

function fieldAt(fields: Fields | undefined, name: string): Field | undefined {
  return fields !== undefined && Object.hasOwn(fields, name) ? fields[name] : undefined
}

const TYPES: { readonly [type: string]: string } = { text: 'string', integer: 'number', number: 'number', boolean: 'boolean' }

/** Whether a value matches one of several alternatives. Only that alternative's fields are then returned. */
function fits(field: Field, value: unknown): boolean {
  const { type, list, values, fields, holds = {} } = field
  if (value == null) return field.optional === true
  if (list || holds.first !== undefined || holds.each !== undefined) return Array.isArray(value)
  if (holds.oneOf !== undefined) return holds.oneOf.some((one) => fits(one, value))
  if (fields !== undefined) return isObject(value) && Object.entries(fields).every(([name, inner]) => fits(inner, value[name]))
  if (holds.others !== undefined) return isObject(value)
  if (values !== undefined) return (values as readonly unknown[]).includes(value)
  return TYPES[type] === undefined || typeof value === TYPES[type]
}

/** The union of what two readings of a value name. */
function together(a: unknown, b: unknown): unknown {
  if (Array.isArray(a) && Array.isArray(b)) return a.map((one, at) => together(one, b[at]))
  if (!isObject(a) || !isObject(b)) return a
  const names = [...new Set([...Object.keys(a), ...Object.keys(b)])]
  return Object.fromEntries(
    names.map((name) => [name, Object.hasOwn(a, name) && Object.hasOwn(b, name) ? together(a[name], b[name]) : (a[name] ?? b[name])]),
  )
}

/** Restores what is stored beside the named fields of objects: a client that knows only the shape cannot change it. */
export function withUnnamed(type: TypeModel, stored: Row, becomes: Row): Row {
  const nested = nestedIn(type.fields)
  if (nested.length === 0) return becomes
  const result: Record<string, unknown> = { ...becomes }
  for (const name of nested) if (Object.hasOwn(result, name)) result[name] = kept(type.fields[name] as Field, stored[name], result[name])
  return result
}

function kept(field: Field, stored: unknown, becomes: unknown): unknown {
  if (stored == null || becomes == null || !holdsObjects(field)) return becomes
  if (sameValue(field, namedValue(field, stored), becomes)) return stored
  if (Array.isArray(stored) && Array.isArray(becomes)) return keptElements(field, stored, becomes)
  if (field.list || !isObject(stored) || !isObject(becomes)) return becomes
  const { fields, open, holds = {} } = field
  if (holds.oneOf !== undefined) {
    const same = holds.oneOf.find((one) => fits(one, stored) && fits(one, becomes))
    return same === undefined ? becomes : kept(same, stored, becomes)
  }
  const inner = Object.entries(becomes).map(([name, value]) => {
    const of = fieldAt(fields, name) ?? holds.others
    return [name, of === undefined ? value : kept(of, stored[name], value)]
  })
  const beside = open || fields === undefined ? [] : Object.entries(stored).filter(([name]) => !Object.hasOwn(fields, name))
  return { ...Object.fromEntries(beside), ...Object.fromEntries(inner) }
}

/** Elements have no names: an element that equals a stored one is that one, wherever it is now, and all others are new. */
function keptElements(field: Field, stored: readonly unknown[], becomes: readonly unknown[]): unknown[] {
  const seen = namedValue(field, stored) as unknown[]
  const left = new Set(stored.keys())
  return becomes.map((one) => {
    for (const at of left) {
      if (!sameValue(undefined, seen[at], one)) continue
      left.delete(at)
      return stored[at]
    }
    return one
  })
}

/**
 * Converts a JSON Merge Patch (RFC 7396) to the fields to change: null removes, objects are merged into the stored ones, and all other
 * values replace.
 */
export function mergePatch(type: TypeModel, record: Row, patch: Row): Row {
  return Object.fromEntries(
    Object.entries(patch).map(([name, value]) => [name, isMerged(type, name) ? merged(record[name], value) : value]),
  )
}

/** Whether a patch merges into a field, so that its stored value must be known. */
export function reachesInto(type: TypeModel, patch: Row): boolean {
  return Object.entries(patch).some(([name, value]) => isMerged(type, name) && typeof value === 'object' && value !== null)
}

function isMerged({ fields }: TypeModel, name: string): boolean {
  const field = Object.hasOwn(fields, name) ? fields[name] : undefined
  return field !== undefined && field.list !== true && (field.fields !== undefined || (field.type === 'other' && !isUnlisted(field)))
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
