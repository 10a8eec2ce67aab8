// Why, for developers: on the store, and over HTTP where that was asked for.
import { expect } from 'chai'
import { rulebook, toMany, toOne } from 'pachter'
import { routes } from 'pachter/http'
import { openStore } from 'pachter/store'
import { z } from 'zod'
import { backends } from '../support/backends.js'

const id = z.string()
const book = rulebook({
  me: { shape: z.object({ id }), key: 'id', links: { member: toOne('member', 'id') } },
  records: {
    member: { shape: z.object({ id, warden: z.boolean() }), key: 'id' },
    plot: { shape: z.object({ id, holderId: id, rent: z.int() }), key: 'id', links: { shares: toMany('share', 'plotId') } },
    share: { shape: z.object({ id, plotId: id, memberId: id }), key: 'id' },
  },
})
  .standings({
    plot: (plot, { me }) => ({
      holder: plot.holderId.is(me.id),
      guest: plot.shares.some((share) => share.memberId.is(me.id)),
      warden: me.member.warden.is(true),
    }),
  })
  .rules({
    plot: (_, { standing: { holder, guest, warden }, after }) => ({
      may: { read: [warden, guest, holder], update: [holder.only('rent'), warden], create: [holder] },
      vetoes: [{ actions: ['update'], provided: after.rent.isLessThan(0), message: 'No.' }],
      stamps: { create: { rent: 1 } },
    }),
  })

describe('why, on the store', () => {
  for (const [where, open] of Object.entries(backends(book)))
    it(`${where}: tells of every clause, with the values of records that are read as they are asked for`, async () => {
      const store = openStore(book, await open())
      const system = store.asSystem('fill')
      await system.create('member', { id: 'ann', warden: false })
      await system.create('plot', { id: 'p1', holderId: 'bob', rent: 5 })
      await system.create('plot', { id: 'p2', holderId: 'ann', rent: 5 })
      await system.create('share', { id: 's1', plotId: 'p1', memberId: 'cid' })
      const mine = store.for({ id: 'ann' })
      const hidden = await mine.why('read', 'plot', 'p1')
      expect(hidden.verdict.outcome).to.equal('not found')
      expect(hidden.clauses.map(({ title, holds }) => [title, holds])).to.deep.equal([
        ['warden', false],
        ['guest', false],
        ['holder', false],
      ])
      // A share or the plot itself is nearer than another role.
      expect(hidden.clause?.title).to.be.oneOf(['guest', 'holder'])
      expect(JSON.stringify(hidden.clauses)).to.include('"cid"').and.to.include('"bob"')
      const own = await mine.why('update', 'plot', 'p2', { holderId: 'cid', rent: 7 })
      expect(own.verdict.outcome).to.equal('refused')
      expect(own.fields?.map(({ field, letBy }) => [field, letBy])).to.deep.equal([
        ['holderId', []],
        ['rent', []],
      ])
      const withheld = await mine.why('update', 'plot', 'p2', { rent: -1 })
      expect(withheld.withheldBy.map(({ kind }) => kind)).to.deep.equal(['veto'])
      expect((await mine.why('create', 'plot', { holderId: 'ann' })).clause).to.include({ title: 'holder', holds: true })
      expect((await store.for({ id: 'cid' }).why('read', 'plot', 'p1')).clause).to.include({ title: 'guest', holds: true })
      const none = await mine.why('read', 'plot', 'p9').catch((error: { code: string }) => error.code)
      expect(none).to.equal('NOT_FOUND')
    })
})

describe('why, over HTTP', () => {
  // Building a bundle, which other tests do in this process, leaves it at "production".
  const { NODE_ENV } = process.env
  before(() => {
    delete process.env.NODE_ENV
  })
  after(() => {
    if (NODE_ENV !== undefined) process.env.NODE_ENV = NODE_ENV
  })

  const [open] = Object.values(backends(book))
  const site = async (options: object) => {
    const store = openStore(book, await (open as NonNullable<typeof open>)())
    await store.asSystem('fill').create('plot', { id: 'p1', holderId: 'bob', rent: 5 })
    return routes(book, store, { identity: async () => ({ id: 'ann' }), ...options } as never)
  }
  const ask = async (handle: (request: Request) => Promise<Response>, body: object) =>
    handle(
      new Request('https://plots.example/my-rules/why', {
        method: 'POST',
        headers: { 'content-type': 'application/json', authorization: 'Bearer x' },
        body: JSON.stringify(body),
      }),
    )
  const question = { action: 'read', type: 'plot', key: 'p1' }

  it('is served where it was asked for', async () => {
    const response = await ask(await site({ showReasons: true }), question)
    expect(response.status).to.equal(200)
    expect(JSON.stringify(await response.json())).to.include('"bob"')
    expect((await ask(await site({ showReasons: true }), { ...question, type: 'plit' })).status).to.equal(400)
  })

  it('is not there otherwise, and never in production', async () => {
    expect((await ask(await site({}), question)).status).to.equal(404)
    const handle = await site({ showReasons: true })
    process.env.NODE_ENV = 'production'
    try {
      expect((await ask(handle, question)).status).to.equal(404)
      const setUp = await site({ showReasons: true }).catch((error: { code: string }) => error.code)
      expect(setUp).to.equal('BAD_SETUP')
    } finally {
      delete process.env.NODE_ENV
    }
  })
})
