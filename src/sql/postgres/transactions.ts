import { sql } from 'kysely'
import type { Transactions } from '../dialect.js'
import type { Fragment } from '../expressions.js'

/** What this database says of transactions. */
export const transactions: Transactions = Object.freeze({
  lock: (how: 'share' | 'update'): Fragment => sql.raw(`for ${how}`),
  returns: true,
  isSerializable: sql`current_setting('transaction_isolation') = 'serializable'`,
  // PostgreSQL looks for deadlocks after a second, by default.
  waitForLocks: (milliseconds: number): Fragment => sql`set_config('lock_timeout', ${sql.lit(String(milliseconds))}, true)`,
  // SQLSTATE class 40: transaction rollback, for a deadlock or a serialisation failure; 55P03: a lock was not to be had in time.
  isConflict: (error: unknown): boolean => /^(40|55P03)/.test(String((error as { code?: unknown } | null)?.code ?? '')),
  // SQLSTATE class 23: integrity constraint violation; 22001, 22003 and 22P02: a value too long, out of range, or none of the type.
  isConstraintFailure: (error: unknown): boolean =>
    /^(23|22001|22003|22P02)/.test(String((error as { code?: unknown } | null)?.code ?? '')),
})
