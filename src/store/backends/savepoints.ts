import { type Kysely, sql } from 'kysely'
import { NOT_BEGUN, OwnTransactionError } from './own-transactions.js'

/** The last write of each transaction: savepoints of one connection are nested, so writes take turns. */
const turns = new WeakMap<object, Promise<unknown>>()
let count = 0

// SQLSTATE no_active_sql_transaction. https://www.postgresql.org/docs/current/errcodes-appendix.html
const NO_TRANSACTION = '25P01'

/** Does one write of an application's own transaction: it is kept whole, or not at all. */
export function atSavepoint<T>(db: Kysely<any>, work: () => Promise<T>): Promise<T> {
  const turn = (turns.get(db) ?? Promise.resolve()).then(() => within(db, work))
  turns.set(
    db,
    turn.catch(() => undefined),
  )
  return turn
}

async function within<T>(db: Kysely<any>, work: () => Promise<T>): Promise<T> {
  count += 1
  const name = sql.id(`pachter_${count}`)
  await sql`savepoint ${name}`.execute(db).catch((error) => {
    throw (error as { code?: unknown } | null)?.code === NO_TRANSACTION ? new OwnTransactionError(NOT_BEGUN) : error
  })
  try {
    const result = await work()
    await sql`release savepoint ${name}`.execute(db)
    return result
  } catch (error) {
    // After a deadlock, the database has ended the whole transaction.
    await sql`rollback to savepoint ${name}`.execute(db).catch(() => undefined)
    throw error
  }
}
