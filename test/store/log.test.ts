import { expect } from 'chai'
import { rulebook } from 'pachter'
import { type LogEntry, openStore, type Store } from 'pachter/store'
import { z } from 'zod'
import { backends } from '../support/backends.js'

const NOW = new Date('2026-06-15T09:00:00Z')
const book = rulebook({
  me: { shape: z.object({ id: z.string() }), key: 'id' },
  records: { plot: { shape: z.object({ id: z.string(), holderId: z.string(), rent: z.number(), note: z.string().max(20) }), key: 'id' } },
})
  .standings({ plot: (plot, { me }) => ({ holder: plot.holderId.is(me.id) }) })
  .routines({ handOver: ({ me }) => [me.id.is('m2')] })
  .rules({
    plot: (_plot, { standing: { holder }, signedIn }) => ({
      may: { read: [holder, signedIn.only('holderId')], create: [holder], update: [holder.only('note')], delete: [holder] },
    }),
  })

for (const [where, open] of Object.entries(backends(book))) {
  describe(`the verdict log ${where}`, () => {
    const entries: LogEntry[] = []
    const fresh = async (logAllowed: boolean): Promise<Store<any>> => {
      const store = openStore(book, await open(), { now: NOW, log: (entry) => entries.push(entry), logAllowed, newKey: () => 'p9' })
      const system = store.asSystem('fill')
      await system.create('plot', { id: 'p1', holderId: 'm1', rent: 4711, note: 'gate code 0815' })
      await system.create('plot', { id: 'p2', holderId: 'm2', rent: 4712, note: 'gate code 0816' })
      return store as never
    }
    beforeEach(() => entries.splice(0))
    const said = () => entries.splice(0).map(({ time: _time, ...entry }) => entry)
    const m1 = { who: 'm1' }

    it('tells of every refusal, and why trusted code acts', async () => {
      const store = await fresh(false)
      const system = { who: 'system', trusted: true, reason: 'fill', outcome: 'allowed' }
      expect(entries.every(({ time }) => time === NOW.toISOString())).to.equal(true)
      expect(said()).to.deep.equal([
        { ...system, action: 'act', type: 'system' },
        { ...system, action: 'create', type: 'plot', key: 'p1' },
        { ...system, action: 'create', type: 'plot', key: 'p2' },
      ])
      await store.asSystem('tidy').updateMany('plot', { keys: ['p1', 'p2'] }, { note: 'tidied' })
      await store.asSystem('tidy').list('plot')
      const tidied = { ...system, reason: 'tidy' }
      expect(said(), 'a line for each record that trusted code writes').to.deep.equal([
        { ...tidied, action: 'act', type: 'system' },
        { ...tidied, action: 'update', type: 'plot', key: 'p1' },
        { ...tidied, action: 'update', type: 'plot', key: 'p2' },
        { ...tidied, action: 'act', type: 'system' },
      ])
      const mine = store.for({ id: 'm1' })
      const none = () => undefined
      await mine.list('plot')
      await mine.update('plot', 'p1', { note: 'ok' })
      expect(said(), 'what was allowed is not asked for').to.deep.equal([])
      await store.for(null).delete('plot', 'p1').catch(none)
      await mine.get('plot', 'p7').catch(none)
      await mine.delete('plot', 'p2').catch(none)
      await mine.update('plot', 'p1', { rent: 1, note: 'x' }).catch(none)
      await mine.update('plot', 'p1', { note: 'a text that is far too long' }).catch(none)
      await mine.updateMany('plot', { keys: ['p1', 'p2'] }, { note: 'x' }).catch(none)
      await mine.routine('handOver', async () => 'no').catch(none)
      await mine.create('plot', { holderId: 'm2', rent: 1, note: '' }).catch(none)
      expect(said()).to.deep.equal([
        { who: null, action: 'delete', type: 'plot', key: 'p1', outcome: 'sign in', code: 'SIGN_IN' },
        { ...m1, action: 'read', type: 'plot', key: 'p7', outcome: 'not found', code: 'NOT_FOUND' },
        { ...m1, action: 'delete', type: 'plot', key: 'p2', outcome: 'refused', code: 'REFUSED' },
        { ...m1, action: 'update', type: 'plot', key: 'p1', outcome: 'refused', code: 'REFUSED', fields: ['rent'] },
        { ...m1, action: 'update', type: 'plot', key: 'p1', outcome: 'invalid', code: 'INVALID', fields: ['note'] },
        { ...m1, action: 'update', type: 'plot', outcome: 'refused', code: 'IN_THE_WAY', refused: ['p2'] },
        { ...m1, action: 'call', type: 'handOver', outcome: 'refused', code: 'REFUSED' },
        { ...m1, action: 'create', type: 'plot', outcome: 'refused', code: 'REFUSED' },
      ])
    })

    it('on request of what was allowed, with the clause; and never holds a value', async () => {
      const store = await fresh(true)
      said()
      const mine = store.for({ id: 'm2' })
      await mine.list('plot')
      await mine.get('plot', 'p2')
      await mine.update('plot', 'p2', { note: 'gate code 1111' })
      await mine.routine('handOver', (inside) => inside.create('plot', { holderId: 'm2', rent: 4713, note: 'gate code 2222' }))
      await mine.delete('plot', 'p2')
      const told = said()
      expect(told).to.deep.equal([
        { who: 'm2', action: 'read', type: 'plot', outcome: 'allowed' },
        { who: 'm2', action: 'read', type: 'plot', key: 'p2', outcome: 'allowed' },
        { who: 'm2', action: 'update', type: 'plot', key: 'p2', outcome: 'allowed', clause: 'holder; only note' },
        { who: 'm2', action: 'call', type: 'handOver', outcome: 'allowed' },
        { who: 'm2', within: 'handOver', action: 'create', type: 'plot', key: 'p9', outcome: 'allowed', clause: 'holder' },
        { who: 'm2', action: 'delete', type: 'plot', key: 'p2', outcome: 'allowed', clause: 'holder' },
      ])
      expect(JSON.stringify(told)).not.to.match(/gate code|471/)
    })

    it('tells of what failed, questions too, and not of what a failure says', async () => {
      const broken = {
        select: () => Promise.reject(new Error('no row with rent 4711')),
        test: () => Promise.reject(new Error('no row with rent 4711')),
        transaction: (work: (tables: unknown) => unknown) => work(broken),
      }
      const store = openStore(book, (() => broken) as never, { now: NOW, log: (entry) => entries.push(entry) })
      const mine = store.for({ id: 'm1' })
      const none = () => undefined
      await mine.list('plot').catch(none)
      await mine.delete('plot', 'p1').catch(none)
      await mine.verdict('delete', 'plot', 'p1').catch(none)
      expect(said()).to.deep.equal([
        { ...m1, action: 'read', type: 'plot', outcome: 'failed', code: 'STORE_FAILED' },
        { ...m1, action: 'delete', type: 'plot', key: 'p1', outcome: 'failed', code: 'STORE_FAILED' },
        { ...m1, action: 'delete', type: 'plot', key: 'p1', outcome: 'failed', code: 'STORE_FAILED' },
      ])
      await mine.verdict('update', 'plot', 'p1', { note: 5 as never }).catch(none)
      await (await fresh(false)).for({ id: 'm1' }).verdict('delete', 'plot', 'p2')
      expect(said().filter(({ outcome }) => outcome === 'refused')).to.deep.equal([])
    })

    it('that fails changes no verdict', async () => {
      const store = openStore(book, await open(), {
        log: () => {
          throw new Error('disk full')
        },
        logAllowed: true,
      })
      await store.asSystem('fill').create('plot', { id: 'p1', holderId: 'm1', rent: 1, note: '' })
      expect(await store.for({ id: 'm1' }).list('plot')).to.have.length(1)
      const error = await store
        .for({ id: 'm2' })
        .delete('plot', 'p1')
        .catch((caught: unknown) => caught)
      expect(error).to.have.property('code', 'REFUSED')
    })
  })
}
