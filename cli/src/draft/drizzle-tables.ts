// The tables of a Drizzle schema. They are plain objects, which the functions of the project's own Drizzle describe.
import { existsSync } from 'node:fs'
import { resolve } from 'node:path'
import { createJiti, type Jiti } from 'jiti'
import { UsageError } from '../errors.js'
import type { ColumnDescription, ForeignKeyDescription, TableDescription } from './description.js'
import { columnOf as mariadbColumn } from './mariadb-tables.js'
import { columnOf as postgresColumn } from './postgres-tables.js'
import { columnOf as sqliteColumn } from './sqlite-tables.js'

interface Column {
  readonly name: string
  readonly primary: boolean
  readonly notNull: boolean
  readonly isUnique: boolean
  readonly default?: unknown
  readonly enumValues?: readonly string[]
  readonly dataType: string
  readonly autoIncrement?: boolean
  readonly generated?: unknown
  readonly generatedIdentity?: unknown
  readonly length?: number
  readonly table: object
  getSQLType(): string
}

/** What Drizzle's `getTableConfig` returns. */
interface TableConfig {
  readonly name: string
  readonly schema?: string
  readonly columns: readonly Column[]
  readonly primaryKeys: readonly { readonly columns: readonly Column[] }[]
  readonly uniqueConstraints: readonly { readonly columns: readonly Column[] }[]
  readonly indexes: readonly {
    readonly config: { readonly unique?: boolean; readonly where?: unknown; readonly columns: readonly { readonly name?: string }[] }
  }[]
  readonly foreignKeys: readonly {
    readonly onDelete?: string
    reference(): { readonly columns: readonly Column[]; readonly foreignColumns: readonly Column[] }
  }[]
  readonly policies?: readonly { readonly name: string; readonly for?: string }[]
}

type Kind = 'PgTable' | 'MySqlTable' | 'SQLiteTable'

const CORE: { readonly [K in Kind]: string } = {
  PgTable: 'drizzle-orm/pg-core',
  MySqlTable: 'drizzle-orm/mysql-core',
  SQLiteTable: 'drizzle-orm/sqlite-core',
}
const KIND = Symbol.for('drizzle:entityKind')
const COLUMNS = Symbol.for('drizzle:Columns')

/** Reads the tables that a file of Drizzle exports. @throws UsageError */
export async function drizzleTables(named: string): Promise<TableDescription[]> {
  const file = resolve(named)
  if (!existsSync(file)) throw new UsageError(`--from ${named}: the file does not exist`)
  const jiti = createJiti(file, { interopDefault: true })
  const exported = await loaded(jiti, file, named)
  const tables = [...new Set(Object.values(exported))].filter((one): one is object => kindOf(one) !== undefined)
  if (tables.length === 0) throw new UsageError(`--from ${named}: the file exports no table of Drizzle`)
  const configs = new Map<object, TableConfig>()
  for (const table of tables) configs.set(table, await configOf(jiti, table, named))
  return tables.map((table) => tableOf(table, configs))
}

async function loaded(jiti: Jiti, file: string, named: string): Promise<object> {
  try {
    return (await jiti.import(file)) as object
  } catch (error) {
    throw new UsageError(`--from ${named}: the file could not be loaded: ${error instanceof Error ? error.message : String(error)}`)
  }
}

function kindOf(value: unknown): Kind | undefined {
  if (typeof value !== 'object' || value === null) return undefined
  const kind = (value.constructor as { [KIND]?: string } | undefined)?.[KIND]
  return kind !== undefined && Object.hasOwn(CORE, kind) ? (kind as Kind) : undefined
}

async function configOf(jiti: Jiti, table: object, named: string): Promise<TableConfig> {
  const core = CORE[kindOf(table) as Kind]
  try {
    return ((await jiti.import(core)) as { getTableConfig(table: object): TableConfig }).getTableConfig(table)
  } catch (error) {
    throw new UsageError(`--from ${named}: ${core} cannot describe a table: ${error instanceof Error ? error.message : String(error)}`)
  }
}

const idOf = ({ schema = '', name }: TableConfig) => `${schema}.${name}`
const namesOf = (columns: readonly Column[]) => columns.map(({ name }) => name)

function tableOf(table: object, configs: ReadonlyMap<object, TableConfig>): TableDescription {
  const config = configs.get(table) as TableConfig
  const { name, schema, columns, primaryKeys, uniqueConstraints, indexes, foreignKeys, policies = [] } = config
  const kind = kindOf(table) as Kind
  const fields = new Map(Object.entries((table as { [COLUMNS]?: object })[COLUMNS] ?? {}).map(([field, column]) => [column, field]))
  const key = primaryKeys[0] === undefined ? namesOf(columns.filter(({ primary }) => primary)) : namesOf(primaryKeys[0].columns)
  const whole = indexes.filter(
    ({ config: { unique, where, columns: of } }) => unique && !where && of.every((one) => one.name !== undefined),
  )
  return {
    id: idOf(config),
    ...(schema === undefined ? {} : { schema }),
    name,
    isView: false,
    columns: columns.map((column) => ({ ...described(kind, column, key), field: fields.get(column) ?? column.name })),
    key,
    uniques: [
      ...columns.filter(({ isUnique }) => isUnique).map((column) => [column.name]),
      ...uniqueConstraints.map((one) => namesOf(one.columns)),
      ...whole.map((one) => one.config.columns.map((column) => column.name as string)),
    ],
    foreignKeys: foreignKeys.flatMap((one) => foreignKeyOf(one, configs)),
    rules: policies.map((policy) => `policy ${policy.name} for ${policy.for ?? 'all'}`),
  }
}

function foreignKeyOf(key: TableConfig['foreignKeys'][number], configs: ReadonlyMap<object, TableConfig>): ForeignKeyDescription[] {
  const { columns, foreignColumns } = key.reference()
  // A table that the file does not export has no record type.
  const to = configs.get(foreignColumns[0]?.table as object)
  if (to === undefined) return []
  const onDelete = key.onDelete === 'cascade' ? 'delete' : key.onDelete === 'set null' ? 'unlink' : 'refuse'
  return [{ columns: namesOf(columns), to: idOf(to), toColumns: namesOf(foreignColumns), onDelete }]
}

/** A column in the words of its database, of which the draft knows what values they have. */
function described(kind: Kind, column: Column, key: readonly string[]): ColumnDescription {
  const written = column.getSQLType().toLowerCase()
  const common = {
    schema: '',
    table: '',
    view: false,
    name: column.name,
    nullable: !column.notNull && !key.includes(column.name),
    defaultsTo: defaultOf(column.default) ?? null,
    generated: column.generated !== undefined || column.generatedIdentity !== undefined || column.autoIncrement === true,
  }
  if (kind === 'PgTable') {
    const serial = /^(big|small)?serial$/.exec(written)
    const type = serial ? `${serial[1] ?? ''}int`.replace(/^int$/, 'integer') : written
    const name = type.replace(/^varchar/, 'character varying').replace(/^char\b/, 'character')
    return postgresColumn({
      ...common,
      written: name,
      generated: common.generated || serial !== null,
      labels: column.enumValues?.length ? column.enumValues : null,
    })
  }
  if (kind === 'MySqlTable') {
    const isSerial = written === 'serial'
    const type = isSerial
      ? 'bigint'
      : written === 'boolean'
        ? 'tinyint(1)'
        : column.getSQLType().replace(/^\w+/, (word) => word.toLowerCase())
    const isJson = column.dataType === 'json'
    return mariadbColumn({
      ...common,
      written: type,
      generated: common.generated || isSerial,
      json: isJson ? 1 : 0,
      maxLength: column.length ?? null,
    })
  }
  const isRowId = written === 'integer' && key.length === 1 && key[0] === column.name
  const type = column.dataType === 'boolean' ? 'boolean' : column.dataType === 'json' ? 'json' : written
  return sqliteColumn({ ...common, written: type, key: 0, hidden: 0 }, isRowId, false)
}

/** A default in SQL; undefined if there is none, or if the application sets it. */
function defaultOf(value: unknown): string | undefined {
  if (value === undefined || value === null) return undefined
  if (typeof value === 'string') return `'${value.replaceAll("'", "''")}'`
  if (typeof value === 'number' || typeof value === 'boolean' || typeof value === 'bigint') return String(value)
  const { queryChunks } = value as { readonly queryChunks?: readonly { readonly value?: readonly string[] }[] }
  if (queryChunks === undefined) return JSON.stringify(value)
  return queryChunks.map((chunk) => (Array.isArray(chunk.value) ? chunk.value.join('') : '?')).join('')
}
