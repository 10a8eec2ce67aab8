import { Kysely, MysqlDialect, PostgresDialect } from 'kysely'
import { PachterError } from '../../condition/index.js'
import { connectionOf } from '../internals.js'

/** The value is not a transaction that a store can write in. */
export class OwnTransactionError extends PachterError {
  constructor(problem: string) {
    super('OWN_TRANSACTION', problem)
  }
}

/** The problem of a connection that is in no transaction. */
export const NOT_BEGUN = 'the connection is in no transaction: begin one before you write with store.in(...)'

/** A transaction that the application began with a driver or another library. */
export interface OwnTransaction {
  readonly db: Kysely<any>
}

/** What is used of a client of `pg`. */
export interface PgClient {
  query(text: string, values?: readonly unknown[]): Promise<unknown>
}

/** What is used of a connection of `mysql2/promise`. */
export interface Mysql2Connection {
  query(text: string): Promise<unknown>
  beginTransaction(): Promise<void>
}

const known = new WeakMap<object, OwnTransaction>()

function remembered(of: object, make: () => Kysely<any>): OwnTransaction {
  const there = known.get(of) ?? Object.freeze({ db: make() })
  known.set(of, there)
  return there
}

/**
 * A transaction that a client of `pg` is in, for `store.in(...)`.
 * @example
 * await client.query('begin isolation level serializable')
 * await store.in(fromPg(client)).for(me).update('plot', 'p-01', { planting: 'leeks' })
 * await client.query('commit')
 */
export function fromPg(client: PgClient): OwnTransaction {
  if (typeof client?.query !== 'function') throw new OwnTransactionError('fromPg needs a client of pg: what pool.connect() gave')
  return remembered(client, () => {
    // The client belongs to the application: it is lent, and never ended.
    const lent = { query: client.query.bind(client), release: () => undefined }
    const pool = { connect: async () => lent, end: async () => undefined }
    return new Kysely({ dialect: new PostgresDialect({ pool: pool as never }) })
  })
}

/**
 * A transaction that a connection of `mysql2/promise` is in, for `store.in(...)`.
 * @example
 * await connection.beginTransaction()
 * await store.in(fromMysql2(connection)).for(me).update('plot', 'p-01', { planting: 'leeks' })
 * await connection.commit()
 */
export function fromMysql2(connection: Mysql2Connection): OwnTransaction {
  const { connection: inner } = (connection ?? {}) as { readonly connection?: { readonly query?: (...given: unknown[]) => unknown } }
  if (typeof inner?.query !== 'function')
    throw new OwnTransactionError('fromMysql2 needs a connection of mysql2/promise: what pool.getConnection() gave')
  return remembered(inner, () => {
    const query = inner.query?.bind(inner)
    const lent = { query, release: () => undefined }
    const pool = { getConnection: (give: (error: null, one: typeof lent) => void) => give(null, lent), end: (done: () => void) => done() }
    return new Kysely({ dialect: new MysqlDialect({ pool: pool as never }) })
  })
}

/**
 * A transaction of Drizzle over `pg` or `mysql2`, for `store.in(...)`.
 * @example
 * await drizzled.transaction((tx) => store.in(fromDrizzle(tx)).for(me).update('plot', 'p-01', { planting: 'leeks' }))
 */
export function fromDrizzle(transaction: object): OwnTransaction {
  const { session } = transaction as { session?: { client?: PgClient & Mysql2Connection } }
  const client = session?.client
  if (client === undefined) throw new OwnTransactionError('fromDrizzle needs the transaction that a callback of transaction(...) receives')
  return typeof client.beginTransaction === 'function' ? fromMysql2(client) : fromPg(client)
}

/**
 * The Kysely transaction of a guarded store, for SQL of your own: inside `transaction(...)`, `routine(...)` or `store.in(...)`. No rules
 * apply to it, and live lists are not told.
 * @throws OwnTransactionError outside a transaction
 * @example
 * await mine.transaction(async (inside) => {
 *   await inside.update('plot', 'p-01', { planting: 'leeks' })
 *   await transactionOf(inside).insertInto('audit').values({ what: 'planting' }).execute()
 * })
 */
export function transactionOf(inside: object): Kysely<any> {
  const connection = connectionOf(inside)
  if (connection instanceof Kysely) return connection
  throw new OwnTransactionError(
    'transactionOf needs a guarded store of a database inside a transaction: what the callback of transaction(...) receives',
  )
}

/** The database of a transaction. @throws OwnTransactionError */
export function dbOf(transaction: unknown): Kysely<any> {
  const isKysely = transaction instanceof Kysely
  if (isKysely && transaction.isTransaction) return transaction
  const db = isKysely ? undefined : (transaction as Partial<OwnTransaction> | null | undefined)?.db
  if (db instanceof Kysely) return db
  throw new OwnTransactionError(
    isKysely
      ? 'store.in(...) needs a transaction, and this is the whole database: pass what the callback of db.transaction().execute(...) receives'
      : 'store.in(...) needs a transaction of Kysely, or fromPg(client), fromMysql2(connection) or fromDrizzle(transaction)',
  )
}
