// What a database has that the rulebook of a project does not know, and the other way round.
import { type Field, type Model, unknownName } from 'pachter/internal/rulebook'
import type { Layout } from 'pachter/sql'
import type { ColumnDescription, TableDescription } from './description.js'
import { draftOf } from './draft.js'

/** The differences, a line each. Tables and columns that are named in `except` are passed over. */
export function differencesOf(model: Model, layout: Layout, tables: readonly TableDescription[], except: readonly string[]): string[] {
  const placed = new Map(
    Object.values(model.types).map((type) => {
      const place = layout.tables[type.name]
      return [type.name, tables.find(({ name, schema }) => name === place?.name && schema === place?.schema)] as const
    }),
  )
  const known = new Set([...placed.values()].filter((table) => table !== undefined))
  const isExcept = (name: string) => except.includes(name)
  // What a draft leaves out, because records cannot hold it, is no difference.
  const drafted = new Map(draftOf(tables).types.map(({ table, fields }) => [table, new Set(fields.map(({ column }) => column.name))]))
  const missing = tables
    .filter((table) => !known.has(table) && drafted.has(table) && !isExcept(table.name))
    .map(({ name }) => `${name}: this table has no record type`)
  const others = Object.values(model.types).flatMap((type) => {
    const table = placed.get(type.name)
    const place = layout.tables[type.name]
    if (table === undefined)
      return [
        `${type.name}: there is no table ${unknownName(
          'table',
          place?.name ?? type.name,
          tables.map(({ name }) => name),
        )}`,
      ]
    const fields = Object.entries(place?.columns ?? {})
    const fieldOf = (column: string) => fields.find(([, one]) => one.name === column)?.[0]
    return [
      ...table.columns.flatMap((column): string[] => {
        const at = `${table.name}.${column.name}`
        const field = fieldOf(column.name)
        if (isExcept(at)) return []
        if (field === undefined)
          return drafted.get(table)?.has(column.name) === false
            ? []
            : [`${at}: this column (${column.written}) has no field in ${type.name}`]
        return columnDifferences(column, type.fields[field] as Field).map((text) => `${at}: ${text}`)
      }),
      ...fields
        .filter(([, { name }]) => !table.columns.some((column) => column.name === name))
        .map(([field, { name }]) => `${type.name}.${field}: ${table.name} has no column ${name}`),
      ...linksMissing(type.name, model, table, placed, fieldOf),
    ]
  })
  return [...missing, ...others]
}

function columnDifferences({ nullable, labels, generated }: ColumnDescription, field: Field): string[] {
  const found: string[] = []
  if (nullable && field.optional !== true && !generated) found.push('this column may be null, and its field is required')
  const unknown = labels?.filter((label) => field.values !== undefined && !field.values.includes(label)) ?? []
  if (unknown.length > 0) found.push(`the shape does not list ${unknown.join(', ')}`)
  return found
}

/** Foreign keys that no link follows. */
function linksMissing(
  name: string,
  model: Model,
  { foreignKeys, name: table }: TableDescription,
  placed: ReadonlyMap<string, TableDescription | undefined>,
  fieldOf: (column: string) => string | undefined,
): string[] {
  const links = Object.values(model.types[name]?.links ?? {})
  return foreignKeys.flatMap(({ columns, to }) => {
    const target = [...placed].find(([, one]) => one?.id === to)?.[0]
    if (target === undefined) return []
    const mine = columns.map((column) => fieldOf(column))
    const isThere = links.some((link) => link.to === target && mine.every((field) => link.by.some(({ from }) => from.path[0] === field)))
    return isThere ? [] : [`${table}: no link of ${name} follows the foreign key ${columns.join(', ')} to ${target}`]
  })
}
