import { expect } from 'chai'
import { rulebook } from 'pachter'
import { type GuardedStore, openStore, type Store } from 'pachter/store'
import { z } from 'zod'
import { backends } from '../support/backends.js'

const Bed = z.object({ id: z.string(), ownerId: z.string() })
const book = rulebook({
  me: { shape: z.object({ id: z.string(), roles: z.array(z.enum(['warden'])) }), key: 'id' },
  records: { bed: { shape: Bed, key: 'id' }, shed: { shape: Bed, key: 'id' }, row: { shape: Bed.extend({ id: z.int() }), key: 'id' } },
})
  .standings({ bed: (bed, { me }) => ({ owner: bed.ownerId.is(me.id) }) })
  .rules({
    bed: (_bed, { standing: { owner }, role, signedIn }) => ({
      may: { read: [signedIn], create: [owner, role('warden').overriding('id')], delete: [owner] },
    }),
    shed: (_shed, { signedIn }) => ({ may: { read: [signedIn], create: [signedIn], delete: [signedIn] } }),
    row: (_row, { signedIn }) => ({ may: { read: [signedIn], create: [signedIn.overriding('id')], delete: [signedIn] } }),
  })

const INES = { id: 'm1', roles: [] }
const WARDEN = { id: 'm4', roles: ['warden' as const] }
const mine = { ownerId: 'm1' }

const outcome = (work: Promise<unknown>) =>
  work.then(
    () => 'done',
    (error: Error & { code: string }) => `${error.code} ${error.message}`,
  )

for (const [where, open] of Object.entries(backends(book))) {
  describe(`keys ${where}`, () => {
    let store: Store<any>
    beforeEach(async () => {
      store = openStore(book, await open()) as never
    })

    it('come from the server, and never twice', async () => {
      const keys = new Set<unknown>()
      for (let at = 0; at < 20; at++) {
        const { id } = await store.for(INES).create('shed', mine)
        keys.add(id)
        await store.for(INES).delete('shed', id as string)
      }
      expect(keys.size).to.equal(20)
      expect(await outcome(store.for(INES).create('shed', { ...mine, id: 'k' }))).to.include('INVALID')
    })

    it('come from a client only by a clause that holds and says so', async () => {
      expect(await outcome(store.for(WARDEN).create('bed', { ...mine, id: 'b1' }))).to.equal('done')
      expect(await outcome(store.for(INES).create('bed', { ...mine, id: 'b2' })), 'no clause of hers does').to.include('INVALID')
      const both = rulebook({ me: { shape: z.object({ id: z.string() }), key: 'id' }, records: { bed: { shape: Bed, key: 'id' } } }).rules({
        bed: (bed, { me, anyone }) => ({
          may: { read: [anyone], create: [anyone, anyone.provided(bed.ownerId.is(me.id)).overriding('id')] },
        }),
      })
      const fresh = openStore(both, (await backends(both)[where]?.()) as never).for({ id: 'm1' })
      expect(await outcome(fresh.create('bed', { ...mine, id: 'b3' }))).to.equal('done')
      expect(await outcome(fresh.create('bed', { ownerId: 'm2', id: 'b4' })), 'that clause does not hold').to.equal(
        'REFUSED You may not send id.',
      )
      expect(await outcome(fresh.create('bed', { ownerId: 'm2' }))).to.equal('done')
    })

    it('are not used again, no matter who removed the record', async () => {
      const give = (id: string | number, type = 'bed') => outcome(store.for(WARDEN).create(type, { ...mine, id }))
      expect(await give('b1')).to.equal('done')
      await store.for(INES).delete('bed', 'b1')
      expect(await give('b1'), 'no different from a key that is taken').to.equal('REFUSED You may not create a bed.')
      expect(await give('B1'), 'exactly').to.equal('done')
      await store.asSystem('tidy up').delete('bed', 'B1')
      expect(await give('B1')).to.include('REFUSED')
      expect(await give(1, 'row')).to.equal('done')
      await store.for(INES).delete('row', 1)
      expect(await give(1, 'row')).to.include('REFUSED')
      expect(await give('1')).to.equal('done')
    })

    it('are put back by trusted code, and stay as they are where a removal was taken back', async () => {
      const system = store.asSystem('restore')
      await system.create('bed', { ...mine, id: 'b1' })
      await store.for(INES).delete('bed', 'b1')
      await system.create('bed', { ...mine, id: 'b1' })
      await store.for(INES).delete('bed', 'b1')
      await system.create('bed', { ...mine, id: 'b2' })
      const undone = async (inside: GuardedStore<any>) => {
        await inside.delete('bed', 'b2')
        throw new Error('after all')
      }
      expect(await outcome(store.for(INES).transaction(undone))).to.include('after all')
      expect((await store.for(INES).list('bed')).map(({ id }) => id)).to.deep.equal(['b2'])
    })
  })
}
