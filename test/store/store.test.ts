import { expect } from 'chai'
import { type ErrorCode, isPachterError, not, rulebook } from 'pachter'
import { inMemory, openStore, type Store } from 'pachter/store'
import { backends } from '../support/backends.js'
import { book, DATA, INES, NOW, Plot, Session, WARDEN } from '../support/plot-store.js'

for (const [where, open] of Object.entries(backends(book))) {
  describe(`a guarded store ${where}`, () => {
    let store: Store<any>
    let keys = 0

    beforeEach(async () => {
      keys = 0
      store = openStore(book as any, await open(), { now: NOW, newKey: (type) => (type === 'counter' ? ++keys : `new-${++keys}`) })
      for (const plot of DATA.plot) await system().create('plot', plot)
    })

    const system = () => store.asSystem('test')
    const everything = () => system().list('plot')
    const ids = (records: readonly object[]) => records.map((record) => (record as Plot).id)

    /** That it is refused with this code, and that nothing at all is different afterwards. */
    async function refused(work: () => Promise<unknown>, code: ErrorCode, says = ''): Promise<void> {
      const before = await everything()
      try {
        await work()
      } catch (error) {
        expect(isPachterError(error, code), String(error)).to.equal(true)
        expect((error as Error).message).to.include(says)
        expect(await everything()).to.deep.equal(before)
        return
      }
      expect.fail('it was allowed')
    }

    it('gives back what was stored, kind by kind', async () => {
      expect(await system().get('plot', 'p-1')).to.deep.equal(DATA.plot[0])
      expect(await everything()).to.deep.equal(DATA.plot)
    })

    it('lists what each person may read, and nothing else', async () => {
      expect(ids(await store.for(INES).list('plot'))).to.deep.equal(['p-1', 'p-3', 'p-5'])
      expect(ids(await store.for(WARDEN).list('plot'))).to.deep.equal(['p-1', 'p-2', 'p-3'])
      expect(ids(await store.for(null).list('plot'))).to.deep.equal(['p-3'])
      expect(ids(await store.for(undefined).list('counter'))).to.deep.equal([])
      expect(ids(await everything())).to.have.length(5)
    })

    it('narrows, sorts and cuts a list, and never widens it', async () => {
      const mine = store.for(INES)
      expect(ids(await mine.list('plot', { where: (plot: any) => plot.rent.isAtLeast(0) }))).to.deep.equal(['p-1'])
      expect(ids(await mine.list('plot', { where: (plot: any) => not(plot.state.is('vacant')) }))).to.deep.equal(['p-1', 'p-5'])
      expect(ids(await mine.list('plot', { where: (plot: any) => plot.shed.roof.is('tin').or(plot.tags.has('none')) }))).to.deep.equal([
        'p-1',
      ])
      expect(ids(await mine.list('plot', { sort: ['-number'] }))).to.deep.equal(['p-5', 'p-1', 'p-3'])
      expect(ids(await mine.list('plot', { sort: ['number'], limit: 2 }))).to.deep.equal(['p-3', 'p-1'])
      expect(await mine.list('plot', { limit: 0 })).to.deep.equal([])
      expect(await mine.list('plot', { fields: ['number'], limit: 1 })).to.deep.equal([{ id: 'p-1', number: 3 }])
    })

    it('sorts what is missing last, either way, and by key in the end', async () => {
      const by = async (...sort: string[]) => ids(await system().list('plot', { sort }))
      expect(await by('rent')).to.deep.equal(['p-4', 'p-2', 'p-1', 'p-3', 'p-5'])
      expect(await by('-rent')).to.deep.equal(['p-1', 'p-2', 'p-4', 'p-5', 'p-3'])
      expect(await by('siteId', '-number')).to.deep.equal(['p-1', 'p-2', 'p-5', 'p-4', 'p-3'])
      expect(await by('endsAt', '-open')).to.deep.equal(['p-5', 'p-1', 'p-3', 'p-4', 'p-2'])
    })

    it('does not tell a record that one may not read from one that is not there', async () => {
      const mine = store.for(INES)
      for (const key of ['p-2', 'p-77', '', 'p-2\0', '__proto__', 5, null, { $ne: '' }, "' or 1=1 --"] as any[]) {
        await refused(() => mine.get('plot', key), 'NOT_FOUND', 'There is no such plot.')
        await refused(() => mine.update('plot', key, { number: 9 }), 'NOT_FOUND', 'There is no such plot.')
        await refused(() => mine.update('plot', key, { oops: 9 }), 'NOT_FOUND')
        await refused(() => mine.delete('plot', key), 'NOT_FOUND', 'There is no such plot.')
      }
    })

    it('refuses what one may read and not change, in the words of the rules', async () => {
      await refused(() => store.for(INES).update('plot', 'p-3', { number: 9 }), 'REFUSED', 'You may not update this plot.')
      await refused(() => store.for(INES).delete('plot', 'p-1'), 'REFUSED', 'Only vacant plots are removed.')
      await refused(
        () => store.for(INES).create('plot', { number: 9, siteId: 's-1', holderId: 'm-1', state: 'let' }),
        'REFUSED',
        'You may not create a plot.',
      )
    })

    it('asks a visitor to sign in where no record could be meant', async () => {
      await refused(() => store.for(null).update('plot', 'p-3', { number: 9 }), 'SIGN_IN')
      await refused(() => store.for(null).delete('plot', 'p-77'), 'SIGN_IN')
      await refused(() => store.for(null).create('plot', {}), 'SIGN_IN')
      await refused(() => store.for(null).get('plot', 'p-1'), 'NOT_FOUND')
    })

    it('updates what was sent and leaves the rest', async () => {
      const updated = await store
        .for(INES)
        .update('plot', 'p-1', { number: 33, rent: null, shed: { roof: 'slate' }, note: undefined, id: 'p-1' })
      const { rent: _rent, ...rest } = { ...(DATA.plot[0] as Plot), number: 33, shed: { roof: 'slate' } }
      expect(updated).to.deep.equal(rest)
      expect(await everything()).to.deep.equal([rest, ...DATA.plot.slice(1)])
    })

    it('judges an update on the record as it is and as it becomes', async () => {
      await refused(() => store.for(INES).update('plot', 'p-1', { holderId: 'm-2' }), 'REFUSED')
      await refused(() => store.for(INES).update('plot', 'p-1', { endsAt: new Date(0) }), 'REFUSED')
      await refused(() => store.for(INES).update('plot', 'p-5', { endsAt: null }), 'REFUSED')
      await refused(() => store.for(WARDEN).update('plot', 'p-1', { siteId: 's-2' }), 'REFUSED')
    })

    it('answers with the key alone where one may not read what one wrote', async () => {
      const handsOff = rulebook({
        me: { shape: Session, key: 'id' },
        records: { plot: { shape: Plot, key: 'id', times: ['sownOn'] } },
      }).rules({
        plot: (plot, { anyone }) => ({ may: { read: [anyone.provided(plot.state.is('let'))], update: [anyone], create: [anyone] } }),
      })
      const other = openStore(handsOff, inMemory({ plot: DATA.plot }), { newKey: () => 'p-9' })
      expect(await other.for(null).update('plot', 'p-2', { state: 'vacant' })).to.deep.equal({ id: 'p-2' })
      expect(await other.for(null).create('plot', { number: 9, siteId: 's-1', holderId: null, state: 'vacant', tags: [] })).to.deep.equal({
        id: 'p-9',
      })
    })

    it('says which fields are at fault, every one', async () => {
      const faultsOf = async (work: () => Promise<unknown>) => {
        try {
          await work()
        } catch (error) {
          return (error as any).faults?.map((fault: any) => fault.field)
        }
      }
      const warden = store.for(WARDEN)
      expect(await faultsOf(() => warden.update('plot', 'p-1', { number: 'x', rnet: 5, state: 'sold' }))).to.have.members([
        'number',
        'rnet',
        'state',
      ])
      expect(await faultsOf(() => warden.create('plot', { siteId: 's-1', holderId: null, id: 'p-9' }))).to.include.members([
        'id',
        'number',
        'state',
      ])
      expect(await faultsOf(() => warden.update('plot', 'p-1', { id: 'p-9' }))).to.deep.equal(['id'])
      expect(await faultsOf(() => warden.update('plot', 'p-1', { note: 'a\0b', tags: ['\ud800'] }))).to.deep.equal(['note', 'tags[0]'])
      expect(await faultsOf(() => warden.update('plot', 'p-1', JSON.parse('{"__proto__": {"state": "vacant"}}')))).to.deep.equal([
        '__proto__',
      ])
      await refused(() => warden.update('plot', 'p-1', null as never), 'INVALID')
      await refused(() => warden.update('plot', 'p-1', { number: 2 ** 60 }), 'INVALID')
      expect(({} as any).state).to.equal(undefined)
    })

    it('creates what the rules allow on the finished record, under a key of its own', async () => {
      const created = await store.for(WARDEN).create('plot', { number: 9, siteId: 's-1', holderId: null, state: 'let' })
      expect(created).to.deep.equal({ id: 'new-1', number: 9, siteId: 's-1', holderId: null, state: 'let', note: null, tags: [] })
      expect(await store.for(WARDEN).get('plot', 'new-1')).to.deep.equal(created)
      await refused(() => store.for(WARDEN).create('plot', { number: 9, siteId: 's-2', holderId: null, state: 'let' }), 'REFUSED')
      expect(await store.for(INES).create('counter', { total: 5 })).to.include({ total: 5 })
    })

    it('deletes what the rules allow', async () => {
      await store.for({ ...WARDEN, siteIds: ['s-2'] }).delete('plot', 'p-3')
      expect(ids(await everything())).to.deep.equal(['p-1', 'p-2', 'p-4', 'p-5'])
    })

    it('lets the system do anything that fits, for a reason', async () => {
      await system().update('plot', 'p-4', { holderId: 'm-1' })
      expect(ids(await store.for(INES).list('plot'))).to.include('p-4')
      await refused(() => system().update('plot', 'p-4', { state: 'sold' as never }), 'INVALID')
      await refused(() => system().create('plot', DATA.plot[0] as Plot), 'DUPLICATE_KEY')
      expect(() => store.asSystem(' ')).to.throw('give a reason')
    })

    it('refuses a list that means nothing', async () => {
      const mine = store.for(INES)
      const QUERIES: readonly [object, ErrorCode, string][] = [
        [{ sort: ['nmber'] }, 'UNKNOWN_NAME', 'Did you mean "number"'],
        [{ sort: ['tags'] }, 'BAD_QUERY', 'cannot be sorted by'],
        [{ sort: 'number' }, 'BAD_QUERY', 'a list of fields'],
        [{ fields: ['nmber'] }, 'UNKNOWN_NAME', 'Did you mean "number"'],
        [{ limit: -1 }, 'BAD_QUERY', 'limit'],
        [{ limit: '5' }, 'BAD_QUERY', 'limit'],
        [{ where: { number: 5 } }, 'BAD_QUERY', 'where needs a function'],
        [{ where: () => true }, 'BAD_QUERY', 'must return a condition'],
        [{ where: (plot: any) => plot.standing.holder }, 'BAD_QUERY', 'cannot depend on the person'],
        [{ where: (plot: any) => not(plot.standing.holder) }, 'BAD_QUERY', 'cannot depend on the person'],
        [{ where: (plot: any) => plot.nmber.is(5) }, 'BAD_QUERY', 'Did you mean "number"'],
      ]
      for (const [query, code, says] of QUERIES) await refused(() => mine.list('plot', query), code, says)
      await refused(() => mine.list('plto', {}), 'UNKNOWN_NAME', 'Did you mean "plot"')
    })

    it('keeps its own copies', async () => {
      const plot = (await system().get('plot', 'p-1')) as Plot
      plot.tags.push('mine')
      plot.holderId = 'm-9'
      expect(await system().get('plot', 'p-1')).to.deep.equal(DATA.plot[0])
    })

    it('does one write after the other, and none by halves', async () => {
      const mine = store.for(INES)
      await Promise.all(Array.from({ length: 20 }, (_, at) => mine.update('plot', 'p-1', { number: at })))
      const race = await Promise.allSettled([
        system().update('plot', 'p-1', { holderId: 'm-2' }),
        ...Array.from({ length: 5 }, () => mine.update('plot', 'p-1', { note: 'still mine' })),
      ])
      const { holderId, note } = (await system().get('plot', 'p-1')) as Plot
      expect(holderId).to.equal('m-2')
      const won = race.slice(1).filter(({ status }) => status === 'fulfilled').length
      expect(note === 'still mine').to.equal(won > 0)
    })
  })
}
