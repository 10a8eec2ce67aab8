import { sql } from 'kysely'
import type { Scalar } from '../../condition/index.js'
import { type Field, isUnlisted } from '../../rulebook/index.js'
import { isAlone } from '../alone.js'
import type { Catalog } from '../dialect.js'
import type { Fragment } from '../expressions.js'
import { inJson } from '../json-column.js'
import { columnNames, type TablePlace, type WantedIndex } from '../places.js'
import { heldAs, isEnum, isLoose } from './storage-types.js'

/** The tables of this database. */
export const catalog: Catalog = Object.freeze({
  columnType: (field: Field, _holdsKeys?: boolean, as?: string): string =>
    as === undefined || isAlone(as) || isLoose(as) || isEnum(as) ? ownType(field) : as,
  columns:
    (): Fragment => sql`select unnest(case when pg_table_is_visible(c.oid) then array['', n.nspname] else array[n.nspname::text] end) as "schema",
    c.relname as "table", a.attname as "column", format_type(coalesce(nullif(t.typbasetype, 0), t.oid), a.atttypmod) as "type",
    coalesce(e.typtype, b.typtype, t.typtype) as kind, case when l.collname <> 'default' then case when l.collisdeterministic then '' else 'loose text ' end
      || (select quote_ident(m.nspname) from pg_namespace m where m.oid = l.collnamespace) || '.' || quote_ident(l.collname) end as collation,
    c.relkind in ('v', 'm') as view, (select json_agg(g.enumlabel order by g.enumsortorder)::text from pg_enum g where g.enumtypid = coalesce(e.oid, b.oid, t.oid)) as labels
    from pg_attribute a join pg_class c on c.oid = a.attrelid join pg_namespace n on n.oid = c.relnamespace join pg_type t on t.oid = a.atttypid
    left join pg_type e on e.oid = t.typelem and t.typlen = -1 left join pg_type b on b.oid = nullif(t.typbasetype, 0) left join pg_collation l on l.oid = a.attcollation
    where a.attnum > 0 and not a.attisdropped and c.relkind in ('r', 'p', 'v', 'm', 'f') and n.nspname not in ('pg_catalog', 'information_schema')
    order by 1, 2, a.attnum`,
  indexes:
    (): Fragment => sql`select unnest(case when pg_table_is_visible(c.oid) then array['', n.nspname] else array[n.nspname::text] end) as "schema",
    c.relname as "table", a.attname as "column", case when a.attname is null then pg_get_indexdef(i.indexrelid, 1, true) end as expression, (select b.attname from pg_attribute b where b.attrelid = c.oid and b.attnum = i.indkey[1] and i.indnkeyatts > 1) as second, m.amname as method, pg_get_expr(i.indpred, i.indrelid) as partial,
    o.opcname like '%pattern_ops' or l.collname in ('C', 'POSIX') or (l.collname = 'default' and
      exists (select 1 from pg_database d where d.datname = current_database() and d.datcollate in ('C', 'C.UTF-8', 'POSIX') and d.datlocprovider <> 'i')) as starts
    from pg_index i join pg_class c on c.oid = i.indrelid join pg_namespace n on n.oid = c.relnamespace join pg_class x on x.oid = i.indexrelid
    join pg_am m on m.oid = x.relam left join pg_attribute a on a.attrelid = c.oid and a.attnum = i.indkey[0] and a.attnum <> 0
    join pg_opclass o on o.oid = i.indclass[0] left join pg_collation l on l.oid = i.indcollation[0]
    where i.indisvalid and n.nspname not in ('pg_catalog', 'pg_toast')`,
  foreignKeys:
    (): Fragment => sql`select h.schema, c.relname as "table", a.attname as "column", r.schema as "toSchema", d.relname as "toTable", b.attname as "toColumn"
    from pg_constraint f cross join lateral unnest(f.conkey, f.confkey) as k (here, there)
    join pg_class c on c.oid = f.conrelid join pg_namespace n on n.oid = c.relnamespace join pg_attribute a on a.attrelid = c.oid and a.attnum = k.here
    join pg_class d on d.oid = f.confrelid join pg_namespace m on m.oid = d.relnamespace join pg_attribute b on b.attrelid = d.oid and b.attnum = k.there
    cross join lateral unnest(case when pg_table_is_visible(c.oid) then array['', n.nspname] else array[n.nspname::text] end) as h (schema)
    cross join lateral unnest(case when pg_table_is_visible(d.oid) then array['', m.nspname] else array[m.nspname::text] end) as r (schema)
    where f.contype = 'f' order by 1, 2, 3, 4, 5, 6`,
  createIndex(place: TablePlace, fields: readonly string[], of: Field, use: WantedIndex['for']): string {
    const quoted = (one: string) => `"${one.replaceAll('"', '""')}"`
    const [column = '', ...others] = columnNames(place, fields).map(quoted)
    const table = [place.schema, place.name].flatMap((one) => (one === undefined ? [] : [quoted(one)])).join('.')
    const isJson = place.columns[fields[0] ?? '']?.as === undefined && of.list
    if (use === 'equality ignoring case') return `create index on ${table} ((${ignoringCase(column)}));`
    if (use === 'elements') return `create index on ${table} using gin (${column}${isJson ? ' jsonb_path_ops' : ''});`
    return `create index on ${table} (${[column + (use === 'start' ? ' collate "C"' : ''), ...others].join(', ')});`
  },
  ignoringCase: (column: string): string => ignoringCase(`"${column.replaceAll('"', '""')}"`),
  heldAs,
})

function ignoringCase(quoted: string): string {
  return `lower(${quoted} collate "C")`
}

function ownType(field: Field): string {
  if (inJson(field)) return 'jsonb'
  if (isUnlisted(field)) return field.held === 'bytes' ? 'bytea' : 'numeric'
  return field.held === 'day' ? 'date' : COLUMN_TYPES[field.type as Scalar]
}

const COLUMN_TYPES: { readonly [T in Scalar]: string } = {
  text: 'text collate "C"',
  id: 'text collate "C"',
  time: 'timestamptz(3)',
  integer: 'bigint',
  number: 'double precision',
  boolean: 'boolean',
}
