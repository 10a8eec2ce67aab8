// What is too large, or too much at once, is not looked at.
import { expect } from 'chai'
import { rulebook, toMany } from 'pachter'
import { routes } from 'pachter/http'
import { overKysely } from 'pachter/kysely'
import { inMemory, openStore } from 'pachter/store'
import { z } from 'zod'
import { backends } from '../support/backends.js'
import { engines } from '../support/engines.js'
import { listening } from '../support/listening.js'

const id = z.string()
const me = { shape: z.object({ id, vip: z.boolean().optional() }), key: 'id' } as const
const ANN = { id: 'ann' }

describe('requests that ask for too much', () => {
  const shape = z.object({ id, n: z.number(), tags: z.array(z.string()), marks: z.record(z.string(), z.number()), any: z.unknown() })
  const own = rulebook({ me, records: { card: { shape, key: 'id' } } }).rules({
    card: (_, { signedIn, me: mine, anyone }) => ({
      may: { read: [signedIn.except('any'), anyone.provided(mine.vip.orElse(false).is(true))], create: [signedIn], update: [signedIn] },
    }),
  })
  const names = (count: number, from = 0) => Object.fromEntries(Array.from({ length: count }, (_, at) => [`f${at + from}`, 1]))
  const site = (who: object = ANN) => {
    const stored = { id: 'c', n: 1, tags: [], marks: {}, any: names(999) }
    const serve = routes(own, openStore(own, inMemory({ card: [stored] })), { identity: async () => who as never })
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

  it('cannot be passed in small steps, and the size of hidden data is not revealed', async () => {
    const ask = site()
    expect((await ask('/card/c', 'PATCH', JSON.stringify({ marks: names(800) })))[0]).to.equal(200)
    const [status, text] = await ask('/card/c', 'PATCH', JSON.stringify({ marks: names(300, 800) }))
    expect([status, text]).to.satisfy(() => status === 422 && text.includes('marks: holds 1100 values'))
    expect((await ask('/card/c', 'PATCH', JSON.stringify({ any: { f0: 2 } })))[0], 'within the limit').to.equal(200)
    const [refused, words] = await ask('/card/c', 'PATCH', JSON.stringify({ any: names(10, 999) }))
    expect(refused).to.equal(403)
    expect(words).not.to.match(/\d{4}|holds/)
    const seen = await site({ ...ANN, vip: true })('/card/c', 'PATCH', JSON.stringify({ any: names(10, 999) }))
    expect(seen[0], 'by whoever sees it').to.equal(422)
    expect(seen[1]).to.include('any: holds 1009 values')
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
    ['a list of 60,000 ids', { helperIds: many }, 'holds 60000 values; the limit is 1000'],
    ['what is nested 5,000 levels deep', { helperIds: [], note: deep }, 'nested deeper than 32 levels'],
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
      expect(trusted).to.include('nested deeper than 32 levels')
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
