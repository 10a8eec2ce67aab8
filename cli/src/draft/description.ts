// What a database says of its tables: plain data, the same for every database.

/** The kind of values that a column has. */
export type ColumnKind = 'text' | 'integer' | 'number' | 'boolean' | 'time' | 'day' | 'json' | 'bytes' | 'unknown'

/** A column of a table. */
export interface ColumnDescription {
  readonly name: string
  /** Its name in the application's own code, where that is known. */
  readonly field?: string
  /** Its type in the database's notation. */
  readonly written: string
  readonly kind: ColumnKind
  /** It is an array of such values. */
  readonly list?: true
  readonly nullable: boolean
  /** The labels of an enumeration. */
  readonly labels?: readonly string[]
  readonly maxLength?: number
  /** The database always sets it: an identity, a serial number or a generated column. */
  readonly generated?: true
  /** The default as an SQL expression. */
  readonly defaultsTo?: string
}

/** A foreign key. Both lists have the same length. */
export interface ForeignKeyDescription {
  readonly columns: readonly string[]
  /** The `id` of the table that it refers to. */
  readonly to: string
  readonly toColumns: readonly string[]
  readonly onDelete: 'refuse' | 'delete' | 'unlink'
}

/** A table or a view. */
export interface TableDescription {
  /** Schema and name, which no other table has. */
  readonly id: string
  /** Absent if the connection finds the table without it. */
  readonly schema?: string
  readonly name: string
  readonly isView: boolean
  readonly columns: readonly ColumnDescription[]
  readonly key: readonly string[]
  /** The columns of each unique index that has no condition. */
  readonly uniques: readonly (readonly string[])[]
  readonly foreignKeys: readonly ForeignKeyDescription[]
  /** Row-level policies of the database, and grants to roles besides the owner, in its words. */
  readonly rules: readonly string[]
}

/** A row about a column, as the queries of all databases return it. */
export interface ColumnRow extends Omit<ColumnDescription, 'kind' | 'nullable' | 'labels' | 'maxLength' | 'generated' | 'defaultsTo'> {
  readonly schema: string
  readonly table: string
  readonly view: boolean | number
  readonly nullable: boolean | number
  readonly defaultsTo: string | null
  readonly generated: boolean | number
}

/** A row about a constraint. `columns` and `toColumns` are JSON arrays. */
export interface ConstraintRow {
  readonly schema: string
  readonly table: string
  readonly kind: 'key' | 'unique' | 'foreign'
  readonly columns: string | readonly string[]
  readonly toSchema?: string | null
  readonly toTable?: string | null
  readonly toColumns?: string | readonly string[] | null
  readonly onDelete?: string | null
}

/** A row about a policy or a grant. */
export interface RuleRow {
  readonly schema: string
  readonly table: string
  readonly rule: string
}

const namesIn = (list: string | readonly string[]): readonly string[] => (typeof list === 'string' ? (JSON.parse(list) as string[]) : list)

/** The tables, from what the queries of a database returned. */
export function tablesOf(
  found: { readonly columns: readonly ColumnRow[]; readonly constraints: readonly ConstraintRow[]; readonly rules: readonly RuleRow[] },
  home: string,
  column: (row: ColumnRow) => ColumnDescription,
): TableDescription[] {
  const idOf = (schema: string, table: string) => `${schema}.${table}`
  const byTable = new Map<string, ColumnRow[]>()
  for (const row of found.columns) {
    const id = idOf(row.schema, row.table)
    byTable.set(id, [...(byTable.get(id) ?? []), row])
  }
  return [...byTable].map(([id, rows]) => {
    const [{ schema, table, view }] = rows as [ColumnRow]
    const own = found.constraints.filter((one) => idOf(one.schema, one.table) === id)
    const columnsOf = (kind: ConstraintRow['kind']) => own.filter((one) => one.kind === kind).map(({ columns }) => namesIn(columns))
    return {
      id,
      ...(schema === home ? {} : { schema }),
      name: table,
      isView: Boolean(Number(view)),
      columns: rows.map(column),
      key: columnsOf('key')[0] ?? [],
      uniques: columnsOf('unique'),
      foreignKeys: own
        .filter((one) => one.kind === 'foreign')
        .map((one) => ({
          columns: namesIn(one.columns),
          to: idOf(one.toSchema ?? '', one.toTable ?? ''),
          toColumns: namesIn(one.toColumns ?? []),
          onDelete: onDeleteOf(one.onDelete ?? ''),
        })),
      rules: found.rules.filter((one) => idOf(one.schema, one.table) === id).map(({ rule }) => rule),
    }
  })
}

function onDeleteOf(action: string): ForeignKeyDescription['onDelete'] {
  if (/^(c|cascade)$/i.test(action)) return 'delete'
  return /^(n|set null)$/i.test(action) ? 'unlink' : 'refuse'
}
