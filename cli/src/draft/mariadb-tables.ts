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

interface MariadbColumn extends ColumnRow {
  readonly json: number
  readonly maxLength: number | null
}

const KINDS: readonly (readonly [RegExp, ColumnKind])[] = [
  [/^tinyint\(1\)/, 'boolean'],
  [/^(tiny|small|medium|big)?int\b/, 'integer'],
  [/^(decimal|double|float)\b/, 'number'],
  [/^(datetime|timestamp)\b/, 'time'],
  [/^date$/, 'day'],
  [/^((tiny|medium|long)?blob|(var)?binary)\b/, 'bytes'],
  [/^(char|varchar|(tiny|medium|long)?text|uuid|enum)\b/, 'text'],
]

/** Reads the tables of the database that the connection uses. */
export async function mariadbTables(db: Kysely<any>): Promise<TableDescription[]> {
  const { rows: columns } = await sql<MariadbColumn>`
    select c.table_schema as \`schema\`, c.table_name as \`table\`, c.column_name as name, lower(c.column_type) as written,
      c.is_nullable = 'YES' as nullable, c.column_default as defaultsTo, t.table_type like '%VIEW%' as view,
      c.extra like '%auto_increment%' or c.extra like '%GENERATED%' as generated, c.character_maximum_length as maxLength,
      exists (select 1 from information_schema.check_constraints k where k.constraint_schema = c.table_schema and k.table_name = c.table_name
        and k.check_clause like concat('json\\_valid(\`', c.column_name, '\`)')) as json
    from information_schema.columns c join information_schema.tables t on t.table_schema = c.table_schema and t.table_name = c.table_name
    where c.table_schema = database() order by c.table_name, c.ordinal_position`.execute(db)
  const { rows: constraints } = await sql<ConstraintRow>`
    select k.table_schema as \`schema\`, k.table_name as \`table\`,
      case c.constraint_type when 'PRIMARY KEY' then 'key' when 'UNIQUE' then 'unique' else 'foreign' end as kind,
      json_arrayagg(k.column_name order by k.ordinal_position) as columns, max(k.referenced_table_schema) as toSchema,
      max(k.referenced_table_name) as toTable, json_arrayagg(k.referenced_column_name order by k.ordinal_position) as toColumns,
      max(r.delete_rule) as onDelete
    from information_schema.key_column_usage k join information_schema.table_constraints c
      on c.constraint_schema = k.constraint_schema and c.table_name = k.table_name and c.constraint_name = k.constraint_name
      left join information_schema.referential_constraints r
      on r.constraint_schema = k.constraint_schema and r.table_name = k.table_name and r.constraint_name = k.constraint_name
    where k.table_schema = database() and c.constraint_type in ('PRIMARY KEY', 'UNIQUE', 'FOREIGN KEY')
    group by k.table_schema, k.table_name, k.constraint_name, c.constraint_type`.execute(db)
  const { rows: rules } = await sql<RuleRow>`
    select table_schema as \`schema\`, table_name as \`table\`,
      concat('granted to ', grantee, ': ', lower(group_concat(privilege_type order by privilege_type separator ', '))) as rule
    from information_schema.table_privileges where table_schema = database() group by table_schema, table_name, grantee`.execute(db)
  const home = (await sql<{ name: string }>`select database() as name`.execute(db)).rows[0]?.name ?? ''
  return tablesOf({ columns, constraints, rules }, home, (row) => columnOf(row as MariadbColumn))
}

/** A column as a draft describes it. */
export function columnOf({ name, written, nullable, defaultsTo, generated, json, maxLength }: MariadbColumn): ColumnDescription {
  const kind: ColumnKind = Number(json) ? 'json' : (KINDS.find(([form]) => form.test(written))?.[1] ?? 'unknown')
  // Labels are quoted, and a quote within one is doubled.
  const labels = written.startsWith('enum(')
    ? [...written.matchAll(/'((?:[^']|'')*)'/g)].map(([, label = '']) => label.replaceAll("''", "'"))
    : undefined
  const isShort = kind === 'text' && /^(var)?char\b/.test(written)
  return {
    name,
    written,
    kind,
    nullable: Boolean(Number(nullable)),
    ...(labels === undefined ? {} : { labels }),
    ...(isShort && maxLength !== null ? { maxLength: Number(maxLength) } : {}),
    ...(Number(generated) ? { generated: true } : {}),
    ...(defaultsTo === null || defaultsTo === 'NULL' ? {} : { defaultsTo }),
  }
}
