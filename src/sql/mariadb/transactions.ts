import { sql } from 'kysely'
import type { Transactions } from '../dialect.js'
import type { Fragment } from '../expressions.js'

/** How this database isolates transactions. */
export const transactions: Transactions = Object.freeze({
  lock: (how: 'share' | 'update'): Fragment => sql.raw(how === 'share' ? 'lock in share mode' : 'for update'),
  // SQLSTATE class 40: deadlock; 1205: lock wait timeout; 1020: the row changed since it was read.
  isConflict(error: unknown): boolean {
    const { sqlState, errno } = (error ?? {}) as { sqlState?: unknown; errno?: unknown }
    return /^40/.test(String(sqlState ?? '')) || errno === 1205 || errno === 1020
  },
  // SQLSTATE class 23: integrity constraint violation; 22001 and 22003: a value is too long or out of range.
  isConstraintFailure: (error: unknown): boolean =>
    /^(23|22001|22003)/.test(String((error as { sqlState?: unknown } | null)?.sqlState ?? '')),
})
