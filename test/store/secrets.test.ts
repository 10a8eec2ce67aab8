// What somebody may not see, they neither learn by writing nor destroy by it; and what is too large is not looked at.
import { expect } from 'chai'
import fc from 'fast-check'
import type { Kysely } from 'kysely'
import { rulebook, toMany, toOne } from 'pachter'
import { routes } from 'pachter/http'
import { TRUE } from 'pachter/internal/condition'
import { overKysely } from 'pachter/kysely'
import { inMemory, openStore } from 'pachter/store'
import { z } from 'zod'
import { backends } from '../support/backends.js'
import { engines } from '../support/engines.js'
import { tries } from '../support/tries.js'

const id = z.string()
const me = { shape: z.object({ id, vip: z.boolean().optional() }), key: 'id' } as const
const ANN = { id: 'ann' }

/** A database that tells what it was asked, with keys and values left out. */
function listening<DB>(db: Kysely<DB>, heard: string[]): Kysely<DB> {
  return db.withPlugin({
    transformQuery({ node }) {
      heard.push(JSON.stringify(node).replaceAll(/"(value|values)":(\d+|"[^"]*"|\[[^\]]*\])/g, '"value":0'))
      return node
    },
    transformResult: async ({ result }) => result,
  })
}

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
    ['a field that is no key', toOne('site', { code: 'siteCode' }, { onDelete: 'unlink' }), /no key/],
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
    member: (member, { me: mine, whoever }) => ({ may: { read: [whoever(member.id.is(mine.id))] } }),
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
    card: (_, { me: mine, whoever, signedIn }) => ({
      may: { read: [whoever(mine.vip.orElse(false).is(true)), signedIn.except('address')], update: [signedIn] },
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

  it('nothing is given out that it does not name, and nothing lost that somebody sends back', async () => {
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

describe('requests that ask for too much', () => {
  const shape = z.object({ id, n: z.number(), tags: z.array(z.string()), marks: z.record(z.string(), z.number()), any: z.unknown() })
  const own = rulebook({ me, records: { card: { shape, key: 'id' } } }).rules({
    card: (_, { signedIn, me: mine, whoever }) => ({
      may: { read: [signedIn.except('any'), whoever(mine.vip.orElse(false).is(true))], create: [signedIn], update: [signedIn] },
    }),
  })
  const names = (count: number, from = 0) => Object.fromEntries(Array.from({ length: count }, (_, at) => [`f${at + from}`, 1]))
  const site = () => {
    const stored = { id: 'c', n: 1, tags: [], marks: {}, any: names(999) }
    const serve = routes(own, openStore(own, inMemory({ card: [stored] })), { identity: async () => ANN })
    return async (path: string, method: string, body?: string) => {
      const headers = { authorization: 'Bearer x', 'content-type': 'application/json' }
      const answer = await serve(new Request(`https://cards.example${path}`, { method, headers, ...(body === undefined ? {} : { body }) }))
      return [answer.status, await answer.text()] as const
    }
  }
  const deep = (depth: number) => `{"any":${'{"a":'.repeat(depth)}1${'}'.repeat(depth)}}`
  const filters = (count: number) => `/card?${Array.from({ length: count }, (_, at) => `where.n=${at}`).join('&')}`
  const CASES: readonly [what: string, status: number, path: string, method: string, body?: string][] = [
    ['names that there are none of', 422, '/card/c', 'PATCH', JSON.stringify(names(50_000))],
    ['faults', 422, '/card/c', 'PATCH', JSON.stringify({ tags: Array.from({ length: 1_000 }, () => 1) })],
    ['names in a map', 422, '/card/c', 'PATCH', JSON.stringify({ marks: names(1_001) })],
    ['values altogether', 422, '/card', 'POST', JSON.stringify({ any: Array.from({ length: 200 }, () => Object.keys(names(150))) })],
    ['depth', 422, '/card/c', 'PATCH', deep(100_000)],
    ['depth of a list', 422, '/card/c', 'PATCH', `{"tags":${'['.repeat(300_000)}${']'.repeat(300_000)}}`],
    ['depth of a new record', 422, '/card', 'POST', deep(100_000)],
    ['filters', 400, filters(101), 'GET'],
    ['an address', 414, filters(3_000), 'GET'],
  ]
  for (const [what, expected, path, method, body] of CASES)
    it(`${what}: ${expected}, in few words`, async () => {
      const [status, text] = await site()(path, method, body)
      expect(status, text.slice(0, 300)).to.equal(expected)
      expect(text.length).to.be.below(20_000)
    })

  it('little by little is no way around it; and how much is hidden is not told', async () => {
    const ask = site()
    expect((await ask('/card/c', 'PATCH', JSON.stringify({ marks: names(800) })))[0]).to.equal(200)
    const [status, text] = await ask('/card/c', 'PATCH', JSON.stringify({ marks: names(300, 800) }))
    expect([status, text]).to.satisfy(() => status === 422 && text.includes('marks: holds 1100 values'))
    expect((await ask('/card/c', 'PATCH', JSON.stringify({ any: { f0: 2 } })))[0], 'within the limit').to.equal(200)
    const [refused, words] = await ask('/card/c', 'PATCH', JSON.stringify({ any: names(10, 999) }))
    expect(refused).to.equal(403)
    expect(words).not.to.match(/\d{4}|holds/)
  })
})

describe('what is too large', () => {
  const book = rulebook({
    me,
    records: {
      member: { shape: z.object({ id }), key: 'id' },
      job: {
        shape: z.object({ id, note: z.unknown().optional(), helperIds: z.array(id) }),
        key: 'id',
        links: { helpers: toMany('member', { id: 'helperIds' }) },
      },
    },
  }).rules({
    member: (_, { signedIn }) => ({ may: { read: [signedIn] } }),
    job: (_, { signedIn }) => ({ may: { read: [signedIn], create: [signedIn], update: [signedIn] } }),
  })
  let deep: unknown = 1
  for (let level = 0; level < 5000; level++) deep = [deep]
  const many = Array.from({ length: 60_000 }, (_, at) => `m${at}`)
  const LARGE: readonly [string, object, string][] = [
    ['a list of 60,000 ids', { helperIds: many }, 'holds 60000 values, and may hold 1000'],
    ['what is nested 5,000 levels deep', { helperIds: [], note: deep }, 'nested more than 32 levels'],
    ['a text of two million letters', { helperIds: [], note: 'x'.repeat(2_000_000) }, 'more than 1000000 characters'],
  ]
  for (const [where, open] of Object.entries(backends(book)))
    it(`${where}: is refused before anything is locked or asked`, async () => {
      const store = openStore(book, await open())
      await store.asSystem('fill').create('job', { id: 'j', helperIds: [] })
      for (const [what, sent, says] of LARGE)
        for (const call of [
          () => store.for(ANN).create('job', sent as never),
          () => store.for(ANN).update('job', 'j', sent as never),
          () => store.for(ANN).updateMany('job', { keys: ['j'] }, sent as never),
          () => store.for(ANN).verdict('update', 'job', 'j', sent as never),
          () => store.for(ANN).verdict('create', 'job', sent as never),
        ]) {
          const began = performance.now()
          const error = await call().then(
            () => expect.fail(what),
            (one: { code: string; message: string }) => one,
          )
          expect(error.code, what).to.equal('INVALID')
          expect(error.message).to.include(says)
          expect(performance.now() - began, what).to.be.below(500)
        }
      const trusted = await store
        .asSystem('fill')
        .create('job', { id: 'k', helperIds: [], note: deep })
        .catch((error: Error) => error.message)
      expect(trusted).to.include('nested more than 32 levels')
      expect(await store.for(ANN).list('job')).to.have.length(1)
    })

  it('is looked up as a set where it is allowed', async () => {
    const [engine] = engines
    if (engine === undefined) return
    const db = await engine.open(book)
    await db
      .insertInto('member')
      .values(many.slice(0, 900).map((key) => ({ id: key })))
      .execute()
    const heard: string[] = []
    await openStore(book, overKysely(listening(db, heard), engine.dialect))
      .for(ANN)
      .create('job', { helperIds: many.slice(0, 900) })
    expect(heard).to.have.length.below(12)
  })

  it('is 422 over HTTP, and 413 where the body is larger than one may send', async () => {
    const site = routes(book, openStore(book, inMemory({ job: [{ id: 'j', helperIds: [] }] })), {
      identity: async () => ANN,
      insecure: true,
    })
    const send = async (body: string) =>
      (
        await site(
          new Request('https://jobs.example/job/j', {
            method: 'PATCH',
            headers: { 'content-type': 'application/json', authorization: 'Bearer x' },
            body,
          }),
        )
      ).status
    expect(await send(JSON.stringify({ helperIds: many }))).to.equal(422)
    expect(await send(JSON.stringify({ note: 'x'.repeat(2 ** 20) }))).to.equal(413)
  })
})
