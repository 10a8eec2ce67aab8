import { expect } from 'chai'
import { sql as drizzle } from 'drizzle-orm'
import { PgDialect } from 'drizzle-orm/pg-core'
import { createPool } from 'mysql2/promise'
import { rulebook, toMany, toOne } from 'pachter'
import { overKysely } from 'pachter/kysely'
import { fieldFilter, layoutOf, postgres, rowFilter, sqlite } from 'pachter/sql'
import { openStore } from 'pachter/store'
import pg from 'pg'
import { z } from 'zod'
import { engines } from '../support/engines.js'

const book = rulebook({
  me: { shape: z.object({ id: z.string() }), key: 'id', links: { member: toOne('member', 'id') }, roles: (me) => me.member.roles },
  records: {
    member: { shape: z.object({ id: z.string(), roles: z.array(z.enum(['treasurer'])) }), key: 'id' },
    plot: {
      shape: z.object({ id: z.string(), holderId: z.string().nullable(), rentDue: z.int(), state: z.enum(['vacant', 'let']) }),
      key: 'id',
      links: { shares: toMany('share', 'plotId') },
    },
    share: { shape: z.object({ id: z.string(), plotId: z.string(), memberId: z.string() }), key: 'id' },
  },
})
  .standings({
    plot: (plot, { me }) => ({ holder: plot.holderId.is(me.id), helper: plot.shares.some((share) => share.memberId.is(me.id)) }),
  })
  .rules({
    plot: (plot, { standing: { holder, helper }, anyone, role }) => ({
      may: {
        read: [holder, helper.except('rentDue'), role('treasurer'), anyone.provided(plot.state.is('vacant')).only('state')],
        update: [holder],
      },
    }),
  })

const DATA = {
  member: [
    { id: 'm-1', roles: [] },
    { id: 'm-3', roles: ['treasurer' as const] },
  ],
  plot: [
    { id: 'p-1', holderId: 'm-1', rentDue: 5, state: 'let' as const },
    { id: 'p-2', holderId: 'm-2', rentDue: 6, state: 'let' as const },
    { id: 'p-3', holderId: null, rentDue: 7, state: 'vacant' as const },
    { id: 'p-4', holderId: 'm-2', rentDue: 8, state: 'let' as const },
  ],
  share: [{ id: 'h-1', plotId: 'p-2', memberId: 'm-1' }],
}

/** Asks the server itself, by its own driver. */
const DRIVERS: { readonly [engine: string]: (text: string, values: readonly unknown[]) => Promise<{ id: string }[]> } = {
  async PostgreSQL(text, values) {
    const client = new pg.Client({
      connectionString: process.env.PACHTER_TEST_POSTGRES,
      options: `-c search_path=pachter_test_${process.pid}`,
    })
    await client.connect()
    return client.query(text, [...values]).then(
      ({ rows }) => client.end().then(() => rows),
      (error) => client.end().then(() => Promise.reject(error)),
    )
  },
  async MariaDB(text, values) {
    const pool = createPool({ uri: `${process.env.PACHTER_TEST_MARIADB}`, database: `pachter_test_${process.pid}` })
    const [rows] = await pool.query(text, [...values]).finally(() => pool.end())
    return rows as { id: string }[]
  },
}

describe('a filter for queries of one’s own', () => {
  for (const { name, dialect, open } of engines) {
    it(`selects in ${name} what the store lists, by Kysely and by the driver`, async () => {
      const options = { names: 'snake_case', prefix: 'al_' } as const
      const layout = layoutOf(book, options)
      const db = await open(book, { layout })
      const store = openStore(book, overKysely(db, dialect, options))
      for (const type of ['member', 'plot', 'share'] as const)
        for (const record of DATA[type]) await store.asSystem('fill').create(type, record)
      for (const me of [null, { id: 'm-1' }, { id: 'm-3' }, { id: 'm-9' }]) {
        const mine = store.for(me)
        const view = await mine.viewpoint()
        for (const action of ['read', 'update'] as const) {
          const wanted = (await mine.list('plot', { withActions: ['update'] }))
            .filter(({ may }) => action === 'read' || may.update?.allowed)
            .map(({ record }) => record.id)
          const filter = rowFilter(view, action, 'plot', { dialect, layout, table: 'p', first: 2 })
          const byKysely = await db.selectFrom('al_plot as p').select('p.id').where(filter.expression).orderBy('p.id').execute()
          expect(byKysely.map(({ id }) => id)).to.deep.equal(wanted)
          const place = dialect === postgres ? '$1' : '?'
          const text = `select p.id from al_plot as p where p.id <> ${place} and ${filter.text} order by p.id`
          const byDriver = await DRIVERS[name]?.(text, ['p-1', ...filter.values])
          if (byDriver) expect(byDriver.map(({ id }) => id)).to.deep.equal(wanted.filter((id) => id !== 'p-1'))
        }
        const rent = fieldFilter(view, 'plot', 'rentDue', { dialect, layout })
        const seen = await db.selectFrom('al_plot').select('id').where(rent.expression).orderBy('id').execute()
        expect(seen.map(({ id }) => id)).to.deep.equal((await mine.list('plot')).filter((plot) => 'rentDue' in plot).map(({ id }) => id))
      }
    })
  }

  it('is written with placeholders of either kind, or as what a tagged template is given', () => {
    const view = book.for({ id: 'm-1' }, { records: DATA })
    const numbered = rowFilter(view, 'read', 'plot', { dialect: postgres, first: 3 })
    expect(numbered.text.match(/\$\d+/g)).to.deep.equal(numbered.values.map((_, at) => `$${at + 3}`))
    expect(numbered.values).to.include('m-1')
    const marked = rowFilter(view, 'read', 'plot', { dialect: postgres, placeholders: '?' })
    expect(marked.text.split('?')).to.deep.equal([...marked.strings])
    const { strings, values } = marked
    const drawn = new PgDialect().sqlToQuery(drizzle`select ${1} where ${drizzle(strings, ...values)}`)
    expect(drawn.sql).to.equal(`select $1 where ${rowFilter(view, 'read', 'plot', { dialect: postgres, first: 2 }).text}`)
    expect(drawn.params).to.deep.equal([1, ...values])
    expect(rowFilter(view, 'delete', 'plot', { dialect: sqlite }).text).to.equal('1 = 0')
  })

  it('asks nothing that another part of it says already: who holds a plot reads it', () => {
    const view = book.for({ id: 'm-1' }, { records: DATA })
    expect(rowFilter(view, 'read', 'plot', { dialect: postgres }).text).to.include('share')
    expect(rowFilter(view, 'update', 'plot', { dialect: postgres }).values).to.deep.equal(['m-1'])
  })

  it('is refused without a person, or for an unknown type or action', async () => {
    const view = book.for({ id: 'm-1' }, { records: DATA })
    expect(() => rowFilter(view, 'raed' as never, 'plot', { dialect: sqlite })).to.throw('read')
    expect(() => rowFilter(view, 'read', 'plto' as never, { dialect: sqlite })).to.throw('plot')
    expect(() => fieldFilter(view, 'plot', 'rent' as never, { dialect: sqlite })).to.throw('rentDue')
  })
})
