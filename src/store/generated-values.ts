import type { Row } from '../condition/index.js'
import { type Field, type TypeModel, timeAs } from '../rulebook/index.js'

const A_UUID = '00000000-0000-4000-8000-000000000000'

/** A value that a shape usually accepts in a field. */
export function sampleOf(field: Field): unknown {
  if (field.nullable) return null
  if (field.optional) return undefined
  if (field.list) return []
  if (field.values !== undefined) return field.values[0]
  switch (field.type) {
    case 'text':
    case 'id':
      return A_UUID
    case 'integer':
    case 'number':
      return 1
    case 'boolean':
      return false
    case 'time':
      return timeAs(field, 0)
    case 'other':
    case 'group':
      return {}
  }
}

/**
 * A record with the values that a database would set: an integer is one more than the highest, a text is a random UUID, a time is now, and all
 * else is empty.
 */
export function withGenerated(type: TypeModel, row: Row, others: () => Iterable<Row>): Row {
  const left = (type.generated ?? []).filter((name) => row[name] === undefined)
  if (left.length === 0) return row
  const made = left.map((name) => {
    const field = type.fields[name] as Field
    const sample = sampleOf(field)
    if (sample === A_UUID) return [name, globalThis.crypto.randomUUID()]
    if (field.type === 'time' && sample !== null && sample !== undefined) return [name, timeAs(field, Date.now())]
    if (sample === 1 && field.type === 'integer') return [name, highest(others(), name) + 1]
    return [name, sample]
  })
  return { ...row, ...Object.fromEntries(made) }
}

function highest(rows: Iterable<Row>, name: string): number {
  let most = 0
  for (const row of rows) if (typeof row[name] === 'number' && row[name] > most) most = row[name]
  return most
}
