// Tables and columns of a draft, as queries name them.
import { sql } from 'kysely'
import type { TableDescription } from './description.js'
import type { DraftType } from './draft.js'

export function tableOf({ name, schema }: TableDescription) {
  return schema === undefined ? sql.id(name) : sql.id(schema, name)
}

export function columnOf({ table: { name, schema }, fields }: DraftType, field: string) {
  const found = fields.find((one) => one.name === field)?.column.name as string
  return schema === undefined ? sql.id(name, found) : sql.id(schema, name, found)
}
