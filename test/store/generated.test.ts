// Fields that the database sets: identities, defaults, generated columns.
import { expect } from 'chai'
import { type Kysely, sql } from 'kysely'
import { rulebook, toOne } from 'pachter'
import { rulebookFromJson, rulebookToJson } from 'pachter/json'
import { overKysely } from 'pachter/kysely'
import { createTables } from 'pachter/sql'
import { inMemory, openStore, type Store } from 'pachter/store'
import { z } from 'zod'
import { engines } from '../support/engines.js'
import { codeOf } from '../support/filling.js'

const shapes = {
  me: z.object({ id: z.string(), desk: z.boolean() }),
  records: {
    invoice: z.object({
      id: z.int().positive(),
      ownerId: z.string(),
      net: z.int(),
      gross: z.int(),
      state: z.enum(['draft', 'sent']),
      createdAt: z.date(),
      note: z.string().min(3).optional(),
    }),
    line: z.object({ id: z.string(), invoiceId: z.int(), text: z.string() }),
  },
}
const begun = (generated: boolean) =>
  rulebook({
    me: { shape: shapes.me, key: 'id' },
    records: {
      invoice: {
        shape: shapes.records.invoice,
        key: 'id',
        ...(generated ? { generated: ['id', 'gross', 'state', 'createdAt'] as const } : {}),
      },
      line: { shape: shapes.records.line, key: 'id', links: { invoice: toOne('invoice', 'invoiceId') } },
    },
  })
const book = rulebook({
  me: { shape: shapes.me, key: 'id' },
  records: {
    invoice: { shape: shapes.records.invoice, key: 'id', generated: ['id', 'gross', 'state', 'createdAt'] },
    line: { shape: shapes.records.line, key: 'id', links: { invoice: toOne('invoice', 'invoiceId') } },
  },
}).rules({
  invoice: (invoice, { me, anyone }) => {
    const own = () => anyone.provided(invoice.ownerId.is(me.id)).titled('own')
    const desk = () => anyone.provided(me.desk.is(true)).titled('desk')
    return {
      may: {
        read: [own().titled('own'), desk()],
        create: [own(), desk().overriding('state', 'createdAt')],
        update: [own().except('ownerId'), anyone.provided(me.desk.is(true), invoice.gross.isAtMost(1000)).titled('desk, of small ones')],
        delete: [own()],
      },
    }
  },
  line: (line, { me, anyone }) => ({
    may: { read: [anyone.provided(line.invoice.ownerId.is(me.id))], create: [anyone.provided(line.invoice.ownerId.is(me.id))] },
  }),
})

const TABLES: { readonly [engine: string]: string } = {
  SQLite: `create table invoice (id integer primary key autoincrement, ownerId text not null, net integer not null, gross integer generated always as (net * 2) stored, state text not null default 'draft', createdAt text not null default (strftime('%Y-%m-%dT%H:%M:%fZ')), note text)`,
  PostgreSQL: `create table invoice (id integer generated always as identity primary key, "ownerId" text not null, net integer not null, gross integer generated always as (net * 2) stored, state text not null default 'draft', "createdAt" timestamptz not null default now(), note text)`,
  MariaDB:
    'create table invoice (id integer primary key auto_increment, ownerId varchar(255) not null, net integer not null, gross integer generated always as (net * 2) stored, state varchar(20) not null default "draft", createdAt datetime(3) not null default (utc_timestamp(3)), note text)',
}
const [ada, desk] = [
  { id: 'ada', desk: false },
  { id: 'cy', desk: true },
]

const places: { readonly [where: string]: () => Promise<{ store: Store<any>; db?: Kysely<any> }> } = {
  'in memory': async () => ({ store: openStore(book, inMemory()) as never }),
  ...Object.fromEntries(
    engines.map(({ name, dialect, open }) => [
      `in ${name}`,
      async () => {
        const db = await open(begun(false))
        await sql`drop table invoice`.execute(db)
        await sql.raw(TABLES[name] ?? (TABLES.PostgreSQL as string)).execute(db)
        return { store: openStore(book, overKysely(db, dialect)) as never, db }
      },
    ]),
  ),
}

for (const [where, open] of Object.entries(places))
  describe(`fields that the database sets, ${where}`, () => {
    it('are left to it, and come back', async () => {
      const { store, db } = await open()
      const before = Date.now() - 60_000
      const mine = store.for(ada)
      const made = (await mine.create('invoice', { ownerId: 'ada', net: 5 })) as any
      expect(made).to.include({ ownerId: 'ada', net: 5, state: 'draft', gross: db ? 10 : 1 })
      expect(made.id).to.be.a('number')
      expect(made.createdAt.getTime()).to.be.within(before, Date.now() + 60_000)
      const next = (await mine.create('invoice', { ownerId: 'ada', net: 6 })) as any
      expect(next.id).to.equal(made.id + 1)
      expect(await mine.get('invoice', made.id)).to.deep.equal(made)
      expect(await mine.create('line', { invoiceId: made.id, text: 'seeds' })).to.include({ invoiceId: made.id })
    })

    it('are sent by nobody, except where a clause allows it', async () => {
      const { store } = await open()
      const [mine, theirs] = [store.for(ada), store.for(desk)]
      const row = { ownerId: 'ada', net: 5 }
      for (const sent of [{ id: 7 }, { gross: 1 }, { state: 'sent' }, { createdAt: new Date(0) }])
        expect(await codeOf(mine.create('invoice', { ...row, ...sent })), JSON.stringify(sent)).to.be.oneOf(['INVALID', 'REFUSED'])
      expect(await codeOf(mine.create('invoice', { ...row, ownerId: 'bo' }))).to.equal('REFUSED')
      expect(await codeOf(mine.create('invoice', { ...row, note: 'x' }))).to.equal('INVALID')
      expect(await codeOf(mine.create('invoice', { ownerId: 'ada' }))).to.equal('INVALID')
      expect(await store.asSystem('look').count('invoice')).to.equal(0)
      const at = new Date('2026-01-02T03:04:05.678Z')
      const made = (await theirs.create('invoice', { ...row, state: 'sent', createdAt: at })) as any
      expect(made).to.deep.include({ state: 'sent', createdAt: at })
      expect((await mine.verdict('create', 'invoice', row)).allowed).to.equal(true)
      expect(await codeOf(mine.verdict('create', 'invoice', { ...row, state: 'sent' }))).to.equal('INVALID')
      expect(await codeOf(mine.update('invoice', made.id, { createdAt: new Date(0) }))).to.equal('INVALID')
      expect(await codeOf(mine.update('invoice', made.id, { ...made, note: 'as it was' }))).to.equal('done')
    })

    it('follow an update, unless rules of the update depend on them', async () => {
      const { store, db } = await open()
      const made = (await store.for(ada).create('invoice', { ownerId: 'ada', net: 5 })) as any
      expect(await codeOf(store.for(ada).update('invoice', made.id, { note: 'for tools' }))).to.equal('done')
      expect(await codeOf(store.for(desk).update('invoice', made.id, { note: 'by desk' }))).to.equal('done')
      if (db === undefined) return
      // The gross sum decides whether the desk may change the invoice, so it is not changed under it.
      expect(await codeOf(store.for(desk).update('invoice', made.id, { net: 900 }))).to.equal('STORE_FAILED')
      expect(await store.asSystem('look').get('invoice', made.id)).to.include({ net: 5, gross: 10, note: 'by desk' })
    })
  })

it('a shape that compares fields with each other is asked about the stored record', async () => {
  const shape = z
    .object({ id: z.int(), net: z.int(), gross: z.int(), note: z.string().min(3) })
    .refine(({ id: made, net }) => net > made, { path: ['net'], message: 'more than its number' })
  const compared = rulebook({
    me: { shape: shapes.me, key: 'id' },
    records: { sum: { shape, key: 'id', generated: ['id', 'gross'] } },
  }).rules({
    sum: (_, { signedIn }) => ({ may: { read: [signedIn], create: [signedIn] } }),
  })
  const store = openStore(compared, inMemory({ sum: [{ id: 40, net: 50, gross: 1, note: 'old' }] }))
  const create = (sent: object) => codeOf(store.for(ada).create('sum', sent as never))
  expect(await create({ net: 42, note: 'fits' })).to.equal('done')
  for (const odd of [{ net: 42, note: 'next number' }, { net: 99, note: 'x' }, { net: '99', note: 'text' }, { note: 'none' }])
    expect(await create(odd), JSON.stringify(odd)).to.equal('INVALID')
  expect(await store.asSystem('look').count('sum')).to.equal(2)
})

describe('a rulebook with fields that the database sets', () => {
  const rules = (of: object) => begun(true).rules({ invoice: () => of } as never)

  it('has no rules of create that depend on them', () => {
    const create = (condition: (invoice: any) => object) =>
      begun(true).rules({
        invoice: (invoice: any, { anyone }: any) => ({ may: { create: [anyone.provided(condition(invoice))] } }),
      } as never)
    expect(() => create((invoice) => invoice.state.is('draft'))).to.throw(
      /a rule of create cannot depend on "state": the database sets it afterwards/,
    )
    expect(() => create((invoice) => invoice.net.isMoreThan(1))).not.to.throw()
    expect(() => begun(true).rules({ invoice: (invoice: any) => ({ gate: { all: invoice.createdAt.isPresent() } }) } as never)).to.throw(
      /gates.create/,
    )
    expect(() =>
      begun(true).rules({
        invoice: (invoice: any) => ({ vetoes: [{ actions: ['create'], provided: invoice.gross.isMoreThan(5), message: 'No.' }] }),
      } as never),
    ).to.throw(/vetoes/)
    expect(() => rules({ may: {}, stamps: { create: { state: 'sent' } } })).to.throw(/the database sets this field/)
    expect(() => rules({ may: {}, stamps: { update: { state: 'sent' } } })).not.to.throw()
  })

  it('names fields that there are', () => {
    const made = (generated: unknown) =>
      rulebook({ me: { shape: shapes.me, key: 'id' }, records: { line: { shape: shapes.records.line, key: 'id', generated } } } as never)
    expect(() => made(['txt'])).to.throw(/no field "txt"/)
    expect(() => made('text')).to.throw(/needs a list of fields/)
  })

  it('reads back from JSON, and is created by migrations only', async () => {
    const json = JSON.parse(JSON.stringify(rulebookToJson(book)))
    expect(json.types.invoice.generated).to.deep.equal(['id', 'gross', 'state', 'createdAt'])
    expect(rulebookToJson(rulebookFromJson(json, shapes))).to.deep.equal(json)
    const odd = await createTables({} as never, book, engines[0]?.dialect as never).catch((error) => error)
    expect(odd.message).to.include('Create this table by a migration')
  })
})
