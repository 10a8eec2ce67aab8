// The guarded store inside a transaction that the application began: with Kysely, a driver, or another library.
import { expect } from 'chai'
import { drizzle as overMysql2 } from 'drizzle-orm/mysql2'
import { drizzle as overPg } from 'drizzle-orm/node-postgres'
import { type Kysely, sql } from 'kysely'
import { createConnection } from 'mysql2/promise'
import { not, rulebook, toMany } from 'pachter'
import { fromDrizzle, fromMysql2, fromPg, overKysely, transactionOf } from 'pachter/kysely'
import { mariadb, postgres } from 'pachter/sql'
import { inMemory, openStore, type RecordChange } from 'pachter/store'
import pg from 'pg'
import { z } from 'zod'
import { engines } from '../support/engines.js'
import { codeOf } from '../support/filling.js'

const id = z.string()
const book = rulebook({
  me: { shape: z.object({ id }), key: 'id' },
  records: {
    plot: {
      shape: z.object({ id, holderId: id, crop: z.string().max(10) }),
      key: 'id',
      links: { shares: toMany('share', 'plotId') },
    },
    share: { shape: z.object({ id, plotId: id, memberId: id }), key: 'id' },
    booking: { shape: z.object({ id, day: z.string() }), key: 'id' },
  },
}).rules({
  plot: (plot, { me, anyone }) => ({
    may: {
      read: [anyone.provided(plot.holderId.is(me.id)), anyone.provided(plot.crop.is('peas'))],
      update: [
        anyone.provided(plot.holderId.is(me.id)).only('crop'),
        anyone.provided(plot.shares.some((share) => share.memberId.is(me.id))).only('crop'),
      ],
    },
  }),
  booking: (booking, { signedIn, records }) => ({
    may: { read: [signedIn], create: [signedIn.provided(not(records('booking').some((other) => other.day.is(booking.day))))] },
  }),
})
const ada = { id: 'ada' }

/** Begins a transaction, does something in it with a store, and ends it. */
type Begin = <T>(level: 'read committed' | 'serializable', work: (transaction: unknown) => Promise<T>) => Promise<T>

/** PGlite has one connection, which no driver shares. */
const EMBEDDED = 'PGlite'

async function waysOf(db: Kysely<any>, dialect: unknown, name: string): Promise<Record<string, Begin>> {
  const kysely: Begin = (level, work) => {
    const begun = db.transaction()
    return (dialect === postgres || dialect === mariadb ? begun.setIsolationLevel(level) : begun).execute(work)
  }
  if (dialect === postgres && name !== EMBEDDED) {
    const schema = (await sql<{ name: string }>`select current_schema() as name`.execute(db)).rows[0]?.name
    const client = async () => {
      const made = new pg.Client({ connectionString: process.env.PACHTER_TEST_POSTGRES, options: `-c search_path=${schema}` })
      await made.connect()
      return made
    }
    return {
      Kysely: kysely,
      pg: async (level, work) => {
        const made = await client()
        await made.query(`begin isolation level ${level}`)
        const end = (how: string) => made.query(how).then(() => made.end())
        return work(fromPg(made)).then(
          (result) => end('commit').then(() => result),
          (error) => end('rollback').then(() => Promise.reject(error)),
        )
      },
      Drizzle: async (level, work) => {
        const made = await client()
        return overPg(made)
          .transaction((tx) => work(fromDrizzle(tx)), { isolationLevel: level })
          .finally(() => made.end())
      },
    }
  }
  if (dialect === mariadb) {
    const database = (await sql<{ name: string }>`select database() as name`.execute(db)).rows[0]?.name as string
    const connect = () => createConnection({ uri: process.env.PACHTER_TEST_MARIADB as string, database })
    return {
      Kysely: kysely,
      mysql2: async (level, work) => {
        const made = await connect()
        await made.query(`set transaction isolation level ${level}`)
        await made.beginTransaction()
        return work(fromMysql2(made)).then(
          (result) =>
            made
              .commit()
              .then(() => made.end())
              .then(() => result),
          (error) =>
            made
              .rollback()
              .then(() => made.end())
              .then(() => Promise.reject(error)),
        )
      },
      Drizzle: async (level, work) => {
        const made = await connect()
        return overMysql2(made)
          .transaction((tx) => work(fromDrizzle(tx)), { isolationLevel: level })
          .finally(() => made.end())
      },
    }
  }
  return { Kysely: kysely }
}

for (const { name, dialect, open } of engines)
  describe(`in a transaction that was begun elsewhere, in ${name}`, () => {
    const opened = async () => {
      const db = await open(book)
      const told: RecordChange[] = []
      const store = openStore(book, overKysely(db, dialect), { changed: (changes) => told.push(...changes) })
      for (const key of ['p1', 'p2']) await store.asSystem('fill').create('plot', { id: key, holderId: 'ada', crop: 'peas' })
      await store.asSystem('fill').create('plot', { id: 'p3', holderId: 'bo', crop: 'peas' })
      told.length = 0
      const crops = async () => (await store.asSystem('look').list('plot', { sort: ['id'] })).map(({ crop }) => crop).join(' ')
      return { db, store, told, crops, ways: await waysOf(db, dialect, name) }
    }

    it('rules count, its own writes are seen, and it is kept or undone as a whole', async () => {
      const { store, told, crops, ways } = await opened()
      for (const [way, begin] of Object.entries(ways)) {
        const inside = await begin('read committed', async (transaction) => {
          const here = store.in(transaction)
          const mine = here.for(ada)
          await mine.update('plot', 'p1', { crop: way })
          expect((await mine.get('plot', 'p1')).crop, way).to.equal(way)
          expect(await codeOf(mine.update('plot', 'p3', { crop: 'mine' })), way).to.equal('REFUSED')
          expect(await codeOf(mine.update('plot', 'p2', { holderId: 'bo' })), way).to.equal('REFUSED')
          // A refused write leaves the transaction as it was.
          await mine.update('plot', 'p2', { crop: 'after' })
          await here.asSystem('harvest').update('plot', 'p3', { crop: 'gone' })
          return here
        })
        expect(await crops(), way).to.equal(`${way} after gone`)
        expect(told, way).to.deep.equal([])
        inside.committed()
        expect(told.map(({ key }) => key)).to.deep.equal(['p1', 'p2', 'p3'])
        inside.committed()
        expect(told).to.have.length(3)
        told.length = 0
        const stop = new Error('stop')
        const undone = begin('read committed', async (transaction) => {
          await store.in(transaction).for(ada).update('plot', 'p1', { crop: 'never' })
          throw stop
        })
        expect(await undone.catch((error) => error.cause ?? error)).to.equal(stop)
        expect(await crops(), way).to.equal(`${way} after gone`)
        await store.asSystem('again').updateMany('plot', { keys: ['p1', 'p2', 'p3'] }, { crop: 'peas' })
        told.length = 0
      }
    })

    it('a failed write is undone alone, and writes at the same time take turns', async () => {
      const { store, crops, ways } = await opened()
      for (const [way, begin] of Object.entries(ways)) {
        await begin('read committed', async (transaction) => {
          const system = store.in(transaction).asSystem('test')
          const writes = [
            system.update('plot', 'p1', { crop: 'one' }),
            system.transaction(async (inside) => {
              await inside.update('plot', 'p2', { crop: 'two' })
              await inside.update('plot', 'none', { crop: 'two' })
            }),
            system.update('plot', 'p3', { crop: 'three' }),
          ]
          expect(await Promise.all(writes.map(codeOf)), way).to.deep.equal(['done', 'NOT_FOUND', 'done'])
        })
        expect(await crops(), way).to.equal('one peas three')
        await store.asSystem('again').updateMany('plot', { keys: ['p1', 'p2', 'p3'] }, { crop: 'peas' })
      }
    })

    it('nothing stale counts, whatever its isolation', async () => {
      if (dialect.transactions.lock === undefined || name === EMBEDDED) return
      const { db, store } = await opened()
      const shared = await store.asSystem('share').create('share', { plotId: 'p1', memberId: 'cy' })
      const outcome = await codeOf(
        db
          .transaction()
          .setIsolationLevel('repeatable read')
          .execute(async (trx) => {
            await trx.selectFrom('share').selectAll().execute()
            await store.asSystem('unshare').delete('share', shared.id as string)
            await store.in(trx).for({ id: 'cy' }).update('plot', 'p1', { crop: 'stolen' })
          }),
      )
      expect(outcome).to.be.oneOf(['REFUSED', 'STORE_FAILED', 'BUSY'])
    })

    it('rules that depend on missing records need a serializable one', async () => {
      const { store, ways } = await opened()
      for (const [way, begin] of Object.entries(ways)) {
        const book = (level: 'read committed' | 'serializable') =>
          codeOf(
            begin(level, (transaction) =>
              store
                .in(transaction)
                .for(ada)
                .create('booking', { day: `${way} ${level}` }),
            ),
          )
        const isLocking = dialect.transactions.lock !== undefined
        expect(await book('read committed'), way).to.equal(isLocking ? 'ISOLATION' : 'done')
        expect(await book('serializable'), way).to.equal('done')
      }
    })

    it('nothing is written where none was begun', async () => {
      const { db, store, crops } = await opened()
      if (dialect === postgres && name !== EMBEDDED) {
        const schema = (await sql<{ name: string }>`select current_schema() as name`.execute(db)).rows[0]?.name
        const client = new pg.Client({ connectionString: process.env.PACHTER_TEST_POSTGRES, options: `-c search_path=${schema}` })
        await client.connect()
        expect(await codeOf(store.in(fromPg(client)).for(ada).update('plot', 'p1', { crop: 'never' }))).to.equal('OWN_TRANSACTION')
        await client.end()
        expect(await crops()).to.equal('peas peas peas')
      }
      if (dialect !== mariadb) return
      const database = (await sql<{ name: string }>`select database() as name`.execute(db)).rows[0]?.name as string
      const made = await createConnection({ uri: process.env.PACHTER_TEST_MARIADB as string, database })
      expect(await codeOf(store.in(fromMysql2(made)).for(ada).update('plot', 'p1', { crop: 'never' }))).to.equal('OWN_TRANSACTION')
      expect(await crops()).to.equal('peas peas peas')
      await made.query('start transaction')
      expect(await codeOf(store.in(fromMysql2(made)).for(ada).update('plot', 'p1', { crop: 'once' }))).to.equal('done')
      await made.query('commit')
      await made.query('set autocommit = 0')
      expect(await codeOf(store.in(fromMysql2(made)).for(ada).update('plot', 'p1', { crop: 'twice' }))).to.equal('done')
      await made.query('rollback')
      await made.end()
      expect(await crops()).to.equal('once peas peas')
    })

    it('of the store itself, SQL of the application can be run', async () => {
      const { store, crops, told } = await opened()
      await store.for(ada).transaction(async (inside) => {
        await inside.update('plot', 'p1', { crop: 'leeks' })
        const trx = transactionOf(inside)
        const { rows } = await sql<{ crop: string }>`select crop from plot where id = 'p1'`.execute(trx)
        expect(rows[0]?.crop).to.equal('leeks')
        await trx.updateTable('plot').set({ crop: 'beets' }).where('id', '=', 'p2').execute()
      })
      expect(await crops()).to.equal('leeks beets peas')
      expect(told.map(({ key }) => key)).to.deep.equal(['p1'])
      expect(() => transactionOf(store.for(ada))).to.throw('inside a transaction')
    })

    it('what is no transaction is refused', async () => {
      const { db, store } = await opened()
      expect(() => store.in(db)).to.throw('this is the whole database')
      for (const odd of [undefined, null, {}, 'begin', { db: 'x' }]) expect(() => store.in(odd)).to.throw('needs a transaction of Kysely')
    })
  })

describe("a transaction of one's own", () => {
  it('is refused by a store in memory, and by adapters for something else', () => {
    expect(() => openStore(book, inMemory()).in({})).to.throw('no transactions of your own')
    expect(() => fromPg({} as never)).to.throw('needs a client of pg')
    expect(() => fromMysql2({} as never)).to.throw('needs a connection of mysql2/promise')
    expect(() => fromDrizzle({})).to.throw('needs the transaction')
  })
})
