// A table of Drizzle as a person sees it: what a query over it gives is what it would give over their list.
import { expect } from 'chai'
import { and, count, eq, getTableColumns, gte, sql as raw, type SQL, sum } from 'drizzle-orm'
import * as my from 'drizzle-orm/mysql-core'
import * as pg from 'drizzle-orm/pg-core'
import * as lite from 'drizzle-orm/sqlite-core'
import { CompiledQuery, type Kysely } from 'kysely'
import { rulebook, toMany } from 'pachter'
import { seen } from 'pachter/drizzle'
import { overKysely } from 'pachter/kysely'
import { type Dialect, layoutOf, readLayout } from 'pachter/sql'
import { openStore } from 'pachter/store'
import { z } from 'zod'
import { engines } from '../support/engines.js'

const id = z.string()
const book = rulebook({
  me: { shape: z.object({ id }), key: 'id' },
  records: {
    boat: {
      shape: z.object({ id, ownerId: id, berth: z.string(), feeDue: z.number(), isForSale: z.boolean() }),
      key: 'id',
      links: { crew: toMany('crew', 'boatId') },
    },
    crew: { shape: z.object({ id, boatId: id, sailorId: id }), key: 'id' },
  },
})
  .standings({
    boat: (boat, { me }) => ({ owner: boat.ownerId.is(me.id), sails: boat.crew.some((one) => one.sailorId.is(me.id)) }),
  })
  .rules({
    boat: (boat, { standing: { owner, sails }, anyone }) => ({
      may: { read: [owner, sails.except('feeDue'), anyone.provided(boat.isForSale.is(true)).only('berth', 'isForSale')] },
    }),
    crew: (_crew, { signedIn }) => ({ may: { read: [signedIn] } }),
  })

const DATA = {
  boat: [
    { id: 'b-1', ownerId: 'ann', berth: 'A1', feeDue: 10, isForSale: false },
    { id: 'b-2', ownerId: 'bo', berth: 'A2', feeDue: 20, isForSale: false },
    { id: 'b-3', ownerId: 'cy', berth: 'A3', feeDue: 40, isForSale: true },
    { id: 'b-4', ownerId: 'cy', berth: 'A4', feeDue: 80, isForSale: false },
    { id: 'b-5', ownerId: 'ANN', berth: 'A5', feeDue: 160, isForSale: false },
  ],
  crew: [
    { id: 'c-1', boatId: 'b-2', sailorId: 'ann' },
    { id: 'c-2', boatId: 'b-4', sailorId: 'bo' },
  ],
}

/** The tables and the builder of each kind of database. Their columns have names of their own. */
const tables = {
  postgres: {
    boats: pg.pgTable('boat', {
      id: pg.text('id').primaryKey(),
      ownerId: pg.text('owner_id').notNull(),
      berth: pg.text('berth').notNull(),
      feeDue: pg.doublePrecision('fee_due').notNull(),
      isForSale: pg.boolean('is_for_sale').notNull(),
      notes: pg.text('notes'),
    }),
    crews: pg.pgTable('crew', {
      id: pg.text('id').primaryKey(),
      boatId: pg.text('boat_id').notNull(),
      sailorId: pg.text('sailor_id').notNull(),
    }),
    build: () => new pg.QueryBuilder(),
  },
  mariadb: {
    boats: my.mysqlTable('boat', {
      id: my.varchar('id', { length: 200 }).primaryKey(),
      ownerId: my.text('owner_id').notNull(),
      berth: my.text('berth').notNull(),
      feeDue: my.double('fee_due').notNull(),
      isForSale: my.boolean('is_for_sale').notNull(),
      notes: my.text('notes'),
    }),
    crews: my.mysqlTable('crew', {
      id: my.varchar('id', { length: 200 }).primaryKey(),
      boatId: my.text('boat_id').notNull(),
      sailorId: my.text('sailor_id').notNull(),
    }),
    build: () => new my.QueryBuilder(),
  },
  sqlite: {
    boats: lite.sqliteTable('boat', {
      id: lite.text('id').primaryKey(),
      ownerId: lite.text('owner_id').notNull(),
      berth: lite.text('berth').notNull(),
      feeDue: lite.real('fee_due').notNull(),
      isForSale: lite.integer('is_for_sale', { mode: 'boolean' }).notNull(),
      notes: lite.text('notes'),
    }),
    crews: lite.sqliteTable('crew', {
      id: lite.text('id').primaryKey(),
      boatId: lite.text('boat_id').notNull(),
      sailorId: lite.text('sailor_id').notNull(),
    }),
    build: () => new lite.QueryBuilder(),
  },
}

interface Built {
  toSQL(): { readonly sql: string; readonly params: unknown[] }
}
const run = async (db: Kysely<any>, query: Built): Promise<any[]> => {
  const { sql, params } = query.toSQL()
  return (await db.executeQuery(CompiledQuery.raw(sql, params))).rows
}

describe('a table of Drizzle as a person sees it', () => {
  for (const { name, dialect, open } of engines)
    it(`has their rows, and null for hidden fields, in ${name}`, async () => {
      const names = { names: 'snake_case' } as const
      const db = await open(book, { layout: layoutOf(book, names) })
      const layout = await readLayout(db, dialect, book, names)
      const store = openStore(book, overKysely(db, dialect, { layout }))
      const all = store.asSystem('filling')
      for (const one of DATA.boat) await all.create('boat', one)
      for (const one of DATA.crew) await all.create('crew', one)
      // The three kinds have the same columns; one of them stands for all in the types.
      const { boats, crews, build } = tables[dialect.name as 'postgres']
      for (const who of [{ id: 'ann' }, { id: 'bo' }, { id: 'cy' }, { id: 'eve' }, undefined]) {
        const mine = store.for(who)
        const view = await mine.viewpoint()
        const list = await mine.list('boat', { sort: ['id'] })
        const label = `${name}, ${who?.id ?? 'a visitor'}`
        const b = seen(view, 'boat', boats, { layout }).as('b')
        const rows = await run(db, build().select({ id: b.id, berth: b.berth, fee: b.feeDue }).from(b).orderBy(b.id))
        // `toSQL` does not name what it selects: the driver gives the names of the columns.
        const told = rows.map((row) => Object.values(row))
        expect(told, label).to.deep.equal(list.map((one) => [one.id, one.berth ?? null, one.feeDue ?? null]))
        const [total] = await run(
          db,
          build()
            .select({ fees: sum(b.feeDue).as('fees') })
            .from(b),
        )
        const fees = list.reduce((done, { feeDue = 0 }) => done + feeDue, 0)
        expect(Number(total.fees), label).to.equal(fees)
        // Joined with itself and with another table, in which columns have the same names.
        const c = seen(view, 'crew', crews, { layout }).as('c')
        const joined = await run(
          db,
          build()
            .select({ n: count(c.id).as('n') })
            .from(b)
            .innerJoin(c, and(eq(c.boatId, b.id), gte(b.feeDue, 0)) as SQL),
        )
        const crew = await mine.list('crew')
        const expected = crew.filter(({ boatId }) => list.some((one) => one.id === boatId && one.feeDue !== undefined))
        expect(Number(joined[0].n), label).to.equal(expected.length)
      }
    })

  it('finds visible rows before conditions that can fail, unless it need not', async () => {
    const db = await engines[0]?.open(book)
    const view = await openStore(book, overKysely(db as Kysely<any>, engines[0]?.dialect as Dialect))
      .for({ id: 'ann' })
      .viewpoint()
    const { boats } = tables.postgres
    const text = (apart?: boolean) =>
      new pg.PgDialect().sqlToQuery(raw`${seen(view, 'boat', boats, apart === undefined ? {} : { apart }).as('b')}`).sql
    expect(text()).to.match(/ offset 0\) "b"$/)
    expect(text(true)).to.equal(text())
    expect(text(false)).not.to.match(/offset/)
  })

  it('leaves out columns that are no fields, and refuses tables without the key', async () => {
    const db = await engines[0]?.open(book)
    const view = await openStore(book, overKysely(db as Kysely<any>, engines[0]?.dialect as Dialect))
      .for({ id: 'ann' })
      .viewpoint()
    const found = seen(view, 'boat', tables.postgres.boats).as('b')
    expect(Object.keys(found._.selectedFields)).to.deep.equal(
      Object.keys(getTableColumns(tables.postgres.boats)).filter((one) => one !== 'notes'),
    )
    const isFeeKnown: (typeof found)['feeDue']['_']['notNull'] = false
    const isKeyKnown: (typeof found)['id']['_']['notNull'] = true
    expect([isFeeKnown, isKeyKnown]).to.deep.equal([false, true])
    // @ts-expect-error It is no field, so nobody may see it.
    expect(found.notes).to.equal(undefined)
    expect(() => seen(view, 'crew', pg.pgTable('crew', { boatId: pg.text('boat_id') }))).to.throw('has no property "id", which is its key')
    expect(() => seen(view, 'boot' as 'boat', tables.postgres.boats)).to.throw('Did you mean "boat"?')
  })
})
