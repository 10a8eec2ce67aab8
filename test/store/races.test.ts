import { expect } from 'chai'
import { not, rulebook, toMany, toOne } from 'pachter'
import { overKysely } from 'pachter/kysely'
import { openStore, type Store } from 'pachter/store'
import { z } from 'zod'
import { engines } from '../support/engines.js'

const text = z.string()
const book = rulebook({
  me: { shape: z.object({ id: text }), key: 'id' },
  records: {
    member: { shape: z.object({ id: text, warden: z.boolean() }), key: 'id' },
    plot: {
      shape: z.object({ id: text, holderId: text, writes: z.int() }),
      key: 'id',
      links: { shares: toMany('share', 'plotId', { onDelete: 'follow' }) },
    },
    share: { shape: z.object({ id: text, plotId: text, memberId: text }), key: 'id' },
    entry: { shape: z.object({ id: text, plotId: text, byId: text }), key: 'id', links: { plot: toOne('plot', 'plotId') } },
  },
}).rules({
  // Whoever is warden may resign, as long as somebody else is one.
  member: (member, { me, signedIn, anyone, records }) => ({
    may: {
      read: [signedIn],
      update: [
        anyone
          .provided(member.id.is(me.id))
          .provided(records('member').some((other) => other.warden.is(true).and(not(other.id.is(member.id)))))
          .only('warden'),
      ],
    },
  }),
  plot: (plot, { me, signedIn, anyone }) => ({ may: { read: [signedIn], update: [anyone.provided(plot.holderId.is(me.id))] } }),
  entry: (entry, { me, signedIn, anyone }) => ({
    may: {
      read: [signedIn],
      create: [
        anyone.provided(entry.plot.holderId.is(me.id)),
        anyone.provided(entry.plot.shares.some((share) => share.memberId.is(me.id))),
      ],
    },
    stamps: { create: { byId: me.id } },
  }),
})
const calendar = rulebook({
  me: { shape: z.object({ id: text }), key: 'id' },
  records: { booking: { shape: z.object({ id: text, day: text, byId: text }), key: 'id' } },
}).rules({
  // A day is booked once.
  booking: (booking, { me, signedIn, records }) => ({
    may: { read: [signedIn], create: [signedIn.provided(not(records('booking').some((other) => other.day.is(booking.day))))] },
    stamps: { create: { byId: me.id } },
  }),
})

const ROUNDS = Number(process.env.PACHTER_TEST_RACES) || 30
const PEOPLE = ['a', 'b', 'c', 'd']

for (const { name, dialect, open } of engines.filter(({ name }) => name !== 'SQLite')) {
  describe(`writes at the same time in ${name}`, () => {
    let store: Store<any>
    const system = () => store.asSystem('test')
    const as = (id: string) => store.for({ id })
    const opened = async (rules: typeof book | typeof calendar) => {
      store = openStore(rules as typeof book, overKysely(await open(rules), dialect)) as never
    }

    /** Does these at once. Whatever fails has to be a refusal, or to say that one may try again. */
    async function atOnce(...works: readonly (() => Promise<unknown>)[]): Promise<boolean[]> {
      const done = await Promise.allSettled(works.map((work) => work()))
      for (const one of done)
        if (one.status === 'rejected') expect(['REFUSED', 'INVALID', 'BUSY'], String(one.reason)).to.include(one.reason.code)
      return done.map(({ status }) => status === 'fulfilled')
    }

    it('one warden remains, however many resign', async () => {
      await opened(book)
      let resigned = 0
      for (const id of PEOPLE) await system().create('member', { id, warden: true })
      // All of them wait for each other.
      for (let round = 0; round < ROUNDS / 3; round++) {
        const done = await atOnce(...PEOPLE.map((id) => () => as(id).update('member', id, { warden: false })))
        const left = await system().count('member', { where: (member: any) => member.warden.is(true) })
        expect(left).to.be.at.least(1)
        resigned += done.filter(Boolean).length
        for (const id of PEOPLE) await system().update('member', id, { warden: true })
      }
      expect(resigned).to.be.greaterThan(0)
    })

    it('a day is booked once, by the first person', async () => {
      await opened(calendar)
      for (let round = 0; round < ROUNDS; round++) {
        const day = `day ${round}`
        await atOnce(...PEOPLE.map((id) => () => as(id).create('booking', { day })))
        expect(await system().count('booking', { where: (booking: any) => booking.day.is(day) }), day).to.be.at.most(1)
      }
      expect(await system().count('booking')).to.be.greaterThan(0)
    })

    it('nothing is written by a share that is gone, nor under a holder who was', async () => {
      await opened(book)
      let written = 0
      for (let round = 0; round < ROUNDS; round++) {
        const plotId = `plot ${round}`
        await system().create('plot', { id: plotId, holderId: 'a', writes: 0 })
        await system().create('share', { id: `share ${round}`, plotId, memberId: 'b' })
        const tally: Record<string, number> = {}
        const entries = (inside: any, byId: string) =>
          inside.count('entry', { where: (entry: any) => entry.plotId.is(plotId).and(entry.byId.is(byId)) })
        // What was written by the time that the right to write ends is all that is ever written.
        const endShare = (inside: any) =>
          inside.delete('share', `share ${round}`).then(async () => {
            tally.b = await entries(inside, 'b')
          })
        const handOver = (inside: any) =>
          inside.update('plot', plotId, { holderId: 'z' }).then(async () => {
            tally.a = await entries(inside, 'a')
          })
        await atOnce(
          () => as('b').create('entry', { plotId }),
          () => as('a').create('entry', { plotId }),
          () => as('a').update('plot', plotId, { writes: 1 }),
          () => system().transaction(endShare),
          () => as('b').create('entry', { plotId }),
          () => system().transaction(handOver),
          () => as('a').create('entry', { plotId }),
        )
        for (const byId of ['a', 'b']) {
          if (tally[byId] === undefined) continue
          expect(await entries(system(), byId), `${plotId} by ${byId}`).to.equal(tally[byId])
          written += tally[byId]
        }
      }
      expect(written).to.be.greaterThan(0)
    })

    it('a record is handed over once, by the first person', async () => {
      await opened(book)
      for (let round = 0; round < ROUNDS; round++) {
        const plotId = `flip ${round}`
        await system().create('plot', { id: plotId, holderId: 'a', writes: 0 })
        const done = await atOnce(...PEOPLE.map((_, at) => () => as('a').update('plot', plotId, { writes: at + 1 })), () =>
          system().update('plot', plotId, { holderId: 'z' }),
        )
        const { holderId, writes } = await system().get('plot', plotId)
        expect([holderId, Number(writes) > 0]).to.deep.equal(['z', done.slice(0, PEOPLE.length).some(Boolean)])
      }
    })
  })
}

for (const { name, dialect, open } of engines)
  describe(`in a transaction of one's own in ${name}`, () => {
    it('rules that depend on missing records require an isolation that keeps writers apart', async () => {
      const db = await open(calendar)
      const tried = async (level: 'serializable' | 'read committed') => {
        const begun = dialect.transactions.lock === undefined ? db.transaction() : db.transaction().setIsolationLevel(level)
        return begun
          .execute((trx) => openStore(calendar, overKysely(trx, dialect)).for({ id: 'a' }).create('booking', { day: level }))
          .then(
            () => 'done',
            (error: { code: string }) => error.code,
          )
      }
      const loose = await tried('read committed')
      const strict = await tried('serializable')
      if (dialect.transactions.lock === undefined) expect([loose, strict]).to.deep.equal(['done', 'done'])
      else expect([loose, strict]).to.deep.equal(['ISOLATION', dialect.transactions.isSerializable ? 'done' : 'ISOLATION'])
    })

    it('others do not', async () => {
      const db = await open(book)
      await openStore(book, overKysely(db, dialect)).asSystem('fill').create('plot', { id: 'p', holderId: 'a', writes: 0 })
      await db.transaction().execute((trx) => openStore(book, overKysely(trx, dialect)).for({ id: 'a' }).update('plot', 'p', { writes: 1 }))
      expect((await openStore(book, overKysely(db, dialect)).asSystem('look').get('plot', 'p')).writes).to.equal(1)
    })
  })
