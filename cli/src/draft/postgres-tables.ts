import { type Kysely, sql } from 'kysely'
import {
  type ColumnDescription,
  type ColumnKind,
  type ColumnRow,
  type ConstraintRow,
  type RuleRow,
  type TableDescription,
  tablesOf,
} from './description.js'

interface PostgresColumn extends ColumnRow {
  readonly labels: readonly string[] | null
}

const KINDS: readonly (readonly [RegExp, ColumnKind])[] = [
  [/^(text|character varying|citext|uuid|character|bpchar)\b/, 'text'],
  [/^(bigint|integer|smallint)$/, 'integer'],
  [/^(numeric|double precision|real)\b/, 'number'],
  [/^boolean$/, 'boolean'],
  [/^timestamp\b/, 'time'],
  [/^date$/, 'day'],
  [/^jsonb$/, 'json'],
  [/^bytea$/, 'bytes'],
]

/** Reads the tables of a PostgreSQL database: those of all schemas but its own. */
export async function postgresTables(db: Kysely<any>): Promise<TableDescription[]> {
  const { rows: columns } = await sql<PostgresColumn>`
    select n.nspname as schema, c.relname as "table", a.attname as name, c.relkind in ('v', 'm') as view,
      format_type(coalesce(nullif(t.typbasetype, 0), t.oid), case when t.typbasetype = 0 then a.atttypmod else t.typtypmod end) as written,
      not (a.attnotnull or t.typnotnull) as nullable, case when a.attgenerated = '' then pg_get_expr(d.adbin, d.adrelid) end as "defaultsTo",
      a.attidentity <> '' or a.attgenerated <> '' as generated,
      (select json_agg(l.enumlabel order by l.enumsortorder) from pg_enum l where l.enumtypid in (t.oid, t.typbasetype, t.typelem)) as labels
    from pg_attribute a join pg_class c on c.oid = a.attrelid join pg_namespace n on n.oid = c.relnamespace join pg_type t on t.oid = a.atttypid
      left join pg_attrdef d on d.adrelid = a.attrelid and d.adnum = a.attnum
    where a.attnum > 0 and not a.attisdropped and c.relkind in ('r', 'p', 'v', 'm', 'f') and not c.relispartition
      and n.nspname !~ '^pg_' and n.nspname <> 'information_schema'
      and not exists (select from pg_depend e where e.classid = 'pg_class'::regclass and e.objid = c.oid and e.deptype = 'e')
    order by n.nspname, c.relname, a.attnum`.execute(db)
  const { rows: constraints } = await sql<ConstraintRow>`
    select n.nspname as schema, c.relname as "table", case f.contype when 'p' then 'key' when 'u' then 'unique' else 'foreign' end as kind,
      (select json_agg(a.attname order by k.at) from unnest(f.conkey) with ordinality k (number, at)
        join pg_attribute a on a.attrelid = f.conrelid and a.attnum = k.number) as columns,
      m.nspname as "toSchema", r.relname as "toTable",
      (select json_agg(a.attname order by k.at) from unnest(f.confkey) with ordinality k (number, at)
        join pg_attribute a on a.attrelid = f.confrelid and a.attnum = k.number) as "toColumns",
      f.confdeltype as "onDelete"
    from pg_constraint f join pg_class c on c.oid = f.conrelid join pg_namespace n on n.oid = c.relnamespace
      left join pg_class r on r.oid = f.confrelid left join pg_namespace m on m.oid = r.relnamespace
    where f.contype in ('p', 'u', 'f') and f.conparentid = 0
    union all
    select n.nspname, c.relname, 'unique', (select json_agg(a.attname order by k.at) from unnest(i.indkey) with ordinality k (number, at)
        join pg_attribute a on a.attrelid = c.oid and a.attnum = k.number), null, null, null, null
    from pg_index i join pg_class c on c.oid = i.indrelid join pg_namespace n on n.oid = c.relnamespace
    where i.indisunique and not i.indisprimary and i.indpred is null and i.indexprs is null and n.nspname !~ '^pg_'
      and not exists (select from pg_constraint f where f.conindid = i.indexrelid)`.execute(db)
  const { rows: rules } = await sql<RuleRow>`
    select schemaname as schema, tablename as "table",
      'policy ' || policyname || ' for ' || lower(cmd) || coalesce(': ' || qual, '') || coalesce(', new rows: ' || with_check, '') as rule
    from pg_policies
    union all
    select table_schema, table_name, 'granted to ' || grantee || ': ' || string_agg(lower(privilege_type), ', ' order by privilege_type)
    from information_schema.role_table_grants where grantee <> grantor and table_schema !~ '^pg_' and table_schema <> 'information_schema'
    group by table_schema, table_name, grantee`.execute(db)
  const home = (await sql<{ name: string | null }>`select current_schema() as name`.execute(db)).rows[0]?.name ?? 'public'
  return tablesOf({ columns, constraints, rules }, home, (row) => columnOf(row as PostgresColumn))
}

/** A column as a draft describes it. */
export function columnOf({ name, written, nullable, labels, defaultsTo, generated }: PostgresColumn): ColumnDescription {
  const isList = written.endsWith('[]')
  const single = isList ? written.slice(0, -2) : written
  const kind = labels === null ? (KINDS.find(([form]) => form.test(single))?.[1] ?? 'unknown') : 'text'
  const length = /^(?:character varying|character)\((\d+)\)/.exec(single)?.[1]
  const isSerial = defaultsTo !== null && /^nextval\(/.test(defaultsTo)
  return {
    name,
    written,
    kind,
    nullable: Boolean(nullable),
    ...(isList ? { list: true } : {}),
    ...(labels === null ? {} : { labels }),
    ...(length === undefined ? {} : { maxLength: Number(length) }),
    ...(generated || isSerial ? { generated: true } : {}),
    ...(defaultsTo === null || isSerial ? {} : { defaultsTo }),
  }
}
