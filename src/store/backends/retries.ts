import type { Kysely, Transaction } from 'kysely'
import type { Dialect, Layout, Transactions } from '../../sql/index.js'
import { BusyError, IsolationError, UncertainError } from '../errors.js'
import { causesOf, isAnswer } from './database-errors.js'
import { tableOf } from './tables-placed.js'

/** How often a conflicting transaction is tried. */
const MOST_TRIES = 8

/** Half of the lock timeout of the first try in milliseconds. It doubles with each further try. */
const SHORTEST_WAIT = 25

/**
 * Runs work in a transaction, and again after a conflict. `work` receives the lock timeout of the try in milliseconds.
 * @throws BusyError if the conflicts continue, UncertainError if the connection is lost during the commit
 */
export async function inTransaction<T>(
  db: Kysely<any>,
  { lock, isConflict = () => false }: Transactions,
  serializable: boolean,
  work: (trx: Transaction<any>, patience: number) => Promise<T>,
): Promise<T> {
  for (let tries = 1; ; tries++) {
    let ending = false
    try {
      const begun = db.transaction()
      // With locks, each statement must see what was committed while it waited.
      const apart = lock === undefined ? begun : begun.setIsolationLevel(serializable ? 'serializable' : 'read committed')
      return await apart.execute(async (trx) => {
        const result = await work(trx, SHORTEST_WAIT * 2 ** tries)
        ending = true
        return result
      })
    } catch (error) {
      const cause = causesOf(error).find(isConflict)
      if (cause === undefined) throw ending && !isAnswer(error) ? new UncertainError(error) : error
      if (tries === MOST_TRIES) throw new BusyError(cause)
      await new Promise((resolve) => setTimeout(resolve, Math.random() * 5 * 2 ** tries))
    }
  }
}

/** If rules depend on absence, the application's own transaction needs the same isolation as ours. @throws IsolationError */
export async function checkSerializable(db: Kysely<any>, { transactions }: Dialect, { tables }: Layout): Promise<void> {
  const { lock, isSerializable } = transactions
  // Without locks, transactions run one after the other.
  if (lock === undefined) return
  const [first] = Object.values(tables)
  if (first === undefined || !(await isSerializable?.(db, tableOf(first)))) throw new IsolationError()
}
