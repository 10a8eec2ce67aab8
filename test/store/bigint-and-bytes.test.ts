// Values that JSON does not have: bigints and bytes.
import { toStandardJsonSchema } from '@valibot/to-json-schema'
import { expect } from 'chai'
import { type Kysely, sql } from 'kysely'
import { rulebook } from 'pachter'
import { routes } from 'pachter/http'
import { overKysely } from 'pachter/kysely'
import { type Dialect, readLayout } from 'pachter/sql'
import { inMemory, openStore } from 'pachter/store'
import * as v from 'valibot'
import { z } from 'zod'
import { engines } from '../support/engines.js'
import { codeOf } from '../support/filling.js'

const tape = z.object({
  id: z.string(),
  ownerId: z.string(),
  samples: z.bigint().nonnegative(),
  checksum: z.bigint().nullable(),
  cover: z.instanceof(Uint8Array).nullable(),
  sound: z.instanceof(Uint8Array).optional(),
  deep: z.object({ seed: z.bigint(), mark: z.instanceof(Uint8Array) }).optional(),
})
const begun = () => rulebook({ me: { shape: z.object({ id: z.string() }), key: 'id' }, records: { tape: { shape: tape, key: 'id' } } })
const book = begun().rules({
  tape: (tape, { me, anyone }) => {
    const own = anyone.provided(tape.ownerId.is(me.id)).titled('own')
    return {
      may: {
        read: [
          own,
          anyone.provided(tape.checksum.isPresent(), tape.cover.isPresent()).titled('checked and with a cover').except('samples'),
        ],
        create: [own.overriding('id')],
        update: [own.except('ownerId')],
        delete: [own],
      },
    }
  },
})
const bytes = (...all: number[]) => Uint8Array.from(all)
const every = Uint8Array.from({ length: 256 }, (_, at) => at)
const first = {
  id: 't-1',
  ownerId: 'ada',
  samples: 2n ** 62n + 1n,
  checksum: null,
  cover: every,
  sound: bytes(),
  deep: { seed: -(2n ** 70n), mark: bytes(0, 39, 92) },
}
const [ada, bo] = [{ id: 'ada' }, { id: 'bo' }]

// Tables as an application has them; times and keys are not what this is about.
const OWN: { readonly [engine: string]: string } = {
  SQLite:
    'create table tape (id text primary key, ownerId text not null, samples integer not null, checksum text, cover blob, sound blob, deep text)',
  PostgreSQL:
    'create table tape (id text primary key, "ownerId" text not null, samples bigint not null, checksum numeric(30), cover bytea, sound bytea, deep jsonb)',
  MariaDB:
    'create table tape (id varchar(40) primary key, ownerId varchar(40) not null, samples bigint not null, checksum decimal(30,0), cover blob, sound varbinary(900), deep json)',
}

const own = async (name: string, dialect: Dialect, open: (of: any) => Promise<Kysely<any>>) => {
  // A book of its own, because tables are kept for the same book.
  const db = await open({ ...book })
  await sql`drop table tape`.execute(db)
  await sql.raw(OWN[name] ?? (OWN.PostgreSQL as string)).execute(db)
  return openStore(book, overKysely(db, dialect, { layout: await readLayout(db, dialect, book) }))
}

const memory = async () => openStore(book, inMemory())
const places: { readonly [where: string]: typeof memory } = {
  'in memory': memory,
  ...Object.fromEntries(
    engines.flatMap(({ name, dialect, open }) => [
      [`in ${name}`, async () => openStore(book, overKysely(await open(book), dialect))],
      [`in ${name}, own table`, () => own(name, dialect, open)],
    ]),
  ),
}

for (const [where, open] of Object.entries(places))
  describe(`bigints and bytes, ${where}`, () => {
    it('are written and read back exactly, changed, and tested for being there', async () => {
      const store = await open()
      const mine = store.for(ada)
      expect(await mine.create('tape', first)).to.deep.equal(first)
      expect(await mine.get('tape', 't-1')).to.deep.equal(first)
      expect(await codeOf(store.for(bo).get('tape', 't-1'))).to.equal('NOT_FOUND')
      const big = 123_456_789_012_345_678_901_234_567n
      await mine.update('tape', 't-1', { checksum: big, deep: { seed: 5n, mark: every } })
      const { samples: _, ...rest } = { ...first, checksum: big, deep: { seed: 5n, mark: every } }
      expect(await store.for(bo).list('tape')).to.deep.equal([rest])
      await mine.update('tape', 't-1', { cover: null, samples: 7n })
      expect(await store.for(bo).list('tape')).to.deep.equal([])
      expect(await mine.list('tape', { where: (one) => one.sound.isPresent() })).to.have.length(1)
      expect(await codeOf(mine.update('tape', 't-1', { samples: 'seven' } as never))).to.equal('INVALID')
      expect(await codeOf(mine.update('tape', 't-1', { cover: 'AAEC' } as never))).to.equal('INVALID')
      expect(await codeOf(mine.list('tape', { sort: 'samples' } as never))).to.equal('BAD_QUERY')
      expect((await mine.get('tape', 't-1')).samples).to.equal(7n)
    })

    it('are text and base64 over HTTP', async () => {
      const store = await open()
      const handle = routes(book, store, {
        paths: { tape: 'tapes' },
        identity: Object.assign(async () => ada, { automatic: false }),
        insecure: true,
      } as never)
      const ask = async (method: string, path: string, body?: object, tag?: string) => {
        const headers = {
          'x-who': 'ada',
          'content-type': method === 'PATCH' ? 'application/merge-patch+json' : 'application/json',
          ...(tag ? { 'if-match': tag } : {}),
        }
        const answer = await handle(new Request(`http://here${path}`, { method, headers, ...(body ? { body: JSON.stringify(body) } : {}) }))
        return { status: answer.status, tag: answer.headers.get('etag') ?? '', body: (await answer.json()) as any }
      }
      const sent = { ownerId: 'ada', samples: '4611686018427387905', checksum: null, cover: 'AP8Q', deep: { seed: 12, mark: '' } }
      const made = await ask('POST', '/tapes', sent)
      expect([made.status, made.body.samples, made.body.cover], JSON.stringify(made.body)).to.deep.equal([201, sent.samples, 'AP8Q'])
      const at = `/tapes/${made.body.id}`
      const read = await ask('GET', at)
      expect(read.body).to.deep.equal({ id: made.body.id, ...sent, deep: { seed: '12', mark: '' } })
      const changed = await ask('PATCH', at, { cover: 'AP8R', deep: { seed: '-9' } }, read.tag)
      expect([changed.status, changed.body.cover, changed.body.deep], JSON.stringify(changed.body)).to.deep.equal([
        200,
        'AP8R',
        { seed: '-9', mark: '' },
      ])
      expect((await ask('PATCH', at, { cover: 'AP8S' }, read.tag)).status).to.equal(412)
      for (const odd of [
        { cover: 'no base64' },
        { cover: 'AP8' },
        { samples: '1e3' },
        { samples: 1.5 },
        { samples: '9'.repeat(5_000) },
        { samples: {} },
        { cover: [1] },
      ])
        expect((await ask('PATCH', at, odd)).status, JSON.stringify(odd).slice(0, 60)).to.equal(422)
      expect((await ask('GET', '/tapes')).body.records[0].cover).to.equal('AP8R')
    })
  })

it('columns that cannot hold them are named when the layout is read', async () => {
  for (const { name, dialect, open } of engines.filter((one) => one.name !== 'SQLite')) {
    const db = await open({ ...book })
    await sql`alter table tape drop column cover`.execute(db)
    await sql`alter table tape add column cover int`.execute(db)
    const failed = await readLayout(db, dialect, book).then(String, String)
    expect(failed, name).to.match(/tape\.cover: the column tape\.cover is int.* It cannot hold bytes/)
  }
})

it('shapes of other libraries have them too; rules compare none of them', () => {
  const shape = toStandardJsonSchema(
    v.object({ id: v.string(), at: v.date(), size: v.optional(v.bigint()), cover: v.nullable(v.instance(Uint8Array)) }),
  )
  const { model } = rulebook({
    me: { shape: z.object({ id: z.string() }), key: 'id' },
    records: { tape: { shape: shape as never, key: 'id' } },
  })
  expect(model.types.tape?.fields).to.deep.equal({
    id: { type: 'text' },
    at: { type: 'time', held: 'date' },
    size: { type: 'other', held: 'bigint', optional: true },
    cover: { type: 'other', held: 'bytes', optional: true, nullable: true },
  })
  const comparing = () =>
    begun().rules({ tape: (one: any, { me, anyone }: any) => ({ may: { read: [anyone.provided(one.samples.is(me.id))] } }) } as never)
  expect(comparing).to.throw(/samples/)
})
