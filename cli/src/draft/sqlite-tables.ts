import { type Kysely, sql } from 'kysely'
import {
  type ColumnDescription,
  type ColumnKind,
  type ColumnRow,
  type ConstraintRow,
  type TableDescription,
  tablesOf,
} from './description.js'

interface SqliteColumn extends ColumnRow {
  readonly key: number
  readonly hidden: number
}

const KINDS: readonly (readonly [RegExp, ColumnKind])[] = [
  [/^bool/, 'boolean'],
  [/int/, 'integer'],
  [/^date$/, 'day'],
  [/json/, 'json'],
  [/char|clob|text|uuid|date|time/, 'text'],
  [/blob/, 'bytes'],
  [/real|floa|doub|num|dec/, 'number'],
]

// Times have to be in this form, which sorts as the times do. Others stay text.
const TIME = /^(datetime|timestamp)/

/** Reads the tables of a SQLite database. Its types are declarations only, so times are recognised by what is in the columns. */
export async function sqliteTables(db: Kysely<any>): Promise<TableDescription[]> {
  const { rows: columns } = await sql<SqliteColumn>`
    select '' as "schema", m.name as "table", c.name as name, lower(c.type) as written, c."notnull" = 0 and c.pk = 0 as nullable,
      c.dflt_value as "defaultsTo", m.type = 'view' as view, c.hidden in (2, 3) as generated, c.pk as "key", c.hidden as hidden
    from sqlite_master m, pragma_table_xinfo(m.name) c where m.type in ('table', 'view') and m.name not like 'sqlite\\_%' escape '\\' and c.hidden <> 1
    order by m.name, c.cid`.execute(db)
  const { rows: uniques } = await sql<ConstraintRow>`
    select '' as "schema", m.name as "table", 'unique' as kind,
      (select json_group_array(i.name) from (select name from pragma_index_info(l.name) order by seqno) i) as columns
    from sqlite_master m, pragma_index_list(m.name) l where m.type = 'table' and l."unique" and not l.partial and l.origin <> 'pk'`.execute(
    db,
  )
  const { rows: foreign } = await sql<ConstraintRow>`
    select '' as "schema", m.name as "table", 'foreign' as kind, json_group_array(f."from") as columns, '' as "toSchema", f."table" as "toTable",
      json_group_array(coalesce(f."to", (select i.name from pragma_table_info(f."table") i where i.pk = f.seq + 1))) as "toColumns", f.on_delete as "onDelete"
    from sqlite_master m, pragma_foreign_key_list(m.name) f where m.type = 'table' group by m.name, f.id`.execute(db)
  const keys = new Map<string, SqliteColumn[]>()
  for (const row of columns) if (row.key > 0) keys.set(row.table, [...(keys.get(row.table) ?? []), row])
  const primary = [...keys].map(([table, parts]) => ({
    schema: '',
    table,
    kind: 'key' as const,
    columns: [...parts].sort((a, b) => a.key - b.key).map(({ name }) => name),
  }))
  // The row number is given by the database.
  const isRowId = (row: ColumnRow) => row.written === 'integer' && keys.get(row.table)?.length === 1 && (row as SqliteColumn).key === 1
  const usable = uniques.filter(({ columns: names }) => !String(names).includes('null'))
  const times = new Set<ColumnRow>()
  for (const row of columns) if (TIME.test(row.written) && row.defaultsTo === null && (await areTimes(db, row))) times.add(row)
  return tablesOf({ columns, constraints: [...primary, ...usable, ...foreign], rules: [] }, '', (row) =>
    columnOf(row as SqliteColumn, isRowId(row), times.has(row)),
  )
}

/** Whether all values of a column are times as RFC 3339 text in UTC. */
async function areTimes(db: Kysely<any>, { table, name }: ColumnRow): Promise<boolean> {
  const { rows } = await sql<{ odd: number }>`select exists (select 1 from ${sql.id(table)}
    where ${sql.id(name)} is not null and ${sql.id(name)} not glob '[0-9][0-9][0-9][0-9]-[0-9][0-9]-[0-9][0-9]T[0-9][0-9]:[0-9][0-9]:*Z') as odd`.execute(
    db,
  )
  return Number(rows[0]?.odd) === 0
}

/** A column as a draft describes it. */
export function columnOf(
  { name, written, nullable, defaultsTo, generated }: SqliteColumn,
  isRowId: boolean,
  isTime: boolean,
): ColumnDescription {
  const kind = isTime ? 'time' : written === '' ? 'unknown' : (KINDS.find(([form]) => form.test(written))?.[1] ?? 'unknown')
  const length = /char\w*\s*\((\d+)\)/.exec(written)?.[1]
  return {
    name,
    written: written || 'without a type',
    kind,
    nullable: Boolean(nullable),
    ...(length === undefined ? {} : { maxLength: Number(length) }),
    ...(generated || isRowId ? { generated: true } : {}),
    ...(defaultsTo === null ? {} : { defaultsTo }),
  }
}
