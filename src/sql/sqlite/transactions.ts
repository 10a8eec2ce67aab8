import { type Kysely, sql } from 'kysely'
import type { Transactions } from '../dialect.js'

/** How this database isolates transactions. */
export const transactions: Transactions = Object.freeze({
  isConstraintFailure: (error: unknown): boolean => error instanceof Error && /\bconstraint failed\b/i.test(error.message),
  reading,
})

/** There are no transactions that only read: the connection refuses writes while the work runs. */
function reading<T>(db: Kysely<any>, work: (db: Kysely<any>) => Promise<T>): Promise<T> {
  return db.connection().execute(async (connection) => {
    const { rows } = await sql<{ query_only: number }>`pragma query_only`.execute(connection)
    await sql`pragma query_only = 1`.execute(connection)
    try {
      return await work(connection)
    } finally {
      await sql`pragma query_only = ${sql.lit(rows[0]?.query_only ?? 0)}`.execute(connection)
    }
  })
}
