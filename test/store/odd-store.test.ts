import { expect } from 'chai'
import fc from 'fast-check'
import { isPachterError, rulebook } from 'pachter'
import { TRUE } from 'pachter/internal/condition'
import type { Tables } from 'pachter/internal/store'
import { overKysely } from 'pachter/kysely'
import { createTables, sqlite } from 'pachter/sql'
import { type Backend, inMemory, openStore } from 'pachter/store'
import { z } from 'zod'
import { backends } from '../support/backends.js'
import { book, DATA, INES, NOW, type Plot, Session, WARDEN } from '../support/plot-store.js'
import { openSqlite } from '../support/sqlite.js'
import { tries } from '../support/tries.js'

describe('a store whose data or database is not as it should be', () => {
  const broken = async (prepare: (db: ReturnType<typeof openSqlite>) => Promise<unknown>) => {
    const db = openSqlite()
    await createTables(db, book, sqlite)
    const store = openStore(book, overKysely(db, sqlite), { now: NOW })
    await store.asSystem('test').create('plot', DATA.plot[0] as Plot)
    await prepare(db)
    return { db, store }
  }
  const codeOf = (work: Promise<unknown>) =>
    work.then(
      () => 'it went through',
      (error) => (isPachterError(error) ? error.code : String(error)),
    )

  it('refuses to read a row that does not fit', async () => {
    const { store } = await broken((db) => db.updateTable('plot').set({ endsAt: 'soon' }).execute())
    expect(await codeOf(store.for(INES).get('plot', 'p-1'))).to.equal('BAD_ROW')
    expect(await codeOf(store.for(INES).update('plot', 'p-1', { number: 5 }))).to.equal('BAD_ROW')
    await store.asSystem('test').create('plot', { ...(DATA.plot[0] as Plot), id: 'p-0' })
    const both = { keys: ['p-0', 'p-1'] }
    expect(await codeOf(store.for(INES).updateMany('plot', both, { number: 5 }, { partial: true })), 'no reason to go on').to.equal(
      'BAD_ROW',
    )
    expect((await store.for(INES).get('plot', 'p-0')).number).to.equal(3)
  })

  it('refuses when the database is gone', async () => {
    const { store } = await broken((db) => db.schema.dropTable('plot').execute())
    expect(await codeOf(store.for(INES).list('plot'))).to.equal('STORE_FAILED')
    expect(await codeOf(store.for(WARDEN).create('plot', { number: 9, siteId: 's-1', holderId: null, state: 'let', tags: [] }))).to.equal(
      'STORE_FAILED',
    )
  })

  it('takes back a write that reads back differently', async () => {
    const { db, store } = await broken(async () => {})
    const { sql } = await import('kysely')
    await sql`create trigger meddle after update on plot begin update plot set rent = 99 where id = new.id; end`.execute(db)
    expect(await codeOf(store.for(INES).update('plot', 'p-1', { number: 5 }))).to.equal('STORE_FAILED')
    expect((await store.for(INES).get('plot', 'p-1')).number).to.equal(3)
    await sql`drop trigger meddle`.execute(db)
    await sql`create trigger vanish after update on plot begin delete from plot where id = new.id; end`.execute(db)
    expect(await codeOf(store.for(INES).update('plot', 'p-1', { number: 5 }))).to.equal('STORE_FAILED')
    expect((await store.for(INES).get('plot', 'p-1')).number).to.equal(3)
  })

  it('does not give away, by a constraint, a record that one may not see', async () => {
    const { db, store } = await broken((db) => db.schema.createIndex('one_number').on('plot').column('number').unique().execute())
    await store.asSystem('test').create('plot', { ...(DATA.plot[4] as Plot), siteId: 's-9', holderId: 'm-9' })
    const fresh = { number: 5, siteId: 's-1', holderId: null, state: 'let' as const, tags: [] }
    expect(await codeOf(store.for(WARDEN).create('plot', fresh))).to.equal('REFUSED')
    expect(await codeOf(store.for(WARDEN).update('plot', 'p-1', { number: 5 }))).to.equal('REFUSED')
    expect(await codeOf(store.asSystem('test').update('plot', 'p-1', { number: 5 }))).to.equal('CONSTRAINT')
    expect(await db.selectFrom('plot').selectAll().execute()).to.have.length(2)
  })

  it('refuses a clock that tells no time, and fields that can be no column', async () => {
    const { db } = await broken(async () => {})
    const noTime = openStore(book, overKysely(db, sqlite), { now: new Date(Number.NaN) })
    expect(await codeOf(noTime.for(INES).list('plot'))).to.equal('BAD_CLOCK')
    const odd = rulebook({
      me: { shape: Session, key: 'id' },
      records: { plot: { shape: z.object({ id: z.string(), 'a.b as c': z.string() }), key: 'id' } },
    })
    expect(() => openStore(odd, overKysely(db, sqlite))).to.throw('cannot name a column')
  })

  it('refuses data that the rulebook does not know, or twice over', () => {
    expect(() => openStore(book, inMemory({ plto: [] }))).to.throw('Did you mean "plot"')
    expect(() => openStore(book, inMemory({ plot: [DATA.plot[0] as Plot, DATA.plot[0] as Plot] })))
      .to.throw()
      .with.property('code', 'DUPLICATE_KEY')
  })
})

describe('what a guarded store asks of the tables behind it', () => {
  /** Tables that tell what they are asked, and in which something may happen just before a write. */
  const watched = (asked: string[], meddle: (tables: Tables) => Promise<unknown> = async () => {}): Backend => {
    const watch = (tables: Tables): Tables => ({
      select(type, selection) {
        asked.push('select')
        return tables.select(type, selection)
      },
      count: (type, selection) => tables.count(type, selection),
      countBy: (type, field, selection) => tables.countBy(type, field, selection),
      test(conditions, now) {
        asked.push('test')
        return tables.test(conditions, now)
      },
      insert(type, row) {
        asked.push('insert')
        return tables.insert(type, row)
      },
      async update(type, changes, target) {
        await meddle(tables)
        return tables.update(type, changes, target)
      },
      async remove(type, target) {
        await meddle(tables)
        return tables.remove(type, target)
      },
      wasRemoved: (type, key) => tables.wasRemoved(type, key),
      transaction: (work) => tables.transaction((inside) => work(watch(inside))),
    })
    return (model) => watch(inMemory(DATA)(model))
  }

  it('nothing if no person could see anything', async () => {
    const asked: string[] = []
    const store = openStore(book, watched(asked))
    expect(await store.for(null).list('counter')).to.deep.equal([])
    await store
      .for(null)
      .get('counter', 5)
      .catch(() => {})
    await store
      .for(INES)
      .create('plot', { number: 5 } as never)
      .catch(() => {})
    expect(asked).to.deep.equal([])
  })

  it('to write only where key and rule still hold together', async () => {
    const sold = (tables: Tables) =>
      tables.update('plot', { holderId: 'm-2', siteId: 's-9', state: 'let' }, { key: 'p-1', where: TRUE, now: 0 })
    const store = openStore(book, watched([], sold), { now: NOW })
    const before = await store.asSystem('compare').list('plot')
    const error = await store
      .for(INES)
      .update('plot', 'p-1', { number: 5 })
      .catch((caught: unknown) => caught)
    expect(isPachterError(error, 'REFUSED'), String(error)).to.equal(true)
    expect(await store.asSystem('compare').list('plot')).to.deep.equal(before)
  })

  it('to delete only where key and rule still hold together', async () => {
    const let_ = (tables: Tables) => tables.update('plot', { state: 'let' }, { key: 'p-3', where: TRUE, now: 0 })
    const store = openStore(book, watched([], let_), { now: NOW })
    const error = await store
      .for({ ...WARDEN, siteIds: ['s-2'] })
      .delete('plot', 'p-3')
      .catch((caught: unknown) => caught)
    expect(isPachterError(error, 'REFUSED'), String(error)).to.equal(true)
    expect((await store.asSystem('compare').get('plot', 'p-3')).state).to.equal('vacant')
  })
})

describe('all stores', () => {
  it('do the same, whatever is asked of them', async () => {
    const person = fc.constantFrom(INES, WARDEN, null, { id: 'm-2', roles: ['editor' as const], siteIds: [] })
    const key = fc.constantFrom('p-1', 'p-2', 'p-3', 'p-4', 'p-5', 'p-6')
    const fields = fc.record(
      {
        holderId: fc.constantFrom('m-1', 'm-2', null),
        state: fc.constantFrom('let', 'vacant', 'odd'),
        siteId: fc.constantFrom('s-1', 's-2'),
        rent: fc.constantFrom(0, 5.5, null),
        endsAt: fc.constantFrom(new Date('2027-01-01T00:00:00Z'), new Date(0), null),
        tags: fc.constantFrom([], ['a']),
      },
      { requiredKeys: [] },
    )
    const step = fc.oneof(
      fc.record({ person, what: fc.constant('update'), key, fields }),
      fc.record({ person, what: fc.constant('delete'), key, fields }),
      fc.record({ person, what: fc.constant('create'), key, fields }),
      fc.record({ person, what: fc.constant('list'), key, fields }),
    )
    const run = async (store: any, steps: readonly any[]) => {
      const answers: unknown[] = []
      for (const { person, what, key, fields } of steps) {
        const mine = store.for(person)
        const work =
          what === 'list'
            ? mine.list('plot')
            : what === 'create'
              ? mine.create('plot', { number: 1, tags: [], ...fields })
              : what === 'update'
                ? mine.update('plot', key, fields)
                : mine.delete('plot', key)
        answers.push(await work.catch((error: unknown) => (isPachterError(error) ? error.code : String(error))))
      }
      return [...answers, await store.asSystem('compare').list('plot')]
    }
    await fc.assert(
      fc.asyncProperty(fc.array(step, { maxLength: 8 }), async (steps) => {
        const stores = await Promise.all(
          Object.values(backends(book)).map(async (open) => {
            const backend = await open()
            let keys = 0
            const store = openStore(book, backend, { now: NOW, newKey: () => `new-${++keys}` })
            for (const plot of DATA.plot) await store.asSystem('test').create('plot', plot)
            return store
          }),
        )
        const [memory, ...databases] = await Promise.all(stores.map((store) => run(store, steps)))
        for (const database of databases) expect(database).to.deep.equal(memory)
      }),
      { numRuns: tries(20, 50) },
    )
  })
})
