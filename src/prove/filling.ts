import type { Row } from '../condition/index.js'
import { type Field, type Fields, type Model, type Shape, timeAs } from '../rulebook/index.js'

/** What a required text may have to look like. The first one that its shape accepts is taken. */
const TEXTS = [
  'text',
  'ada@example.org',
  'https://example.org/',
  '2026-01-15',
  '2026-01-15T12:00:00.000Z',
  '00000000-0000-4000-8000-000000000001',
  '12:00',
  '1',
  '+49 30 1234567',
  'AB',
  'a long enough text, for a field that asks for it',
]
/** The time of an example, where nothing says another. */
export const USUAL = Date.UTC(2026, 0, 15, 12)
const NUMBERS = [1, 0, 10, 100, -1, 0.5]

/** A record, or the claims, with values for what nothing was said about and their shape requires. */
export function filled(model: Model, type: string | undefined, row: Row): Row {
  const { fields, shape } = type === undefined ? model.me : (model.types[type] as Model['types'][string])
  const whole = withRequired(fields, row, type === undefined ? Object.keys(model.me.links) : [])
  return accepted(shape, fields, whole, row)
}

function withRequired(fields: Fields, row: Row, except: readonly string[]): Record<string, unknown> {
  const whole: Record<string, unknown> = { ...row }
  for (const [name, field] of Object.entries(fields)) {
    if (except.includes(name)) continue
    const there = whole[name]
    if (field.type === 'group' && field.list !== true && isObject(there)) whole[name] = withRequired(field.fields ?? {}, there, [])
    if (field.list === true && Array.isArray(there) && field.fields !== undefined)
      whole[name] = there.map((one) => (isObject(one) ? withRequired(field.fields as Fields, one, []) : one))
    if (there !== undefined) continue
    if (field.optional === true) {
      if (field.nullable) whole[name] = null
      continue
    }
    whole[name] = usual(field)
  }
  return whole
}

function usual(field: Field): unknown {
  if (field.list) return []
  if (field.values !== undefined) return field.values[0]
  switch (field.type) {
    case 'text':
    case 'id':
      return TEXTS[0]
    case 'integer':
    case 'number':
      return NUMBERS[0]
    case 'boolean':
      return false
    case 'time':
      return timeAs(field, USUAL)
    case 'group':
      return withRequired(field.fields ?? {}, {}, [])
    case 'other':
      return field.held === 'bigint' ? 1n : field.held === 'bytes' ? new Uint8Array(1) : {}
  }
}

/** The same, with other values at the places that the shape does not accept and that nothing was said about. */
function accepted(shape: Shape, fields: Fields, whole: Record<string, unknown>, said: Row): Row {
  const row = whole
  for (let turn = 0; turn < TEXTS.length; turn++) {
    const result = shape['~standard'].validate(row)
    if (result instanceof Promise || result.issues === undefined) return row
    let changed = false
    for (const { path = [] } of result.issues) {
      const [first] = path
      const name = String(typeof first === 'object' ? first.key : first)
      const field = Object.hasOwn(fields, name) ? fields[name] : undefined
      if (field === undefined || path.length !== 1 || said[name] !== undefined) continue
      const next = other(field, turn)
      if (next === undefined) continue
      row[name] = next
      changed = true
    }
    if (!changed) return row
  }
  return row
}

function other(field: Field, turn: number): unknown {
  if (field.list) return [usual({ ...field, list: undefined } as never)]
  if (field.type === 'text' || field.type === 'id') return TEXTS[turn + 1]
  return field.type === 'number' || field.type === 'integer' ? NUMBERS[turn + 1] : undefined
}

/** Whether a value is an object with fields. */
export function isObject(value: unknown): value is Record<string, unknown> {
  return typeof value === 'object' && value !== null && !Array.isArray(value) && !(value instanceof Date)
}
