import { existsSync, readdirSync, readFileSync, statSync } from 'node:fs'
import { join } from 'node:path'
import { instant, type Row } from 'pachter/internal/condition'
import { type Field, isUnlisted, keyName, keyOf, type Model, nearest, type TypeModel, unlistedFrom } from 'pachter/internal/rulebook'
import { fitRecord, type Records } from 'pachter/internal/store'
import { DataError } from './errors.js'

/**
 * Reads the data folder: `<record type>.json` contains an array of records. A type without a file has no records. Every record is validated
 * by its shape. @throws DataError with file, row and field.
 */
export async function readData(folder: string, model: Model): Promise<Records> {
  if (!existsSync(folder) || !statSync(folder).isDirectory())
    throw new DataError(folder, 'the data folder does not exist. Name another with data in the configuration, or read a database with --db')
  const types = Object.keys(model.types)
  const files = readdirSync(folder).filter((file) => file.endsWith('.json'))
  if (files.length === 0)
    throw new DataError(folder, `contains no records. Put them into ${types.map((type) => `${type}.json`).join(', ')}`)
  for (const file of files) {
    const name = file.slice(0, -'.json'.length)
    if (!types.includes(name)) {
      const near = nearest(name, types)
      throw new DataError(
        join(folder, file),
        `has no record type${near === undefined ? `. Record types: ${types.join(', ')}` : `. Did you mean "${near}.json"?`}`,
      )
    }
  }
  const records: Record<string, Row[]> = {}
  for (const type of Object.values(model.types)) {
    const file = join(folder, `${type.name}.json`)
    records[type.name] = existsSync(file) ? await readRecords(type, file) : []
  }
  return records
}

/** JSON has no dates, bigints and bytes: if the shape takes only these, a text in their form is converted. */
async function fitFromJson(type: TypeModel, row: Row): ReturnType<typeof fitRecord> {
  const fitted = await fitRecord(type, row)
  if (!('faults' in fitted)) return fitted
  const converted = await fitRecord(type, fromText(row, type.fields) as Row)
  return 'faults' in converted ? fitted : converted
}

function fromText(row: object, fields: TypeModel['fields']): object {
  const converted = (value: unknown, field: Field): unknown => {
    if (Array.isArray(value)) return value.map((one) => converted(one, field))
    if (field.type === 'group' && typeof value === 'object' && value !== null) return fromText(value, field.fields ?? {})
    if (isUnlisted(field)) return unlistedFrom(field, value)
    const time = field.held === 'date' && typeof value === 'string' ? instant(value) : undefined
    return time === undefined ? value : new Date(time)
  }
  return Object.fromEntries(Object.entries(row).map(([name, value]) => [name, fields[name] ? converted(value, fields[name]) : value]))
}

async function readRecords(type: TypeModel, file: string): Promise<Row[]> {
  let rows: unknown
  try {
    rows = JSON.parse(readFileSync(file, 'utf8'))
  } catch (error) {
    throw new DataError(file, `is not valid JSON: ${error instanceof Error ? error.message : String(error)}`)
  }
  if (!Array.isArray(rows)) throw new DataError(file, 'must hold an array of records')
  const seen = new Map<unknown, number>()
  const records: Row[] = []
  for (const [at, row] of rows.entries()) {
    const where = `row ${at + 1}`
    if (typeof row !== 'object' || row === null || Array.isArray(row)) throw new DataError(file, `${where}: is not a record`)
    const fitted = await fitFromJson(type, row as Row)
    if ('faults' in fitted) {
      const faults = fitted.faults.map(({ field, problem }) => (field ? `${field}: ${problem}` : problem)).join('; ')
      throw new DataError(file, `${where} (${keyName(type)} ${JSON.stringify(keyOf(type, row as Row))}): ${faults}`)
    }
    const key = keyOf(type, fitted.record)
    const first = seen.get(key)
    if (first !== undefined) throw new DataError(file, `${where}: the key ${JSON.stringify(key)} was used before, in row ${first}`)
    seen.set(key, at + 1)
    records.push(fitted.record)
  }
  return records
}
