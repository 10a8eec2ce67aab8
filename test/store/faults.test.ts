// What goes wrong between a store and a server: refused with a clear error, nothing half written, and the next call works.
import { expect } from 'chai'
import { Kysely, MysqlDialect, MysqlDriver, PostgresDialect, PostgresDriver, sql } from 'kysely'
import { createPool } from 'mysql2'
import { isPachterError, rulebook } from 'pachter'
import { overKysely } from 'pachter/kysely'
import { openStore } from 'pachter/store'
import pg from 'pg'
import { z } from 'zod'
import { engines } from '../support/engines.js'

const text = z.string()
const book = rulebook({
  me: { shape: z.object({ id: text }), key: 'id' },
  records: { plot: { shape: z.object({ id: text, holderId: text, planting: text }), key: 'id' } },
}).rules({
  plot: (plot, { me, anyone }) => ({
    may: {
      read: [anyone.provided(plot.holderId.is(me.id))],
      update: [anyone.provided(plot.holderId.is(me.id))],
      create: [anyone.provided(plot.holderId.is(me.id))],
    },
  }),
})

const SCHEMA = `pachter_test_${process.pid}`

interface Opened {
  readonly db: Kysely<any>
  /** Ends every connection of these, as a server that goes down does. */
  readonly cut: (admin: Kysely<any>) => Promise<void>
}

interface Limits {
  readonly connections?: number
  /** Milliseconds that a statement, and the wait for a connection, may take. */
  readonly statement?: number
  readonly wait?: number
  /** Loses the connection as soon as a transaction was kept, before that was said. */
  readonly losing?: boolean
}

class LosingPg extends PostgresDriver {
  override async commitTransaction(...args: Parameters<PostgresDriver['commitTransaction']>) {
    await super.commitTransaction(...args)
    throw new Error('Connection terminated unexpectedly')
  }
}
class LosingMysql extends MysqlDriver {
  override async commitTransaction(...args: Parameters<MysqlDriver['commitTransaction']>) {
    await super.commitTransaction(...args)
    throw Object.assign(new Error('Connection lost: The server closed the connection.'), { code: 'PROTOCOL_CONNECTION_LOST' })
  }
}

const OPEN: { readonly [engine: string]: (limits: Limits) => Opened } = {
  PostgreSQL({ connections = 4, statement, wait, losing }) {
    const name = `faults ${process.pid} ${Math.random()}`
    const timeout = statement === undefined ? '' : ` -c statement_timeout=${statement}`
    const pool = new pg.Pool({
      connectionString: process.env.PACHTER_TEST_POSTGRES,
      options: `-c search_path=${SCHEMA}${timeout}`,
      application_name: name,
      max: connections,
      allowExitOnIdle: true,
      ...(wait === undefined ? {} : { connectionTimeoutMillis: wait }),
    })
    // Else a connection that is lost ends the process: docs/databases.md says so.
    pool.on('error', () => undefined)
    pool.on('connect', (client) => client.on('error', () => undefined))
    const config = { pool }
    const dialect = new PostgresDialect(config)
    if (losing) dialect.createDriver = () => new LosingPg(config)
    return {
      db: new Kysely<any>({ dialect }),
      cut: async (admin) =>
        void (await sql`select pg_terminate_backend(pid) from pg_stat_activity where application_name = ${name}`.execute(admin)),
    }
  },
  MariaDB({ connections = 4, statement, wait, losing }) {
    const pool = createPool({
      uri: `${process.env.PACHTER_TEST_MARIADB}`,
      database: SCHEMA,
      connectionLimit: connections,
      // It has no limit to the wait for a connection, but one to how many wait.
      ...(wait === undefined ? {} : { waitForConnections: false }),
    })
    const ids = new Set<number>()
    pool.on('connection', (connection) => {
      ids.add(connection.threadId as number)
      if (statement !== undefined) connection.query(`set max_statement_time = ${statement / 1000}`)
    })
    const config = { pool }
    const dialect = new MysqlDialect(config)
    if (losing) dialect.createDriver = () => new LosingMysql(config)
    return {
      db: new Kysely<any>({ dialect }),
      async cut(admin) {
        for (const id of ids) await sql`kill ${sql.lit(id)}`.execute(admin).catch(() => undefined)
        ids.clear()
      },
    }
  },
}

for (const { name, dialect, open } of engines.filter(({ name }) => name in OPEN))
  describe(`faults of ${name}`, () => {
    let admin: Kysely<any>
    const opened: Kysely<any>[] = []
    const using = (limits: Limits = {}) => {
      const { db, cut } = (OPEN[name] as (limits: Limits) => Opened)(limits)
      opened.push(db)
      return { store: openStore(book, overKysely(db, dialect)), cut: () => cut(admin) }
    }
    const plantings = async () =>
      (await admin.selectFrom('plot').select('planting').orderBy('id').execute()).map(({ planting }) => planting)
    const failure = (work: Promise<unknown>) =>
      work.then(
        () => undefined,
        (error: unknown) => error as Error & { code: string },
      )

    beforeEach(async () => {
      admin = await open(book)
      await admin
        .insertInto('plot')
        .values(['p-1', 'p-2'].map((id) => ({ id, holderId: 'm-1', planting: 'kale' })))
        .execute()
    })
    afterEach(async () => {
      for (const db of opened.splice(0)) await db.destroy()
    })

    it('a connection that is lost in the middle of a write: nothing of it is kept', async () => {
      const { store, cut } = using()
      const mine = store.for({ id: 'm-1' })
      const error = await failure(
        mine.transaction(async (inside) => {
          await inside.update('plot', 'p-1', { planting: 'leeks' })
          await cut()
          await inside.update('plot', 'p-2', { planting: 'leeks' })
        }),
      )
      expect(isPachterError(error, 'STORE_FAILED'), String(error)).to.equal(true)
      expect(await plantings()).to.deep.equal(['kale', 'kale'])
      expect((await mine.update('plot', 'p-1', { planting: 'chard' })).planting).to.equal('chard')
    })

    it('a server that was restarted between two calls: the one that meets it fails at most, and the next works', async () => {
      const { store, cut } = using()
      const mine = store.for({ id: 'm-1' })
      expect(await mine.count('plot')).to.equal(2)
      await cut()
      // A connection that is ended is gone a moment later.
      await new Promise((resolve) => setTimeout(resolve, 100))
      const error = await failure(mine.update('plot', 'p-1', { planting: 'leeks' }))
      if (error !== undefined) {
        expect(isPachterError(error, 'STORE_FAILED'), String(error)).to.equal(true)
        expect(await plantings()).to.deep.equal(['kale', 'kale'])
      }
      await mine.update('plot', 'p-2', { planting: 'chard' })
      expect((await plantings())[1]).to.equal('chard')
    })

    it('a statement that takes too long: refused, and waiting requests continue', async () => {
      const { store } = using({ statement: 1500 })
      const mine = store.for({ id: 'm-1' })
      await mine.count('plot')
      await admin.transaction().execute(async (trx) => {
        await trx.updateTable('plot').set({ planting: 'rhubarb' }).where('id', '=', 'p-1').execute()
        const error = await failure(mine.update('plot', 'p-1', { planting: 'leeks' }))
        expect(isPachterError(error, 'STORE_FAILED') || isPachterError(error, 'BUSY'), String(error)).to.equal(true)
      })
      expect(await plantings()).to.deep.equal(['rhubarb', 'kale'])
      await mine.update('plot', 'p-1', { planting: 'chard' })
      expect(await plantings()).to.deep.equal(['chard', 'kale'])
    })

    it('a pool in which no connection is free: refused, and the next call works', async () => {
      const { store } = using({ connections: 1, wait: 100 })
      const mine = store.for({ id: 'm-1' })
      await mine.count('plot')
      const error = await mine.transaction(async (inside) => {
        await inside.update('plot', 'p-1', { planting: 'leeks' })
        return failure(mine.update('plot', 'p-2', { planting: 'leeks' }))
      })
      expect(isPachterError(error, 'STORE_FAILED'), String(error)).to.equal(true)
      await mine.update('plot', 'p-2', { planting: 'chard' })
      expect(await plantings()).to.deep.equal(['leeks', 'chard'])
    })

    it('a connection lost during the commit: no error claims that nothing was written', async () => {
      const { store } = using({ losing: true })
      const error = await failure(store.for({ id: 'm-1' }).update('plot', 'p-1', { planting: 'leeks' }))
      expect(isPachterError(error, 'UNCERTAIN'), String(error)).to.equal(true)
      expect(error?.message).to.match(/Read the records before you try again/)
      expect(await plantings()).to.deep.equal(['leeks', 'kale'])
    })

    it('a server that is not there: every call is refused, none hangs', async () => {
      const { store } = using()
      await store.for({ id: 'm-1' }).count('plot')
      for (const db of opened.splice(0)) await db.destroy()
      const error = await failure(store.for({ id: 'm-1' }).list('plot'))
      expect(isPachterError(error, 'STORE_FAILED'), String(error)).to.equal(true)
    })
  })
