import { expect } from 'chai'
import fc from 'fast-check'
import { allOf, type ErrorCode, isPachterError, not, now, rulebook } from 'pachter'
import { TRUE } from 'pachter/internal/condition'
import type { Tables } from 'pachter/internal/store'
import { overKysely } from 'pachter/kysely'
import { createTables, sqlite } from 'pachter/sql'
import { type Backend, inMemory, openStore, type Store } from 'pachter/store'
import { z } from 'zod'
import { backends } from '../support/backends.js'
import { openSqlite } from '../support/sqlite.js'
import { tries } from '../support/tries.js'

const Session = z.object({ id: z.string(), roles: z.array(z.enum(['warden', 'editor'])), siteIds: z.array(z.string()) })
const Plot = z.object({
  id: z.string(),
  number: z.int(),
  siteId: z.string(),
  holderId: z.string().nullable(),
  state: z.enum(['vacant', 'let']),
  rent: z.number().optional(),
  note: z.string().nullable().optional(),
  tags: z.array(z.string()).default([]),
  endsAt: z.date().optional(),
  sownOn: z.iso.datetime().optional(),
  shed: z.object({ roof: z.string(), builtAt: z.date().optional() }).optional(),
  open: z.boolean().optional(),
})
type Plot = z.infer<typeof Plot>
const NOW = new Date('2026-06-15T09:00:00Z')

const book = rulebook({
  me: { shape: Session, key: 'id' },
  records: {
    plot: { shape: Plot, key: 'id', times: ['sownOn'] },
    counter: { shape: z.object({ id: z.int(), total: z.int() }), key: 'id' },
  },
})
  .standings({
    plot: (plot, { me }) => ({ holder: plot.holderId.is(me.id), warden: allOf(me.roles.has('warden'), me.siteIds.has(plot.siteId)) }),
  })
  .rules({
    plot: (plot, { standing: { holder, warden }, anyone }) => ({
      may: {
        read: [holder, warden, anyone.provided(plot.state.is('vacant'))],
        create: [warden],
        update: [holder.provided(plot.endsAt.orElse(new Date('9999-01-01')).isAfter(now)), warden],
        delete: [warden.provided(plot.state.is('vacant'))],
      },
      saying: { delete: 'Only vacant plots are removed.' },
    }),
    counter: (_counter, { signedIn }) => ({ may: { read: [signedIn], create: [signedIn] } }),
  })

const DATA: { plot: Plot[] } = {
  plot: [
    {
      id: 'p-1',
      number: 3,
      siteId: 's-1',
      holderId: 'm-1',
      state: 'let',
      rent: 30,
      tags: ['sunny', 'ünïcode 🌱'],
      shed: { roof: 'tin', builtAt: new Date(5000) },
      open: true,
    },
    {
      id: 'p-2',
      number: 1,
      siteId: 's-1',
      holderId: 'm-2',
      state: 'let',
      rent: 10,
      note: null,
      tags: [],
      sownOn: '2026-03-01T08:00:00.000Z',
    },
    { id: 'p-3', number: 2, siteId: 's-2', holderId: null, state: 'vacant', tags: [], open: false },
    { id: 'p-4', number: 4, siteId: 's-2', holderId: null, state: 'let', rent: 5.5, tags: ['orphan'] },
    { id: 'p-5', number: 5, siteId: 's-2', holderId: 'm-1', state: 'let', tags: [], endsAt: new Date('2026-01-31T00:00:00Z') },
  ],
}
for (const plot of DATA.plot) plot.note ??= null
const INES = { id: 'm-1', roles: [], siteIds: ['s-1'] }
const WARDEN = { id: 'm-4', roles: ['warden' as const], siteIds: ['s-1'] }

for (const [where, open] of Object.entries(backends(book))) {
  describe(`a guarded store ${where}`, () => {
    let store: Store<any>
    let keys = 0

    beforeEach(async () => {
      keys = 0
      store = openStore(book as any, await open(), { now: NOW, newKey: (type) => (type === 'counter' ? ++keys : `new-${++keys}`) })
      for (const plot of DATA.plot) await system().create('plot', plot)
    })

    const system = () => store.asSystem('test')
    const everything = () => system().list('plot')
    const ids = (records: readonly object[]) => records.map((record) => (record as Plot).id)

    /** That it is refused with this code, and that nothing at all is different afterwards. */
    async function refused(work: () => Promise<unknown>, code: ErrorCode, says = ''): Promise<void> {
      const before = await everything()
      try {
        await work()
      } catch (error) {
        expect(isPachterError(error, code), String(error)).to.equal(true)
        expect((error as Error).message).to.include(says)
        expect(await everything()).to.deep.equal(before)
        return
      }
      expect.fail('it was allowed')
    }

    it('gives back what was stored, kind by kind', async () => {
      expect(await system().get('plot', 'p-1')).to.deep.equal(DATA.plot[0])
      expect(await everything()).to.deep.equal(DATA.plot)
    })

    it('lists what each person may read, and nothing else', async () => {
      expect(ids(await store.for(INES).list('plot'))).to.deep.equal(['p-1', 'p-3', 'p-5'])
      expect(ids(await store.for(WARDEN).list('plot'))).to.deep.equal(['p-1', 'p-2', 'p-3'])
      expect(ids(await store.for(null).list('plot'))).to.deep.equal(['p-3'])
      expect(ids(await store.for(undefined).list('counter'))).to.deep.equal([])
      expect(ids(await everything())).to.have.length(5)
    })

    it('narrows, sorts and cuts a list, and never widens it', async () => {
      const mine = store.for(INES)
      expect(ids(await mine.list('plot', { where: (plot: any) => plot.rent.isAtLeast(0) }))).to.deep.equal(['p-1'])
      expect(ids(await mine.list('plot', { where: (plot: any) => not(plot.state.is('vacant')) }))).to.deep.equal(['p-1', 'p-5'])
      expect(ids(await mine.list('plot', { where: (plot: any) => plot.shed.roof.is('tin').or(plot.tags.has('none')) }))).to.deep.equal([
        'p-1',
      ])
      expect(ids(await mine.list('plot', { sort: ['-number'] }))).to.deep.equal(['p-5', 'p-1', 'p-3'])
      expect(ids(await mine.list('plot', { sort: ['number'], limit: 2 }))).to.deep.equal(['p-3', 'p-1'])
      expect(await mine.list('plot', { limit: 0 })).to.deep.equal([])
      expect(await mine.list('plot', { fields: ['number'], limit: 1 })).to.deep.equal([{ id: 'p-1', number: 3 }])
    })

    it('sorts what is missing last, either way, and by key in the end', async () => {
      const by = async (...sort: string[]) => ids(await system().list('plot', { sort }))
      expect(await by('rent')).to.deep.equal(['p-4', 'p-2', 'p-1', 'p-3', 'p-5'])
      expect(await by('-rent')).to.deep.equal(['p-1', 'p-2', 'p-4', 'p-5', 'p-3'])
      expect(await by('siteId', '-number')).to.deep.equal(['p-1', 'p-2', 'p-5', 'p-4', 'p-3'])
      expect(await by('endsAt', '-open')).to.deep.equal(['p-5', 'p-1', 'p-3', 'p-4', 'p-2'])
    })

    it('does not tell a record that one may not read from one that is not there', async () => {
      const mine = store.for(INES)
      for (const key of ['p-2', 'p-77', '', 'p-2\0', '__proto__', 5, null, { $ne: '' }, "' or 1=1 --"] as any[]) {
        await refused(() => mine.get('plot', key), 'NOT_FOUND', 'There is no such plot.')
        await refused(() => mine.update('plot', key, { number: 9 }), 'NOT_FOUND', 'There is no such plot.')
        await refused(() => mine.update('plot', key, { oops: 9 }), 'NOT_FOUND')
        await refused(() => mine.delete('plot', key), 'NOT_FOUND', 'There is no such plot.')
      }
    })

    it('refuses what one may read and not change, in the words of the rules', async () => {
      await refused(() => store.for(INES).update('plot', 'p-3', { number: 9 }), 'REFUSED', 'You may not update this plot.')
      await refused(() => store.for(INES).delete('plot', 'p-1'), 'REFUSED', 'Only vacant plots are removed.')
      await refused(
        () => store.for(INES).create('plot', { number: 9, siteId: 's-1', holderId: 'm-1', state: 'let' }),
        'REFUSED',
        'You may not create a plot.',
      )
    })

    it('asks a visitor to sign in where no record could be meant', async () => {
      await refused(() => store.for(null).update('plot', 'p-3', { number: 9 }), 'SIGN_IN')
      await refused(() => store.for(null).delete('plot', 'p-77'), 'SIGN_IN')
      await refused(() => store.for(null).create('plot', {}), 'SIGN_IN')
      await refused(() => store.for(null).get('plot', 'p-1'), 'NOT_FOUND')
    })

    it('updates what was sent and leaves the rest', async () => {
      const updated = await store
        .for(INES)
        .update('plot', 'p-1', { number: 33, rent: null, shed: { roof: 'slate' }, note: undefined, id: 'p-1' })
      const { rent: _rent, ...rest } = { ...(DATA.plot[0] as Plot), number: 33, shed: { roof: 'slate' } }
      expect(updated).to.deep.equal(rest)
      expect(await everything()).to.deep.equal([rest, ...DATA.plot.slice(1)])
    })

    it('judges an update on the record as it is and as it becomes', async () => {
      await refused(() => store.for(INES).update('plot', 'p-1', { holderId: 'm-2' }), 'REFUSED')
      await refused(() => store.for(INES).update('plot', 'p-1', { endsAt: new Date(0) }), 'REFUSED')
      await refused(() => store.for(INES).update('plot', 'p-5', { endsAt: null }), 'REFUSED')
      await refused(() => store.for(WARDEN).update('plot', 'p-1', { siteId: 's-2' }), 'REFUSED')
    })

    it('answers with the key alone where one may not read what one wrote', async () => {
      const handsOff = rulebook({
        me: { shape: Session, key: 'id' },
        records: { plot: { shape: Plot, key: 'id', times: ['sownOn'] } },
      }).rules({
        plot: (plot, { anyone }) => ({ may: { read: [anyone.provided(plot.state.is('let'))], update: [anyone], create: [anyone] } }),
      })
      const other = openStore(handsOff, inMemory({ plot: DATA.plot }), { newKey: () => 'p-9' })
      expect(await other.for(null).update('plot', 'p-2', { state: 'vacant' })).to.deep.equal({ id: 'p-2' })
      expect(await other.for(null).create('plot', { number: 9, siteId: 's-1', holderId: null, state: 'vacant', tags: [] })).to.deep.equal({
        id: 'p-9',
      })
    })

    it('says which fields are at fault, every one', async () => {
      const faultsOf = async (work: () => Promise<unknown>) => {
        try {
          await work()
        } catch (error) {
          return (error as any).faults?.map((fault: any) => fault.field)
        }
      }
      const warden = store.for(WARDEN)
      expect(await faultsOf(() => warden.update('plot', 'p-1', { number: 'x', rnet: 5, state: 'sold' }))).to.have.members([
        'number',
        'rnet',
        'state',
      ])
      expect(await faultsOf(() => warden.create('plot', { siteId: 's-1', holderId: null, id: 'p-9' }))).to.include.members([
        'id',
        'number',
        'state',
      ])
      expect(await faultsOf(() => warden.update('plot', 'p-1', { id: 'p-9' }))).to.deep.equal(['id'])
      expect(await faultsOf(() => warden.update('plot', 'p-1', { note: 'a\0b', tags: ['\ud800'] }))).to.deep.equal(['note', 'tags[0]'])
      expect(await faultsOf(() => warden.update('plot', 'p-1', JSON.parse('{"__proto__": {"state": "vacant"}}')))).to.deep.equal([
        '__proto__',
      ])
      await refused(() => warden.update('plot', 'p-1', null as never), 'INVALID')
      await refused(() => warden.update('plot', 'p-1', { number: 2 ** 60 }), 'INVALID')
      expect(({} as any).state).to.equal(undefined)
    })

    it('creates what the rules allow on the finished record, under a key of its own', async () => {
      const created = await store.for(WARDEN).create('plot', { number: 9, siteId: 's-1', holderId: null, state: 'let' })
      expect(created).to.deep.equal({ id: 'new-1', number: 9, siteId: 's-1', holderId: null, state: 'let', note: null, tags: [] })
      expect(await store.for(WARDEN).get('plot', 'new-1')).to.deep.equal(created)
      await refused(() => store.for(WARDEN).create('plot', { number: 9, siteId: 's-2', holderId: null, state: 'let' }), 'REFUSED')
      expect(await store.for(INES).create('counter', { total: 5 })).to.include({ total: 5 })
    })

    it('deletes what the rules allow', async () => {
      await store.for({ ...WARDEN, siteIds: ['s-2'] }).delete('plot', 'p-3')
      expect(ids(await everything())).to.deep.equal(['p-1', 'p-2', 'p-4', 'p-5'])
    })

    it('lets the system do anything that fits, for a reason', async () => {
      await system().update('plot', 'p-4', { holderId: 'm-1' })
      expect(ids(await store.for(INES).list('plot'))).to.include('p-4')
      await refused(() => system().update('plot', 'p-4', { state: 'sold' as never }), 'INVALID')
      await refused(() => system().create('plot', DATA.plot[0] as Plot), 'DUPLICATE_KEY')
      expect(() => store.asSystem(' ')).to.throw('say why')
    })

    it('refuses a list that means nothing', async () => {
      const mine = store.for(INES)
      const QUERIES: readonly [object, ErrorCode, string][] = [
        [{ sort: ['nmber'] }, 'UNKNOWN_NAME', 'did you mean "number"'],
        [{ sort: ['tags'] }, 'BAD_QUERY', 'has no order'],
        [{ sort: 'number' }, 'BAD_QUERY', 'a list of fields'],
        [{ fields: ['nmber'] }, 'UNKNOWN_NAME', 'did you mean "number"'],
        [{ limit: -1 }, 'BAD_QUERY', 'limit'],
        [{ limit: '5' }, 'BAD_QUERY', 'limit'],
        [{ where: { number: 5 } }, 'BAD_QUERY', 'where is a function'],
        [{ where: () => true }, 'BAD_QUERY', 'must return a condition'],
        [{ where: (plot: any) => plot.nmber.is(5) }, 'BAD_QUERY', 'did you mean "number"'],
      ]
      for (const [query, code, says] of QUERIES) await refused(() => mine.list('plot', query), code, says)
      await refused(() => mine.list('plto', {}), 'UNKNOWN_NAME', 'did you mean "plot"')
    })

    it('keeps its own copies', async () => {
      const plot = (await system().get('plot', 'p-1')) as Plot
      plot.tags.push('mine')
      plot.holderId = 'm-9'
      expect(await system().get('plot', 'p-1')).to.deep.equal(DATA.plot[0])
    })

    it('does one write after the other, and none by halves', async () => {
      const mine = store.for(INES)
      await Promise.all(Array.from({ length: 20 }, (_, at) => mine.update('plot', 'p-1', { number: at })))
      const race = await Promise.allSettled([
        system().update('plot', 'p-1', { holderId: 'm-2' }),
        ...Array.from({ length: 5 }, () => mine.update('plot', 'p-1', { note: 'still mine' })),
      ])
      const { holderId, note } = (await system().get('plot', 'p-1')) as Plot
      expect(holderId).to.equal('m-2')
      const won = race.slice(1).filter(({ status }) => status === 'fulfilled').length
      expect(note === 'still mine').to.equal(won > 0)
    })
  })
}

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
    expect(await codeOf(store.for(INES).updateMany('plot', both, { number: 5 }, { partly: true })), 'no reason to go on').to.equal(
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
    expect(() => openStore(book, inMemory({ plto: [] }))).to.throw('did you mean "plot"')
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

  it('nothing, where nobody could get anything', async () => {
    const asked: string[] = []
    const store = openStore(book, watched(asked))
    expect(await store.for(null).list('counter')).to.deep.equal([])
    await store
      .for(null)
      .get('counter', 5)
      .catch(() => {})
    await store
      .for(INES)
      .create('plot', { number: 5 })
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
