import { type Kysely, sql } from 'kysely'
import type { ColumnDescription, TableDescription } from './description.js'
import { tableOf } from './sql-names.js'
import { orElse, type Unread } from './unread.js'

// Values that are looked at in each column.
const LOOKED_AT = 50

/** The tables, with JSON columns that hold lists of texts or of numbers as such. What the others hold is left open. */
export async function withJsonLists(db: Kysely<any>, tables: readonly TableDescription[], unread: Unread): Promise<TableDescription[]> {
  const found: TableDescription[] = []
  for (const table of tables) {
    const columns: ColumnDescription[] = []
    for (const column of table.columns)
      columns.push(column.kind === 'json' && !column.list ? await orElse(() => look(db, table, column), column, unread) : column)
    found.push({ ...table, columns })
  }
  return found
}

async function look(db: Kysely<any>, table: TableDescription, column: ColumnDescription): Promise<ColumnDescription> {
  const { rows } = await sql<{ value: unknown }>`select ${sql.id(column.name)} as value from ${tableOf(table)}
    where ${sql.id(column.name)} is not null limit ${sql.lit(LOOKED_AT)}`.execute(db)
  const lists = rows.map(({ value }) => parsed(value))
  const elements = lists.flat()
  if (elements.length === 0 || !lists.every(Array.isArray)) return column
  if (elements.every((one) => typeof one === 'string')) return { ...column, kind: 'text', list: true }
  return elements.every(Number.isSafeInteger) ? { ...column, kind: 'integer', list: true } : column
}

// Some drivers parse JSON themselves.
export function parsed(value: unknown): unknown {
  if (typeof value !== 'string') return value
  try {
    return JSON.parse(value)
  } catch {
    return undefined
  }
}
