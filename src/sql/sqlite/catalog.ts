import { sql } from 'kysely'
import type { Scalar } from '../../condition/index.js'
import { type Field, isUnlisted } from '../../rulebook/index.js'
import { aloneAs } from '../alone.js'
import type { Catalog } from '../dialect.js'
import type { Fragment } from '../expressions.js'
import { inJson } from '../json-column.js'
import { columnNames, type FoundColumn, type TablePlace, type WantedIndex } from '../places.js'
import { DAY } from './expressions.js'

/** The tables of this database. */
export const catalog: Catalog = Object.freeze({
  columnType(field: Field): string {
    if (inJson(field)) return 'text'
    if (isUnlisted(field)) return field.held === 'bytes' ? 'blob' : 'text'
    return COLUMN_TYPES[field.type as Scalar]
  },
  columns: (): Fragment =>
    sql`select '' as "schema", m.name as "table", c.name as "column", c.type as "type", m.type = 'view' as view from sqlite_master m, pragma_table_xinfo(m.name) c where m.type in ('table', 'view') and c.hidden <> 1 order by m.name, c.cid`,
  indexes: (): Fragment =>
    sql`select '' as "schema", m.name as "table", i.name as "column", case when i.name is null then (select s.sql from sqlite_master s where s.type = 'index' and s.name = l.name) end as expression, 'btree' as method, (select j.name from pragma_index_info(l.name) j where j.seqno = 1) as second,
        case when l.partial then (select s.sql from sqlite_master s where s.type = 'index' and s.name = l.name) end as partial
      from sqlite_master m, pragma_index_list(m.name) l, pragma_index_info(l.name) i where m.type = 'table' and i.seqno = 0`,
  foreignKeys: (): Fragment =>
    sql`select '' as "schema", m.name as "table", f."from" as "column", '' as "toSchema", f."table" as "toTable",
        coalesce(f."to", (select i.name from pragma_table_info(f."table") i where i.pk = f.seq + 1)) as "toColumn"
      from sqlite_master m, pragma_foreign_key_list(m.name) f where m.type = 'table' order by 2, 3, 5, 6`,
  createIndex(place: TablePlace, fields: readonly string[], _of: Field, use: WantedIndex['for']): string | undefined {
    // There are no indexes on the elements of JSON lists.
    if (use === 'elements') return undefined
    const all = columnNames(place, fields)
    const quoted = (one: string) => `"${one.replaceAll('"', '""')}"`
    if (use === 'equality ignoring case')
      return `create index ${quoted([place.name, ...all, 'lower'].join('_'))} on ${quoted(place.name)} (lower(${quoted(all[0] as string)}));`
    return `create index ${quoted([place.name, ...all].join('_'))} on ${quoted(place.name)} (${all.map(quoted).join(', ')});`
  },
  ignoringCase: (column: string): string => `lower("${column.replaceAll('"', '""')}")`,
  // In SQLite, the type of a column does not restrict its values.
  heldAs(column: FoundColumn, field: Field): string | null | undefined {
    if (field.held === 'day' && !inJson(field)) return DAY
    if (isUnlisted(field)) return aloneAs(field)
    return column.type.toLowerCase() === 'blob' && !inJson(field) ? null : undefined
  },
})

const COLUMN_TYPES: { readonly [T in Scalar]: string } = {
  text: 'text',
  id: 'text',
  time: 'text',
  integer: 'integer',
  number: 'real',
  boolean: 'integer',
}
