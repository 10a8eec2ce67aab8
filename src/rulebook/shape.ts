import { instantText } from '../condition/time.js'
import type { Scalar } from '../condition/value.js'
import { RulebookError, unknownName } from './error.js'
import type { Shape } from './types.js'

/** What a shape says about one field. */
export interface Field {
  readonly type: Scalar | 'other' | 'group'
  readonly list?: true
  readonly optional?: true
  /** A missing value is null. Otherwise the field is left out. */
  readonly nullable?: true
  /** The only possible values, if the shape lists them. */
  readonly values?: readonly (string | number | boolean)[]
  /**
   * How the application represents a time: as a Date, as RFC 3339 text, or as a day without a time, such as "2026-05-31". Of other values:
   * a bigint, or bytes (Uint8Array), which have a column of their own.
   */
  readonly held?: 'date' | 'text' | 'day' | Unlisted
  /** The fields of a nested object. */
  readonly fields?: Fields
  /** The nested object may have more fields than these. */
  readonly open?: true
  /** The structure of a value that contains objects besides named fields. */
  readonly holds?: Holds
}

/** Values that JSON does not have, and that rules do not compare. */
type Unlisted = 'bigint' | 'bytes'

/** The structure of a value that rules cannot address. */
export interface Holds {
  /** One of these. */
  readonly oneOf?: readonly Field[]
  /** The values under names that the shape does not list. */
  readonly others?: Field
  /** The first elements of an array, and all further ones. */
  readonly first?: readonly Field[]
  readonly each?: Field
}

/** Whether a value contains objects whose fields the shape names. */
export function holdsObjects({ fields, holds }: Field): boolean {
  return fields !== undefined || holds !== undefined
}

const DAY_LENGTH = '2000-01-01'.length

/** A time as the application represents it: a Date, an RFC 3339 text, or only its day. */
export function timeAs({ held }: Field, time: number): Date | string {
  return held === undefined || held === 'date' ? new Date(time) : instantText(time).slice(0, held === 'day' ? DAY_LENGTH : undefined)
}

/** Fields by name. */
export type Fields = { readonly [name: string]: Field }

type Json = { readonly [word: string]: unknown }

// The formats of values for which JSON Schema has no type.
const FORMATS: { readonly [type: string]: Field } = {
  'pachter-date': { type: 'time', held: 'date' },
  'pachter-bigint': { type: 'other', held: 'bigint' },
  'pachter-bytes': { type: 'other', held: 'bytes' },
}

/**
 * Reads the fields of a shape from its JSON Schema.
 * @throws RulebookError if the shape cannot be read.
 */
export function readShape(shape: Shape, at: string, times: readonly string[] = [], days: readonly string[] = []): Fields {
  const standard = (shape as Partial<Shape> | undefined)?.['~standard']
  if (typeof standard?.validate !== 'function') {
    throw new RulebookError(at, 'the shape is not a Standard Schema: use a schema of zod, valibot, arktype or a similar library')
  }
  if (typeof standard.jsonSchema?.output !== 'function') {
    throw new RulebookError(
      at,
      `the fields of the shape cannot be read: it needs Standard JSON Schema ("~standard".jsonSchema), which ${standard.vendor} offers in newer versions or through a converter`,
    )
  }
  let json: Json
  try {
    json = schemaOf(shape)
  } catch (cause) {
    throw new RulebookError(at, `the shape has no JSON Schema: ${cause instanceof Error ? cause.message : String(cause)}`)
  }
  const fields = groupFields(json, { root: json, at, depth: 0 })
  if (fields === undefined) throw new RulebookError(at, 'the shape has to be an object with named fields')
  return withTimes(fields, at, times, days)
}

/** The fields with those that are times and days although the shape cannot say so. */
function withTimes(fields: Fields, at: string, times: readonly string[], days: readonly string[]): Fields {
  const marked = { ...fields }
  for (const name of times) {
    const field = fields[name]
    if (field === undefined) throw new RulebookError(at, `times: ${unknownName('field', name, Object.keys(fields))}`)
    if (field.list || (field.type !== 'other' && field.type !== 'text' && field.type !== 'time')) {
      throw new RulebookError(at, `times: "${name}" holds ${field.list ? 'a list' : field.type}, not an instant`)
    }
    const { values: _none, ...rest } = field
    marked[name] = { ...rest, type: 'time', held: field.type === 'text' ? 'text' : 'date' }
  }
  for (const name of days) {
    const field = fields[name]
    if (field === undefined) throw new RulebookError(at, `days: ${unknownName('field', name, Object.keys(fields))}`)
    if (times.includes(name)) throw new RulebookError(at, `days: "${name}" is one of the times already`)
    if (field.list || field.type !== 'text')
      throw new RulebookError(at, `days: "${name}" holds ${field.list ? 'a list' : field.type}, not text such as "2026-05-31"`)
    const { values: _none, ...rest } = field
    marked[name] = { ...rest, type: 'time', held: 'day' }
  }
  return marked
}

// JSON Schema has no dates. Each library has its own option to convert what it cannot represent, and ignores the options of others.
const LIBRARY_OPTIONS: Record<string, unknown> = {
  unrepresentable: 'any',
  errorMode: 'ignore',
  // zod
  override: ({ zodSchema, jsonSchema }: { zodSchema?: ZodSchema; jsonSchema?: Record<string, unknown> }) => {
    const format = formatOf(zodSchema?._zod?.def?.type, zodSchema?._zod?.bag?.Class)
    if (format !== undefined && jsonSchema) jsonSchema.format = format
  },
  // valibot
  overrideSchema: ({ valibotSchema }: { valibotSchema?: { type?: string; class?: unknown } }) => {
    const format = formatOf(valibotSchema?.type, valibotSchema?.class)
    return format === undefined ? undefined : { format }
  },
}

interface ZodSchema {
  readonly _zod?: { readonly def?: { readonly type?: string }; readonly bag?: { readonly Class?: unknown } }
}

function formatOf(type: string | undefined, of: unknown): string | undefined {
  if (type === 'date' || type === 'bigint') return `pachter-${type}`
  return of === Uint8Array ? 'pachter-bytes' : undefined
}

/** The JSON Schema of a shape. */
export function schemaOf(shape: Shape): Record<string, unknown> {
  return shape['~standard'].jsonSchema.output({ target: 'draft-2020-12', libraryOptions: LIBRARY_OPTIONS })
}

/** A shape with the same fields that accepts every value: its checks were code and are lost. */
export function shapeOf(schema: Record<string, unknown>): Shape {
  const validate = (value: unknown) => ({ value })
  return { '~standard': { version: 1, vendor: 'pachter', validate, jsonSchema: { output: () => schema } } }
}

/** The position in a schema. A schema that contains itself is read a few levels deep. */
interface SchemaPlace {
  readonly root: Json
  readonly at: string
  readonly depth: number
}

const DEEPEST = 6

function inside(place: SchemaPlace, name: string): SchemaPlace {
  return { root: place.root, at: `${place.at}.${name}`, depth: place.depth + 1 }
}

function groupFields(schema: Json, place: SchemaPlace): Fields | undefined {
  if (place.depth > DEEPEST) return undefined
  const resolved = resolve(schema, place.root)
  const alternatives = (resolved.anyOf ?? resolved.oneOf) as Json[] | undefined
  if (alternatives !== undefined && resolved.properties === undefined) {
    const groups = alternatives.map((one) => groupFields(one, place))
    return groups.every((group) => group !== undefined) ? merged(groups as Fields[]) : undefined
  }
  if (Array.isArray(resolved.allOf) && resolved.properties === undefined) {
    const groups = (resolved.allOf as Json[]).map((one) => groupFields(one, place))
    return groups.every((group) => group !== undefined) ? Object.assign({}, ...(groups as Fields[])) : undefined
  }
  if (typeof resolved.properties !== 'object' || resolved.properties === null) return undefined
  const required = new Set((resolved.required as string[] | undefined) ?? [])
  const fields: Record<string, Field> = {}
  for (const [name, schema] of Object.entries(resolved.properties as Record<string, Json>)) {
    if (name in Object.prototype) throw new RulebookError(place.at, `a field cannot be called "${name}", which every object has`)
    const field = readField(schema, inside(place, name))
    fields[name] = required.has(name) || field.optional ? field : { ...field, optional: true }
  }
  return fields
}

/** The fields of all alternatives: optional if one of them lacks the field, open if they disagree. */
function merged(groups: readonly Fields[]): Fields {
  const fields: Record<string, Field> = {}
  for (const name of new Set(groups.flatMap((group) => Object.keys(group)))) {
    const [first, ...more] = groups.flatMap((group) => group[name] ?? [])
    let field = first as Field
    for (const other of more) field = either(field, other)
    const everywhere = groups.every((group) => group[name] !== undefined)
    fields[name] = everywhere || field.optional ? field : { ...field, optional: true }
  }
  return fields
}

function either(a: Field, b: Field): Field {
  const nullable = a.nullable || b.nullable ? { nullable: true as const } : {}
  const optional = { ...(a.optional || b.optional ? { optional: true as const } : {}), ...nullable }
  if (holdsObjects(a) || holdsObjects(b)) {
    const oneOf = [a, b].flatMap((one) => one.holds?.oneOf ?? [one])
    return { type: 'other', holds: { oneOf }, ...optional }
  }
  const numbers = (a.type === 'integer' && b.type === 'number') || (a.type === 'number' && b.type === 'integer')
  if ((a.type !== b.type && !numbers) || a.list !== b.list || a.held !== b.held || a.type === 'group') return { type: 'other', ...optional }
  const values = a.values && b.values ? { values: [...new Set([...a.values, ...b.values])] } : {}
  const { values: _a, optional: _o, nullable: _n, ...rest } = a
  return { ...rest, ...(numbers ? { type: 'number' as const } : {}), ...values, ...optional }
}

function readField(schema: Json, place: SchemaPlace): Field {
  const resolved = resolve(schema, place.root)
  const alternatives = (resolved.anyOf ?? resolved.oneOf) as Json[] | undefined
  if (alternatives !== undefined) return readAlternatives(alternatives, place)
  const unlisted = typeof resolved.format === 'string' ? FORMATS[resolved.format] : undefined
  if (unlisted !== undefined) return unlisted
  const listed = Array.isArray(resolved.enum) ? resolved.enum : 'const' in resolved ? [resolved.const] : undefined
  const { type, isNullable } = typeOf(resolved.type, listed)
  const optional = isNullable ? { optional: true as const, nullable: true as const } : {}
  const values = listed?.filter((value): value is string | number | boolean => ['string', 'number', 'boolean'].includes(typeof value))
  const only = values && values.length > 0 ? { values } : {}
  switch (type) {
    case 'string':
      return { type: 'text', ...only, ...optional }
    case 'integer':
      return { type: 'integer', ...only, ...optional }
    case 'number':
      return { type: 'number', ...only, ...optional }
    case 'boolean':
      return { type: 'boolean', ...only, ...optional }
    case 'array':
      return { ...readList(resolved, place), ...optional }
    case 'object':
      return { ...readGroup(resolved, place), ...optional }
    default:
      return { type: 'other', ...optional }
  }
}

/** The only type that a schema names besides null, or that all of its values have. */
function typeOf(named: unknown, listed: readonly unknown[] | undefined): { readonly type: unknown; readonly isNullable: boolean } {
  const types: readonly unknown[] = Array.isArray(named) ? named : named === undefined ? [] : [named]
  const real = types.filter((type) => type !== 'null')
  const type = real.length === 1 ? real[0] : real.length === 0 && listed !== undefined ? commonType(listed) : undefined
  return { type, isNullable: types.includes('null') || listed?.includes(null) === true }
}

function readAlternatives(alternatives: readonly Json[], place: SchemaPlace): Field {
  const real = alternatives.filter((one) => resolve(one, place.root).type !== 'null')
  const [first, ...more] = real.map((one) => readField(one, place))
  const found = first === undefined ? { type: 'other' as const } : more.reduce(either, first)
  return real.length < alternatives.length ? { ...found, optional: true, nullable: true } : found
}

function readGroup(schema: Json, place: SchemaPlace): Field {
  const { additionalProperties: more } = schema
  const others =
    typeof more === 'object' && more !== null && place.depth <= DEEPEST ? readField(more as Json, inside(place, '*')) : undefined
  const holds = others !== undefined && holdsObjects(others) ? { holds: { others } } : {}
  const fields = groupFields(schema, place)
  if (fields === undefined) return { type: 'other', ...holds }
  const open = more !== undefined && more !== false ? { open: true as const } : {}
  return { type: 'group', fields, ...open, ...holds }
}

function readList(schema: Json, place: SchemaPlace): Field {
  if (place.depth > DEEPEST) return { type: 'other' }
  const first = (Array.isArray(schema.prefixItems) ? (schema.prefixItems as Json[]) : []).map((one) => readField(one, inside(place, '[]')))
  const each = typeof schema.items === 'object' && schema.items !== null ? readField(schema.items as Json, inside(place, '[]')) : undefined
  const { optional: _o, nullable: _n, ...element } = each ?? { type: 'other' as const }
  if (first.length > 0 || element.list || element.type === 'other') {
    if (![...first, element].some(holdsObjects)) return { type: 'other' }
    return { type: 'other', holds: { ...(first.length > 0 ? { first } : {}), ...(each === undefined ? {} : { each }) } }
  }
  return { ...element, list: true }
}

function commonType(values: readonly unknown[]): string | undefined {
  const types = new Set(values.filter((value) => value !== null).map((value) => typeof value))
  return types.size === 1 ? [...types][0] : undefined
}

function resolve(schema: Json, root: Json): Json {
  let found = schema
  for (let hops = 0; typeof found.$ref === 'string' && hops < 32; hops++) {
    let target: unknown = root
    for (const step of found.$ref.replace(/^#\/?/, '').split('/').filter(Boolean)) {
      const name = decodeURIComponent(step).replace(/~1/g, '/').replace(/~0/g, '~')
      target = (target as Json | undefined)?.[name]
    }
    if (typeof target !== 'object' || target === null) return {}
    found = target as Json
  }
  return found
}
