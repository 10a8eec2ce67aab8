// What somebody may not see, they neither learn by writing nor destroy by it.
import { expect } from 'chai'
import fc from 'fast-check'
import { rulebook, toMany, toOne } from 'pachter'
import { routes } from 'pachter/http'
import { TRUE } from 'pachter/internal/condition'
import { overKysely } from 'pachter/kysely'
import { inMemory, openStore } from 'pachter/store'
import { z } from 'zod'
import { backends } from '../support/backends.js'
import { engines } from '../support/engines.js'
import { listening } from '../support/listening.js'
import { tries } from '../support/tries.js'

const id = z.string()
const me = { shape: z.object({ id, vip: z.boolean().optional() }), key: 'id' } as const
const ANN = { id: 'ann' }

describe('links over several fields, or to a field that is no key', () => {
  const make = (target: 'visible' | 'any') =>
    rulebook({
      me,
      records: {
        site: { shape: z.object({ id, code: z.string(), open: z.boolean() }), key: 'id' },
        plot: { shape: z.object({ id, siteId: id, number: z.int(), open: z.boolean() }), key: 'id' },
        bed: {
          shape: z.object({
            id,
            siteId: id.nullable(),
            number: z.int().nullable(),
            siteCode: z.string().nullable(),
            codes: z.array(z.string()),
          }),
          key: 'id',
          links: {
            plot: toOne('plot', { siteId: 'siteId', number: 'number' }, { target }),
            site: toOne('site', { code: 'siteCode' }, { target }),
            sites: toMany('site', { code: 'codes' }, { target }),
          },
        },
      },
    }).rules({
      site: (site, { anyone }) => ({ may: { read: [anyone.provided(site.open.is(true))] } }),
      plot: (plot, { anyone }) => ({ may: { read: [anyone.provided(plot.open.is(true))] } }),
      bed: (_, { signedIn }) => ({ may: { read: [signedIn], create: [signedIn], update: [signedIn] } }),
    })
  const book = make('visible')
  const full: { siteId: string; number: number; siteCode: string; codes: string[] } = { siteId: '', number: 0, siteCode: '', codes: [] }
  const bed = { siteId: null, number: null, siteCode: null, codes: [] as string[] }
  const CASES: readonly [string, object, string | undefined][] = [
    ['nothing', {}, undefined],
    ['half of a link', { siteId: 's2' }, undefined],
    ['what they see', { siteId: 's1', number: 1, siteCode: 'ONE', codes: ['ONE'] }, undefined],
    ['a hidden record by two fields', { siteId: 's1', number: 2 }, 'there is no such plot'],
    ['none by two fields', { siteId: 's1', number: 3 }, 'there is no such plot'],
    ['a hidden record by its code', { siteCode: 'TWO' }, 'there is no such site'],
    ['none by its code', { siteCode: 'THREE' }, 'there is no such site'],
    ['a hidden record in a list of codes', { codes: ['ONE', 'TWO'] }, 'there is no such site'],
  ]
  for (const engine of engines)
    it(`${engine.name}: what is hidden is asked about as what is not there`, async () => {
      const db = await engine.open(book)
      const system = openStore(book, overKysely(db, engine.dialect)).asSystem('fill')
      await system.create('site', { id: 's2', code: 'TWO', open: false })
      await system.create('plot', { id: 'p2', siteId: 's1', number: 2, open: false })
      await system.create('bed', { id: 'b1', ...bed })
      const heard: string[] = []
      const mine = openStore(book, overKysely(listening(db, heard), engine.dialect)).for(ANN)
      await mine.list('bed')
      const asked = async (work: () => Promise<unknown>) => {
        heard.length = 0
        await work().then(
          () => expect.fail('it was taken'),
          () => undefined,
        )
        return [...heard]
      }
      for (const [hidden, none] of [
        [{ siteCode: 'TWO' }, { siteCode: 'SIX' }],
        [{ codes: ['TWO'] }, { codes: ['SIX'] }],
        [
          { siteId: 's1', number: 2 },
          { siteId: 's1', number: 3 },
        ],
      ] as [Partial<typeof full>, Partial<typeof full>][]) {
        const created = await asked(() => mine.create('bed', { ...bed, ...hidden }))
        expect(created).to.have.length.above(0)
        expect(await asked(() => mine.create('bed', { ...bed, ...none }))).to.deep.equal(created)
        const updated = await asked(() => mine.update('bed', 'b1', hidden))
        expect(await asked(() => mine.update('bed', 'b1', none))).to.deep.equal(updated)
      }
    })
  for (const [where, open] of Object.entries(backends(book)))
    it(`${where}: lead to what one sees`, async () => {
      const backend = await open()
      const store = openStore(book, backend)
      const system = store.asSystem('fill')
      await system.create('site', { id: 's1', code: 'ONE', open: true })
      await system.create('site', { id: 's2', code: 'TWO', open: false })
      await system.create('plot', { id: 'p1', siteId: 's1', number: 1, open: true })
      await system.create('plot', { id: 'p2', siteId: 's1', number: 2, open: false })
      const mine = store.for(ANN)
      for (const [what, sent, says] of CASES) {
        const created = await mine.create('bed', { ...bed, ...sent } as never).then(
          () => undefined,
          (error: Error) => error.message,
        )
        if (says === undefined) expect(created, what).to.equal(undefined)
        else expect(created, what).to.include(says)
        const { id: key } = (await system.create('bed', { ...bed, id: `b-${what}` })) as { id: string }
        const verdict = await mine.verdict('update', 'bed', key, sent).catch((error: Error) => error.message)
        if (says === undefined) expect(verdict, what).to.include({ allowed: true })
        else expect(verdict, what).to.include(says)
      }
      const free = openStore(make('any'), backend).for(ANN)
      await free.create('bed', { ...bed, siteId: 's1', number: 2, siteCode: 'TWO', codes: ['THREE'] })
    })

  for (const [what, link, says] of [
    ['several fields', toOne('plot', { siteId: 'siteId', number: 'number' }, { onDelete: 'delete' }), /several fields/],
    ['a field that is no key', toOne('site', { code: 'siteCode' }, { onDelete: 'unlink' }), /not the key/],
  ] as const)
    it(`say nothing of deletions, by ${what}`, () => {
      const { plot, site, bed: of } = book.model.types
      const records = {
        plot: { shape: plot?.shape, key: 'id' },
        site: { shape: site?.shape, key: 'id' },
        bed: { shape: of?.shape, key: 'id', links: { link } },
      }
      expect(() => rulebook({ me, records } as never)).to.throw(says)
    })
})

describe('a hidden field of a link', () => {
  const book = rulebook({
    me,
    records: {
      member: { shape: z.object({ id }), key: 'id' },
      job: {
        shape: z.object({ id, assigneeId: id.nullable(), helperIds: z.array(id) }),
        key: 'id',
        links: { assignee: toOne('member', 'assigneeId'), helpers: toMany('member', { id: 'helperIds' }) },
      },
    },
  }).rules({
    member: (member, { me: mine, anyone }) => ({ may: { read: [anyone.provided(member.id.is(mine.id))] } }),
    job: (_, { signedIn }) => ({ may: { read: [signedIn.only('id')], update: [signedIn.only('assigneeId', 'helperIds')] } }),
  })
  for (const [where, open] of Object.entries(backends(book)))
    it(`${where}: is not found out by asking for what is there`, async () => {
      const store = openStore(book, await open())
      for (const key of ['ann', 'bob', 'cid']) await store.asSystem('fill').create('member', { id: key })
      await store.asSystem('fill').create('job', { id: 'j', assigneeId: 'bob', helperIds: ['bob', 'ann'] })
      const mine = store.for(ANN)
      const answer = (changes: object) =>
        mine.verdict('update', 'job', 'j', changes).then(
          (verdict) => JSON.stringify(verdict),
          (error: Error) => error.message,
        )
      for (const ask of [
        (key: string) => ({ assigneeId: key }),
        (key: string) => ({ helperIds: [key] }),
        (key: string) => ({ helperIds: [key, 'ann'] }),
      ]) {
        const [there, hidden, none] = await Promise.all(['bob', 'cid', 'nobody'].map((key) => answer(ask(key))))
        expect(there, 'what is there is like what is not').to.equal(hidden)
        expect(hidden).to.equal(none)
      }
      expect(await answer({ assigneeId: 'ann' })).to.include('"allowed":true')
    })
})

describe('objects that hold more than their shape names', () => {
  const Address = z.object({ town: z.string().optional(), street: z.string().optional(), geo: z.object({ lat: z.number() }).optional() })
  const book = rulebook({
    me,
    records: {
      card: {
        shape: z.object({ id, note: z.string(), address: Address.optional(), more: z.looseObject({ a: z.int() }).optional() }),
        key: 'id',
      },
    },
  }).rules({
    card: (_, { me: mine, anyone, signedIn }) => ({
      may: { read: [anyone.provided(mine.vip.orElse(false).is(true)), signedIn.except('address')], update: [signedIn] },
    }),
  })
  const stored = { town: 'Ely', street: 'Fen Lane', secret: 7, geo: { lat: 1, token: 'x' } }
  const VIP = { id: 'vip', vip: true }

  for (const { name, dialect, open } of engines)
    it(`in ${name}: give out what is named and keep what is beside it`, async () => {
      const db = await open(book)
      const row = { id: 'c', note: 'n', address: JSON.stringify(stored), more: JSON.stringify({ a: 1, b: 2 }) }
      await db.insertInto('card').values(row).execute()
      const store = openStore(book, overKysely(db, dialect))
      const held = async () => {
        const { address } = (await db.selectFrom('card').select('address').executeTakeFirstOrThrow()) as { address: unknown }
        return typeof address === 'string' ? JSON.parse(address) : address
      }
      const vip = store.for(VIP)
      const seen = { town: 'Ely', street: 'Fen Lane', geo: { lat: 1 } }
      expect((await vip.get('card', 'c')).address).to.deep.equal(seen)
      expect((await vip.list('card'))[0]).to.deep.include({ address: seen, more: { a: 1, b: 2 } })
      await vip.update('card', 'c', { note: 'other' })
      expect(await held()).to.deep.equal(stored)
      await vip.update('card', 'c', { address: { town: 'Ely', street: 'High Street', geo: { lat: 2 } } })
      expect(await held()).to.deep.equal({ ...stored, street: 'High Street', geo: { lat: 2, token: 'x' } })
      // Somebody who does not see it may change a part, and no more.
      const site = routes(book, store, { identity: async () => ANN, insecure: true })
      const patch = (changes: object) =>
        site(
          new Request('https://cards.example/card/c', {
            method: 'PATCH',
            headers: { 'content-type': 'application/merge-patch+json', authorization: 'Bearer x' },
            body: JSON.stringify(changes),
          }),
        )
      const answer = await patch({ address: { town: 'March', secret: 1 } })
      expect([answer.status, await answer.json()]).to.deep.equal([200, { id: 'c', note: 'other', more: { a: 1, b: 2 } }])
      expect(await held()).to.deep.equal({ town: 'March', street: 'High Street', secret: 7, geo: { lat: 2, token: 'x' } })
      await patch({ address: { street: null } })
      expect(await held()).to.deep.equal({ town: 'March', secret: 7, geo: { lat: 2, token: 'x' } })
    })
})

describe('whatever a shape is made of', () => {
  /** A schema, and values of it: as the shape has them, and as they are stored, with more in every object. */
  interface Made {
    readonly schema: z.ZodType
    readonly value: fc.Arbitrary<{ readonly clean: unknown; readonly stored: unknown }>
  }
  const pair = (all: { readonly [name: string]: { clean: unknown; stored: unknown } }, of: 'clean' | 'stored') =>
    Object.fromEntries(Object.entries(all).map(([name, one]) => [name, one[of]]))
  const object = (parts: { readonly [name: string]: Made }, tag?: string): Made => ({
    schema: z.object({
      ...(tag === undefined ? {} : { tag: z.literal(tag) }),
      ...Object.fromEntries(Object.entries(parts).map(([name, { schema }]) => [name, schema])),
    }),
    value: fc.record(Object.fromEntries(Object.entries(parts).map(([name, { value }]) => [name, value]))).map((all) => {
      const named = tag === undefined ? {} : { tag }
      return { clean: { ...named, ...pair(all, 'clean') }, stored: { ...named, ...pair(all, 'stored'), secret: 7 } }
    }),
  })
  const { made } = fc.letrec<{ made: Made; leaf: Made }>((tie) => ({
    leaf: fc.constantFrom<Made>(
      { schema: z.int(), value: fc.nat(9).map((one) => ({ clean: one, stored: one })) },
      { schema: z.string(), value: fc.constantFrom('a', 'b').map((one) => ({ clean: one, stored: one })) },
    ),
    made: fc.oneof(
      { maxDepth: 3, withCrossShrink: true },
      tie('leaf'),
      fc.dictionary(fc.constantFrom('a', 'b', 'c'), tie('made'), { minKeys: 1 }).map((parts) => object(parts)),
      tie('made').map(
        ({ schema, value }): Made => ({
          schema: z.array(schema),
          value: fc
            .array(value, { maxLength: 3 })
            .map((all) => ({ clean: all.map((one) => one.clean), stored: all.map((one) => one.stored) })),
        }),
      ),
      tie('made').map(
        ({ schema, value }): Made => ({
          schema: z.record(z.string(), schema),
          value: fc.dictionary(fc.constantFrom('x', 'y'), value).map((all) => ({ clean: pair(all, 'clean'), stored: pair(all, 'stored') })),
        }),
      ),
      fc.tuple(tie('made'), tie('made')).map(
        ([one, other]): Made => ({
          schema: z.tuple([one.schema, other.schema]),
          value: fc
            .tuple(one.value, other.value)
            .map((all) => ({ clean: all.map((part) => part.clean), stored: all.map((part) => part.stored) })),
        }),
      ),
      fc.tuple(tie('made'), tie('made')).map(([one, other]): Made => {
        const [first, second] = [object({ a: one }, 'one'), object({ b: other }, 'other')]
        return { schema: z.union([first.schema, second.schema]), value: fc.oneof(first.value, second.value) }
      }),
    ),
  }))

  it('returns nothing that the shape does not name, and keeps it when a client sends the object back', async () => {
    const law = fc.asyncProperty(
      made.chain(({ schema, value }) => fc.tuple(fc.constant(schema), value)),
      async ([schema, { clean, stored }]) => {
        const book = rulebook({ me, records: { card: { shape: z.object({ id, note: z.string(), held: schema }), key: 'id' } } }).rules({
          card: (_, { signedIn }) => ({ may: { read: [signedIn], update: [signedIn] } }),
        })
        let tables: ReturnType<ReturnType<typeof inMemory>> | undefined
        const keeping = inMemory({ card: [{ id: 'c', note: 'n', held: stored } as never] })
        const mine = openStore(book, (model) => (tables = keeping(model))).for(ANN)
        expect((await mine.get('card', 'c')).held).to.deep.equal(clean)
        expect((await mine.list('card'))[0]?.held).to.deep.equal(clean)
        await mine.update('card', 'c', { note: 'other', held: clean } as never)
        const [kept] = (await tables?.select('card', { where: TRUE, now: 0 })) ?? []
        expect(kept?.row).to.deep.equal({ id: 'c', note: 'other', held: stored })
      },
    )
    await fc.assert(law, { numRuns: tries(100, 300) })
  })
})

describe('a merge patch', () => {
  it('reaches into whatever is an object (RFC 7396), also where the shape gives no names', async () => {
    const shape = z.object({ id, marks: z.record(z.string(), z.object({ x: z.int(), y: z.int().optional() })), any: z.unknown() })
    const card = rulebook({ me, records: { card: { shape, key: 'id' } } }).rules({
      card: (_, { signedIn }) => ({ may: { read: [signedIn], update: [signedIn] } }),
    })
    const backend = inMemory({
      card: [{ id: 'c', marks: { a: { x: 1, y: 1 }, b: { x: 2 } }, any: { deep: { p: 1, q: 2 }, list: [1, 2] } }],
    })
    const site = routes(card, openStore(card, backend), { identity: async () => ANN })
    const headers = { authorization: 'Bearer x', 'content-type': 'application/merge-patch+json' }
    const body = JSON.stringify({ marks: { a: { x: 5 }, b: null, c: { x: 3 } }, any: { deep: { p: null }, list: [3] } })
    const answer = await site(new Request('https://cards.example/card/c', { method: 'PATCH', headers, body }))
    expect(await answer.json()).to.deep.equal({
      id: 'c',
      marks: { a: { x: 5, y: 1 }, c: { x: 3 } },
      any: { deep: { q: 2 }, list: [3] },
    })
  })
})
