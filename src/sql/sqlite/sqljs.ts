import { type Dialect as KyselyDialect, SqliteDialect } from 'kysely'

/** The part of a sql.js database that is used here. */
export interface SqlJsDatabase {
  prepare(sql: string): SqlJsStatement
  getRowsModified(): number
  exec(sql: string): { readonly values: readonly (readonly unknown[])[] }[]
  close(): void
}

interface SqlJsStatement {
  bind(values: never): boolean
  step(): boolean
  getAsObject(): Record<string, unknown>
  getColumnNames(): string[]
  free(): boolean
}

/**
 * A Kysely dialect for sql.js: SQLite compiled to WebAssembly, without a native build.
 * @example
 * const SQL = await initSqlJs()
 * const db = new Kysely<any>({ dialect: sqlJsDialect(new SQL.Database()) })
 */
export function sqlJsDialect(database: SqlJsDatabase): KyselyDialect {
  return new SqliteDialect({
    database: {
      close: () => database.close(),
      prepare(text) {
        const statement = database.prepare(text)
        const rows = (parameters: readonly unknown[]) => run(statement, parameters)
        return {
          reader: statement.getColumnNames().length > 0,
          all: rows,
          *iterate(parameters) {
            yield* rows(parameters)
          },
          run(parameters) {
            rows(parameters)
            const inserted = database.exec('select last_insert_rowid()')[0]?.values[0]?.[0]
            return { changes: database.getRowsModified(), lastInsertRowid: Number(inserted) }
          },
        }
      },
    },
  })
}

/** Runs a statement to its end and frees it: Kysely prepares a new one for each query. */
function run(statement: SqlJsStatement, parameters: readonly unknown[]): Record<string, unknown>[] {
  try {
    statement.bind(parameters as never)
    const rows: Record<string, unknown>[] = []
    while (statement.step()) rows.push(statement.getAsObject())
    return rows
  } finally {
    statement.free()
  }
}
