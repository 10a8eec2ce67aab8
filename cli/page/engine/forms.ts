// Converts records to form fields and back.
import { instant, type Row } from 'pachter/internal/condition'
import type { Ground } from 'pachter/internal/review'
import { type Field, type Key, keyOf, type Model, serverKey, type TypeModel, typeModel } from 'pachter/internal/rulebook'
import { TextError, valueFromText } from 'pachter/internal/store'
import type { FormField } from './types.js'

/** A record as form fields. Without a key, a new one, copied from the first record with a new key. */
export function formOf(ground: Ground, type: string, key?: Key): readonly FormField[] {
  const known = typeModel(ground.model, type)
  const { fields } = known
  const rows = (ground.records[type] ?? []) as readonly Row[]
  const record = key === undefined ? newRecord(known, rows) : (ground.record(type, key) as Row)
  return Object.entries(fields).map(([name, field]) => {
    const value = (record as Row)[name]
    return { name, field, isMissing: value === undefined, text: value === undefined ? '' : textFor(value) }
  })
}

/** Reads a record from a form. @throws TextError if a text is not valid for its field */
export function recordFrom(model: Model, type: string, texts: { readonly [name: string]: string | undefined }): Row {
  const { fields } = typeModel(model, type)
  const given = Object.entries(texts).flatMap(([name, text]) => {
    if (text === undefined) return []
    const field = fields[name] as Field
    const value = valueFromText(field, text, name)
    if (field.type === 'time' && !field.list && value !== null && instant(value) === undefined)
      throw new TextError(name, `needs an instant, as in 2026-06-15T09:00:00Z, not ${JSON.stringify(text)}`)
    return [[name, value] as const]
  })
  return Object.fromEntries(given)
}

/** A value as text that can be read back. */
function textFor(value: unknown): string {
  if (value === null) return 'null'
  if (Array.isArray(value))
    return value.every((one) => typeof one === 'string' && !/[,[]/.test(one)) ? value.join(', ') : JSON.stringify(value)
  return typeof value === 'object' ? JSON.stringify(value) : String(value)
}

/** The first record with a key that no record has. A key of several fields leads to other records, so its parts are theirs. */
function newRecord(type: TypeModel, rows: readonly Row[]): Row {
  const key = serverKey(type)
  if (key !== undefined) return { ...rows[0], [key]: unusedKey(rows, key) }
  const used = new Set(rows.map((row) => keyOf(type, row)))
  for (const row of rows)
    for (const name of type.keys)
      for (const other of rows) {
        const moved = { ...row, [name]: other[name] }
        if (!used.has(keyOf(type, moved))) return moved
      }
  return { ...rows[0] }
}

function unusedKey(rows: readonly Row[], keyField: string): Key {
  const keys = new Set(rows.map((row) => row[keyField]))
  if (typeof rows[0]?.[keyField] === 'number') return Math.max(...[...keys].map(Number)) + 1
  for (let number = 1; ; number++) if (!keys.has(`new-${number}`)) return `new-${number}`
}
