import { type Dialect as KyselyDialect, PostgresDialect } from 'kysely'

/** The part of a PGlite database that is used here. */
export interface PgliteDatabase {
  query(sql: string, parameters?: unknown[]): Promise<{ readonly rows: unknown[]; readonly affectedRows?: number | undefined }>
  close(): Promise<void>
}

const WRITES = /^\s*(insert|update|delete)\b/i

/**
 * A Kysely dialect for PGlite: PostgreSQL compiled to WebAssembly, in this process. It has one session, so a transaction blocks all others
 * until it ends.
 * @example
 * const db = new Kysely<any>({ dialect: pgliteDialect(new PGlite()) })
 */
export function pgliteDialect(database: PgliteDatabase): KyselyDialect {
  let last: Promise<void> = Promise.resolve()
  const pool = {
    async connect() {
      const before = last
      let release = () => {}
      last = new Promise((resolve) => {
        release = resolve
      })
      await before
      return {
        async query(text: string, parameters: readonly unknown[]) {
          const { rows, affectedRows = 0 } = await database.query(text, [...parameters])
          const [, command = 'SELECT'] = WRITES.exec(text) ?? []
          return { command: command.toUpperCase(), rowCount: affectedRows, rows }
        },
        release,
      }
    },
    end: () => database.close(),
  }
  return new PostgresDialect({ pool: pool as never })
}
