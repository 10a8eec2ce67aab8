import { sql } from 'kysely'
import type { Scalar } from '../../condition/index.js'
import { type Field, isUnlisted } from '../../rulebook/index.js'
import type { Catalog } from '../dialect.js'
import type { Fragment } from '../expressions.js'
import { inJson } from '../json-column.js'
import { columnNames, type TablePlace, type WantedIndex } from '../places.js'
import { heldAs } from './storage-types.js'

/** The tables of this database. */
export const catalog: Catalog = Object.freeze({
  columnType(field: Field, holdsKeys = false, as?: string): string {
    if (as === 'uuid' || as === 'timestamp' || as === 'datetime') return as === 'uuid' ? as : `${as}(6)`
    if (inJson(field)) return 'json'
    if (isUnlisted(field)) return field.held === 'bytes' ? 'longblob' : 'decimal(65,0)'
    if (field.held === 'day') return 'date'
    if (field.type === 'text' && !holdsKeys) return `longtext ${EXACTLY}`
    return COLUMN_TYPES[field.type as Scalar]
  },
  columns: (): Fragment =>
    sql`select if(s.named, table_schema, '') as \`schema\`, table_name as \`table\`, column_name as \`column\`, column_type as \`type\`, collation_name as collation,
        exists (select 1 from information_schema.views v where v.table_schema = c.table_schema and v.table_name = c.table_name) as view
      from information_schema.columns as c, (select 0 as named union all select 1) as s
      where c.table_schema not in ('information_schema', 'mysql', 'performance_schema', 'sys') and (s.named or c.table_schema = database())
      order by 1, 2, ordinal_position`,
  indexes: (): Fragment =>
    sql`select if(s.named, table_schema, '') as \`schema\`, table_name as \`table\`, column_name as \`column\`, lower(index_type) as method,
        (select n.column_name from information_schema.statistics n where n.table_schema = i.table_schema and n.table_name = i.table_name
          and n.index_name = i.index_name and n.seq_in_index = 2) as second
      from information_schema.statistics i, (select 0 as named union all select 1) as s
      where seq_in_index = 1 and table_schema not in ('information_schema', 'mysql', 'performance_schema', 'sys') and (s.named or table_schema = database())`,
  foreignKeys: (): Fragment =>
    sql`select if(s.named, k.table_schema, '') as \`schema\`, k.table_name as \`table\`, k.column_name as \`column\`,
        if(r.named, k.referenced_table_schema, '') as toSchema, k.referenced_table_name as toTable, k.referenced_column_name as toColumn
      from information_schema.key_column_usage as k, (select 0 as named union all select 1) as s, (select 0 as named union all select 1) as r
      where k.referenced_table_name is not null and (s.named or k.table_schema = database()) and (r.named or k.referenced_table_schema = database())
      order by 1, 2, 3, 4, 5, 6`,
  createIndex(place: TablePlace, fields: readonly string[], _of: Field, use: WantedIndex['for']): string | undefined {
    // There are no indexes on the elements of JSON lists.
    if (use === 'elements') return undefined
    const columns = columnNames(place, fields)
    const quoted = (one: string) => `\`${one.replaceAll('`', '``')}\``
    const table = [place.schema, place.name].flatMap((one) => (one === undefined ? [] : [quoted(one)])).join('.')
    const [first = '', ...others] = columns.map(quoted)
    const named = quoted([place.name, ...columns].join('_').slice(0, 64))
    return `create index ${named} on ${table} (${[first + (use === 'start' ? `(${START})` : ''), ...others].join(', ')});`
  },
  heldAs,
})

// Long texts can only be indexed by their start.
const START = 32

const EXACTLY = 'character set utf8mb4 collate utf8mb4_nopad_bin'

const COLUMN_TYPES: { readonly [T in Scalar]: string } = {
  text: `varchar(255) ${EXACTLY}`,
  id: `varchar(255) ${EXACTLY}`,
  time: 'datetime(3)',
  integer: 'bigint',
  number: 'double',
  boolean: 'boolean',
}
