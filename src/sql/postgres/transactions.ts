import { type Kysely, sql } from 'kysely'
import type { Transactions } from '../dialect.js'
import type { Fragment } from '../expressions.js'
import { inReadOnlyTransaction } from '../read-only.js'

/** How this database isolates transactions. */
export const transactions: Transactions = Object.freeze({
  reading: inReadOnlyTransaction,
  lock: (how: 'share' | 'update'): Fragment => sql.raw(`for ${how}`),
  returns: true,
  async isSerializable(db: Kysely<any>): Promise<boolean> {
    const { rows } = await sql<{
      is: boolean
    }>`select current_setting('transaction_isolation') = 'serializable' as ${sql.ref('is')}`.execute(db)
    return rows[0]?.is === true
  },
  // By default, PostgreSQL detects deadlocks only after a second.
  waitForLocks: (milliseconds: number): Fragment => sql`set_config('lock_timeout', ${sql.lit(String(milliseconds))}, true)`,
  // SQLSTATE class 40: rollback because of a deadlock or serialization failure; 55P03: lock timeout.
  isConflict: (error: unknown): boolean => /^(40|55P03)/.test(String((error as { code?: unknown } | null)?.code ?? '')),
  // SQLSTATE class 23: integrity constraint violation; 22001, 22003 and 22P02: a value is too long, out of range, or not of the type.
  isConstraintFailure: (error: unknown): boolean =>
    /^(23|22001|22003|22P02)/.test(String((error as { code?: unknown } | null)?.code ?? '')),
})
