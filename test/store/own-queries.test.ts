import { expect } from 'chai'
import { CamelCasePlugin, type Generated, type Kysely, sql } from 'kysely'
import * as ofPostgres from 'kysely/helpers/postgres'
import * as ofSqlite from 'kysely/helpers/sqlite'
import { now, rulebook } from 'pachter'
import { overKysely } from 'pachter/kysely'
import { createTables, layoutOf, mariadb, postgres } from 'pachter/sql'
import { inMemory, type LogEntry, openStore } from 'pachter/store'
import { z } from 'zod'
import { recordsOf, today } from '../../examples/world/open.js'
import { people } from '../../examples/world/people.js'
import { book } from '../../examples/world/rulebook.js'
import { engines } from '../support/engines.js'
import { fill } from '../support/filling.js'
import { ownQueriesAgree, ownQueriesTellNothing } from '../support/own-queries.js'
import { tries } from '../support/tries.js'

/** The database as an application describes it to Kysely. */
interface Database {
  plot: { id: Generated<string>; number: number; siteId: string; holderId: string | null; rentDue: number | null; secret: string }
  site: { id: string; name: string; path: string }
  remark: { id: string; entryId: string | null; parentId: string | null; text: string }
  member: { id: string; name: string; siteIds: string }
  audit: { id: string }
}

const TYPES = Object.keys(book.model.types) as 'plot'[]
const data = () => Object.fromEntries(TYPES.map((type) => [type, recordsOf(type)]))
const seen = { ines: people.ines, bram: people.bram, odile: people.odile, hugo: people.hugo, visitor: null }

for (const engine of engines)
  describe(`own queries in ${engine.name}`, () => {
    let db: Kysely<any>
    let log: LogEntry[]
    const failed: string[] = []
    const open = (options = {}) =>
      openStore(book, overKysely(db, engine.dialect), { now: today, log: (entry) => log.push(entry), ...options })
    const store = () => open()
    before(async () => {
      log = []
      db = await engine.open(book as never)
      await fill(store() as never, data())
    })
    beforeEach(() => {
      log = []
      failed.splice(0)
    })
    const of = (me: (typeof seen)[keyof typeof seen], options = {}) =>
      open(options)
        .for(me)
        .queries<Database>({ failed: (error) => failed.push(String(error)) })

    for (const [name, me] of Object.entries(seen))
      it(`count and add up only what ${name} sees`, async () => {
        const lists = store().for(me)
        const [plots, sites] = [await lists.list('plot'), await lists.list('site')]
        const mine = await of(me)
        const rows = await mine
          .selectFrom('plot')
          .innerJoin('site', 'site.id', 'plot.siteId')
          .select(({ fn }) => [
            'site.id',
            fn.count('plot.id').as('plots'),
            fn.sum('plot.rentDue').as('rent'),
            fn.count('plot.holderId').as('held'),
          ])
          .groupBy('site.id')
          .orderBy('site.id')
          .execute()
        const expected = sites.flatMap(({ id }) => {
          const there = plots.filter(({ siteId }) => siteId === id)
          const rents = there.flatMap(({ rentDue }) => rentDue ?? [])
          if (there.length === 0) return []
          const rent = rents.length === 0 ? null : rents.reduce((sum, one) => sum + one)
          return [{ id, plots: there.length, rent, held: there.filter(({ holderId }) => typeof holderId === 'string').length }]
        })
        const plain = rows.map((row) => ({
          ...row,
          plots: Number(row.plots),
          rent: row.rent === null ? null : Number(row.rent),
          held: Number(row.held),
        }))
        expect(plain).to.deep.equal(expected.sort((a, b) => (a.id < b.id ? -1 : 1)))
        const all = await mine.selectFrom('plot').selectAll().orderBy('id').execute()
        expect(all.map(({ id, rentDue }) => [id, rentDue ?? undefined])).to.deep.equal(
          plots.map(({ id, rentDue }) => [id, rentDue ?? undefined]).sort(),
        )
      })

    it('follow a part of WITH to itself', async () => {
      const mine = await of(people.odile)
      const threads = await mine
        .withRecursive('thread(id, depth)', (q) =>
          q
            .selectFrom('remark')
            .select(['remark.id', sql<number>`0`.as('depth')])
            .where('parentId', 'is', null)
            .unionAll(
              q
                .selectFrom('remark')
                .innerJoin('thread', 'thread.id', 'remark.parentId')
                .select(['remark.id', sql<number>`${sql.ref('thread.depth')} + 1`.as('depth')]),
            ),
        )
        .selectFrom('thread')
        .select(({ fn }) => [fn.max('thread.depth').as('deepest'), fn.countAll().as('all')])
        .execute()
      const remarks = await store().for(people.odile).list('remark')
      expect(Number(threads[0]?.all)).to.equal(remarks.length)
    })

    it('nest what is linked as JSON, as the helpers of Kysely do', async () => {
      if (engine.dialect === mariadb) return
      const { jsonArrayFrom, jsonObjectFrom } = engine.dialect === postgres ? ofPostgres : ofSqlite
      const mine = await of(people.ines)
      const rows = await mine
        .selectFrom('site')
        .select((eb) => [
          'site.id',
          jsonArrayFrom(
            eb.selectFrom('plot').select(['plot.id', 'plot.rentDue as rent']).whereRef('plot.siteId', '=', 'site.id').orderBy('plot.id'),
          ).as('plots'),
          jsonObjectFrom(eb.selectFrom('member').select('member.name').where('member.id', '=', people.ines.id)).as('me'),
        ])
        .orderBy('site.id')
        .execute()
      const plots = await store().for(people.ines).list('plot')
      for (const { id, plots: nested, me } of rows as { id: string; plots: unknown; me: unknown }[]) {
        const given = typeof nested === 'string' ? JSON.parse(nested) : nested
        const there = plots.filter(({ siteId }) => siteId === id).map((plot) => ({ id: plot.id, rent: plot.rentDue ?? null }))
        expect(given).to.deep.equal(there.sort((a, b) => (a.id < b.id ? -1 : 1)))
        expect(typeof me === 'string' ? JSON.parse(me) : me).to.deep.equal({ name: 'Ines Varela' })
      }
    })

    it('read the rules again for each query', async () => {
      const mine = await of(people.bram)
      const count = async () =>
        Number(
          (
            await mine
              .selectFrom('plot')
              .select(({ fn }) => fn.countAll().as('n'))
              .executeTakeFirstOrThrow()
          ).n,
        )
      const first = await count()
      expect(first).to.be.above(0)
      const system = store().asSystem('ban')
      await system.update('member', people.bram.id, { banned: true })
      expect(await count()).to.equal(0)
      await system.update('member', people.bram.id, { banned: false })
      expect(await count()).to.equal(first)
    })

    it('are asked in transactions, with what was written there', async () => {
      const numbers = async (queries: Awaited<ReturnType<typeof of>>, id: string) =>
        (await queries.selectFrom('plot').select('plot.number').where('plot.id', '=', id).execute()).map((row) => Number(row.number))
      const [{ id, number } = { id: '', number: 0 }] = await store().for(people.ines).list('plot', { limit: 1 })
      const undone = new Error('undone')
      const work = store()
        .for(people.ines)
        .transaction(async (inside, asSystem) => {
          await asSystem('test').update('plot', id, { number: 99 })
          expect(await numbers(await inside.queries<Database>(), id)).to.deep.equal([99])
          throw undone
        })
      expect(await work.catch((error) => error)).to.equal(undone)
      expect(await numbers(await of(people.ines), id)).to.deep.equal([number])
    })

    it('tell nothing of what the database says', async () => {
      const mine = (await of(people.odile)) as any
      const broken = mine.selectFrom('plot').select((eb: any) => eb.fn('nullif', ['plot.id']).as('x'))
      const error = await broken.execute().catch((error: Error) => error)
      expect(error).to.include({ code: 'QUERY_FAILED' })
      expect(error.message).to.match(/^the database could not answer this query/)
      expect(JSON.stringify(Object.entries(error))).not.to.match(/nullif/i)
      expect(failed.join()).to.match(/nullif|argument|syntax/i)
      expect(log.map(({ action, types, outcome, code }) => ({ action, types, outcome, code }))).to.deep.equal([
        { action: 'query', types: ['plot'], outcome: 'failed', code: 'QUERY_FAILED' },
      ])
    })

    it('are logged: who asked which tables, and how long, not what', async () => {
      const mine = await of(people.ines, { logAllowed: true })
      await mine
        .selectFrom('plot')
        .innerJoin('site', 'site.id', 'plot.siteId')
        .select('plot.id')
        .where('site.name', '=', 'confidential')
        .execute()
      const [entry] = log.filter(({ action }) => action === 'query')
      expect(entry).to.include({ who: 'm-01', type: 'plot, site', outcome: 'allowed' })
      expect(entry?.milliseconds).to.be.a('number')
      expect(JSON.stringify(log)).not.to.include('confidential')
    })

    it('are asked for another person, who is logged too, and who may only read', async () => {
      const mine = await store().for(people.ines, { actor: 'm-03', readOnly: true }).queries<Database>()
      const rows = await mine.selectFrom('plot').select('plot.id').execute()
      expect(rows.length).to.equal((await store().for(people.ines).list('plot')).length)
      expect(log.filter(({ action }) => action === 'query').map(({ who, actor, outcome }) => [who, actor, outcome])).to.deep.equal([
        ['m-01', 'm-03', 'allowed'],
      ])
    })

    it("are asked in the application's own transaction", async () => {
      const undone = new Error('undone')
      const numbers = async (queries: Awaited<ReturnType<typeof of>>) =>
        (await queries.selectFrom('plot').select('plot.number').execute()).map(({ number }) => Number(number))
      const work = db.transaction().execute(async (transaction) => {
        await transaction.updateTable('plot').set({ number: 77 }).execute()
        expect(new Set(await numbers(await store().in(transaction).for(people.ines).queries<Database>()))).to.deep.equal(new Set([77]))
        throw undone
      })
      expect(await work.catch((error) => error)).to.equal(undone)
      expect(await numbers(await of(people.ines))).not.to.include(77)
    })

    it('see all as the system', async () => {
      const mine = await store().asSystem('report').queries<Database>()
      const rows = await mine.selectFrom('plot').selectAll().execute()
      expect(rows.length).to.equal(recordsOf('plot').length)
    })

    it('leave what an index serves: the fence only stands where something may fail', async () => {
      const mine = (await of(people.bram)) as any
      const { apart } = engine.dialect.expressions
      const text = (query: any) => query.compile().sql as string
      const safe = mine.selectFrom('plot').select('plot.id').where('plot.number', '>', 3).orderBy('plot.number').limit(5)
      expect(text(safe)).not.to.include(apart)
      expect(text(safe)).not.to.match(/rentDue/)
      const unsafe = safe.where((eb: any) => eb(eb('plot.number', '*', 2), '>', 1))
      expect(text(unsafe)).to.include(apart)
      // The condition that cannot fail is asked of the table itself as well.
      expect(text(unsafe).match(/number.{1,4}> /g)).to.have.length(2)
      // Everyone sees all sites, and this column whole.
      const treasurer = (await of(people.odile)) as any
      expect(
        text(
          treasurer
            .selectFrom('site')
            .select('site.name')
            .where((eb: any) => eb(eb.fn('lower', ['site.name']), '=', 'x')),
        ),
      ).not.to.match(/case when/)
    })

    it('use the names that the database has', async () => {
      const names = { names: 'snake_case', prefix: 'own_' } as const
      await createTables(db, book, engine.dialect, layoutOf(book, names)).catch(() => undefined)
      const other = openStore(book, overKysely(db, engine.dialect, names), { now: today })
      for (const type of ['site', 'plot', 'member', 'share'] as const)
        for (const record of recordsOf(type)) await other.asSystem('fill').ensure(type as 'plot', record.id, record as never)
      const mine = await other.for(people.ines).queries<{ own_plot: { id: string; site_id: string } }, { plot: { table: 'own_plot' } }>()
      const rows = await mine.selectFrom('own_plot').select(['own_plot.id', 'own_plot.site_id']).orderBy('own_plot.id').execute()
      expect(rows.map(({ id }) => id)).to.deep.equal((await store().for(people.ines).list('plot')).map(({ id }) => id).sort())
      // The application's own plugin turns names into those of the database.
      const camel = openStore(book, overKysely(db.withPlugin(new CamelCasePlugin()), engine.dialect, names), { now: today }).for(
        people.ines,
      )
      const queries = await camel.queries<{ ownPlot: { siteId: string } }, { plot: { table: 'ownPlot' } }>()
      const [row] = await queries.selectFrom('ownPlot').select('ownPlot.siteId').limit(1).execute()
      expect(row).to.have.all.keys('siteId')
    })

    if (engine.dialect === postgres)
      it('cannot write, whatever their functions do', async () => {
        await sql`create sequence if not exists own_sequence`.execute(db)
        const mine = (await store()
          .for(people.ines)
          .queries<Database>({ functions: ['nextval'], failed: (error) => failed.push(String(error)) })) as any
        const asked = mine.selectFrom('plot').select((eb: any) => eb.fn('nextval', [eb.val('own_sequence')]).as('n'))
        expect(await asked.execute().catch((error: { sqlState: string }) => error.sqlState)).to.equal('25006')
      })

    it(`answer as over tables of what lists show (${tries(4, 25)} worlds of 30 queries)`, async () => {
      expect((await ownQueriesAgree(engine, tries(4, 25))).rows).to.be.above(0)
    })

    it(`tell nothing of what is hidden (${tries(4, 25)} worlds of 30 queries)`, async () => {
      expect((await ownQueriesTellNothing(engine, tries(4, 25))).asked).to.be.above(0)
    })
  })

describe('own queries', () => {
  it('know the time at each query, also where a column is used for the first time', async () => {
    const shape = z.object({ id: z.string(), code: z.string(), until: z.date() })
    const doors = rulebook({ me: { shape: z.object({ id: z.string() }), key: 'id' }, records: { door: { shape, key: 'id' } } }).rules({
      door: (door, { anyone }) => ({ may: { read: [anyone.except('code'), anyone.provided(door.until.isAfter(now))] } }),
    })
    const [engine] = engines as [(typeof engines)[number]]
    let time = new Date('2026-06-15T09:00:00Z')
    const store = openStore(doors, overKysely(await engine.open(doors as never), engine.dialect), { now: () => time })
    await store.asSystem('fill').create('door', { id: 'd-1', code: '1234', until: new Date('2026-06-15T10:00:00Z') })
    const mine = () => store.for({ id: 'm-01' }).queries<{ door: { id: string; code: string } }>()
    const codes = async (queries: Awaited<ReturnType<typeof mine>>) =>
      (await queries.selectFrom('door').select('door.code').execute()).map(({ code }) => code)
    const early = await mine()
    expect(await early.selectFrom('door').select('door.id').execute()).to.deep.equal([{ id: 'd-1' }])
    time = new Date('2026-06-15T11:00:00Z')
    expect([await codes(early), await codes(await mine())]).to.deep.equal([[null], [null]])
    time = new Date('2026-06-15T09:30:00Z')
    expect([await codes(early), await codes(await mine())]).to.deep.equal([['1234'], ['1234']])
  })

  it('need a database', async () => {
    const mine = openStore(book, inMemory({}) as never).for(null)
    expect(await mine.queries<Database>().catch((error) => error.message)).to.match(/overKysely/)
  })
})
