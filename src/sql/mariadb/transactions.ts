import { type Kysely, sql } from 'kysely'
import type { Transactions } from '../dialect.js'
import type { Fragment } from '../expressions.js'
import { inReadOnlyTransaction } from '../read-only.js'

/** How this database isolates transactions. */
export const transactions: Transactions = Object.freeze({
  reading: inReadOnlyTransaction,
  lock: (how: 'share' | 'update'): Fragment => sql.raw(how === 'share' ? 'lock in share mode' : 'for update'),
  isSerializable,
  // Outside a transaction, savepoints mean nothing, and each statement is kept at once.
  async isOpen(db: Kysely<any>): Promise<boolean> {
    const { rows } = await sql<{ isOpen: number }>`select @@in_transaction or not @@autocommit as ${sql.ref('isOpen')}`.execute(db)
    return Number(rows[0]?.isOpen) === 1
  },
  // SQLSTATE class 40: deadlock; 1205: lock wait timeout; 1020: the row changed since it was read.
  isConflict(error: unknown): boolean {
    const { sqlState, errno } = (error ?? {}) as { sqlState?: unknown; errno?: unknown }
    return /^40/.test(String(sqlState ?? '')) || errno === 1205 || errno === 1020
  },
  // SQLSTATE class 23: integrity constraint violation; 22001 and 22003: a value is too long or out of range.
  isConstraintFailure: (error: unknown): boolean =>
    /^(23|22001|22003)/.test(String((error as { sqlState?: unknown } | null)?.sqlState ?? '')),
})

// The list of transactions is at most a tenth of a second old.
const OLDEST = 110

/** Whether the transaction is serializable. A user without the privilege to see transactions is told nothing. */
async function isSerializable(db: Kysely<any>, table: string): Promise<boolean> {
  try {
    // The database lists a transaction once it has read from a table.
    await db.selectFrom(table).select(sql`1`.as('one')).limit(1).execute()
    // Before, the list could still tell about an earlier transaction of the same connection.
    await new Promise((resolve) => setTimeout(resolve, OLDEST))
    const { rows } = await sql<{
      level: string
      isOpen: number
    }>`select trx_isolation_level as level, @@in_transaction as ${sql.ref('isOpen')}
      from information_schema.innodb_trx where trx_mysql_thread_id = connection_id()`.execute(db)
    return rows[0]?.level === 'SERIALIZABLE' && Number(rows[0].isOpen) === 1
  } catch {
    return false
  }
}
