import { type Field, isGenerated, serverKey, type TypeModel } from '../rulebook/index.js'
import type { Json } from './openapi-parts.js'

/** The schemas of a record type: read, create and patch. */
export function schemasOf(type: TypeModel): [string, Json][] {
  const { name, fields, keys, rules, removal } = type
  const given = serverKey(type)
  const properties = Object.fromEntries(Object.entries(fields).map(([field, one]) => [field, schemaOf(one)]))
  const stamped = [...Object.keys(rules?.stamps.create ?? {}), ...(type.generated ?? [])]
  // What the database sets is sent only where a clause allows it.
  const isOpen = (field: string) => !isGenerated(type, field) || rules?.may.create.some(({ overriding }) => overriding?.includes(field))
  // Nobody creates a removed record.
  const sent = Object.fromEntries(Object.entries(properties).filter(([field]) => field !== removal && field !== given && isOpen(field)))
  const required = Object.entries(fields).filter(([field, one]) => field !== given && one.optional !== true && !stamped.includes(field))
  return [
    // Hidden fields are absent, so only the key is required in a record that is read.
    [name, { type: 'object', required: keys, properties }],
    [`${name}New`, { type: 'object', required: required.map(([field]) => field), properties: sent }],
    [`${name}Patch`, { type: 'object', description: 'JSON Merge Patch (RFC 7396): null removes a field.', properties }],
  ]
}

function schemaOf({ type, list, nullable, values, fields, held }: Field): Json {
  const one: Json =
    type === 'group'
      ? { type: 'object', properties: Object.fromEntries(Object.entries(fields ?? {}).map(([name, inner]) => [name, schemaOf(inner)])) }
      : type === 'time'
        ? { type: 'string', format: 'date-time' }
        : type === 'other'
          ? unlistedSchema(held)
          : { type: type === 'id' || type === 'text' ? 'string' : type, ...(values ? { enum: [...values] } : {}) }
  if (list) return { type: 'array', items: one }
  return nullable && one.type !== undefined ? { anyOf: [one, { type: 'null' }] } : one
}

function unlistedSchema(held: Field['held']): Json {
  if (held === 'bigint') return { type: 'string', pattern: '^-?\\d+$', description: 'A whole number of any size, as text.' }
  return held === 'bytes' ? { type: 'string', contentEncoding: 'base64' } : {}
}

/** Problem details, RFC 9457. */
export const PROBLEM = {
  description: 'Problem details (RFC 9457).',
  type: 'object',
  required: ['status', 'title', 'code'],
  properties: {
    type: { type: 'string' },
    status: { type: 'integer' },
    title: { type: 'string' },
    detail: { type: 'string' },
    code: { type: 'string', description: 'A stable code for programs.' },
    fields: { type: 'array', items: { type: 'string' }, description: 'The fields that may not be sent.' },
    faults: { type: 'array', items: { type: 'object', properties: { field: { type: 'string' }, problem: { type: 'string' } } } },
  },
}
