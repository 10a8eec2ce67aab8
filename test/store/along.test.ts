import { expect } from 'chai'
import fc from 'fast-check'
import { rulebook, toMany, toOne } from 'pachter'
import { type Along, openStore, type Store } from 'pachter/store'
import { anyRecord, book, Child, Named, Note, Session } from '../support/along.js'
import { backends } from '../support/backends.js'
import { tries } from '../support/tries.js'

const outcome = (work: Promise<unknown>) =>
  work.then(
    () => 'done',
    (error: Error & { code?: string }) => `${error.code ?? 'own'} ${error.message}`,
  )

for (const [where, open] of Object.entries(backends(book))) {
  describe(`what a deletion takes along ${where}`, () => {
    let store: Store<any>
    beforeEach(async () => {
      store = openStore(book, await open()) as never
      await put('plot', { id: 'p1', ownerId: 'a' }, { id: 'p2', ownerId: 'a' })
    })
    const put = async (type: string, ...records: object[]) => {
      for (const record of records) await store.asSystem('fill').create(type, record)
    }
    const mine = () => store.for({ id: 'a' })
    const left = async () => {
      const texts: string[] = []
      for (const type of Object.keys(book.model.types))
        texts.push(...((await store.asSystem('look').list(type)) as unknown as { id: string }[]).map(({ id }) => id))
      return texts.join(' ')
    }
    /** What a list says of deleting one of its records. */
    const listed = async (as: any, type: string, key: string) => {
      const rows = (await as.list(type, { withActions: ['delete'] })) as { record: { id: string }; may: any }[]
      const { allowed, message = `You may not delete this ${type}.` } = rows.find(({ record }) => record.id === key)?.may.delete ?? {}
      return allowed ? 'done' : `REFUSED ${message}`
    }
    const LINKED: readonly [what: string, type: string, record: object, result: string, left: string][] = [
      ['its own record along with it', 'entry', { plotId: 'p1', ownerId: 'a' }, 'done', 'p2'],
      ["another's that it would take along", 'entry', { plotId: 'p1', ownerId: 'b' }, 'REFUSED You may not delete this plot.', 'p1 p2 x'],
      [
        'one that may be deleted and is not seen',
        'trace',
        { plotId: 'p1', ownerId: 'a' },
        'REFUSED You may not delete this plot.',
        'p1 p2 x',
      ],
      [
        'one that stands in the way and is seen',
        'bill',
        { plotId: 'p1', ownerId: 'a' },
        'REFUSED The bill x belongs to it. Delete that first.',
        'p1 p2 x',
      ],
      [
        'one that is not seen, which is not told of',
        'bill',
        { plotId: 'p1', ownerId: 'b' },
        'REFUSED You may not delete this plot.',
        'p1 p2 x',
      ],
      ['one that follows, whoever owns it', 'share', { plotId: 'p1', ownerId: 'b' }, 'done', 'p2'],
      ['one that is unlinked', 'key', { plotId: 'p1', ownerId: 'a' }, 'done', 'p2 x'],
      ["another's that would be unlinked", 'key', { plotId: 'p1', ownerId: 'b' }, 'REFUSED You may not delete this plot.', 'p1 p2 x'],
      ['one among several in a list', 'job', { plotIds: ['p2', 'p1'], ownerId: 'a' }, 'done', 'p2 x'],
      ['one that belongs to another plot', 'bill', { plotId: 'p2', ownerId: 'b' }, 'done', 'p2 x'],
      ['one that belongs to none', 'bill', { plotId: null, ownerId: 'b' }, 'done', 'p2 x'],
    ]
    // What follows although another person owns it is not named.
    const NAMED: { readonly [what: string]: string } = {
      'its own record along with it': 'delete entry x',
      'one that is unlinked': 'unlink key x',
      'one among several in a list': 'unlink job x',
    }
    for (const [what, type, record, result, rest] of LINKED) {
      it(`${what}: ${result}`, async () => {
        await put(type, { id: 'x', ...record })
        const verdict = await mine().verdict('delete', 'plot', 'p1')
        expect(verdict.allowed, 'foreseen').to.equal(result === 'done')
        expect(await listed(mine(), 'plot', 'p1'), 'listed').to.equal(result)
        const before = await left()
        let along = ''
        const asserted = async () => {
          const done = await mine().assertMay('delete', 'plot', 'p1')
          along = done.along.map((one: Along) => `${one.effect} ${one.type} ${one.key}`).join()
        }
        expect(await outcome(asserted()), 'asserted').to.equal(result)
        expect(along).to.equal(NAMED[what] ?? '')
        expect(await left(), 'nothing is done').to.equal(before)
        expect(await outcome(mine().delete('plot', 'p1'))).to.equal(result)
        expect(await left()).to.equal(rest)
        if (type === 'key' && result === 'done') expect(await store.asSystem('look').get('key', 'x')).to.include({ plotId: null })
        if (type === 'job') expect(await store.asSystem('look').get('job', 'x')).to.deep.include({ plotIds: ['p2'] })
      })
    }

    it('continues to lower levels, and ends where a chain returns to itself', async () => {
      await put('entry', { id: 'e', plotId: 'p1', ownerId: 'a' })
      await put(
        'note',
        { id: 'n1', childId: 'e', aboveId: null, ownerId: 'b' },
        { id: 'n2', childId: 'z', aboveId: 'n3', ownerId: 'b' },
        { id: 'n3', childId: 'z', aboveId: 'n1', ownerId: 'b' },
      )
      await store.asSystem('make a ring').update('note', 'n1', { aboveId: 'n2' })
      expect(await outcome(mine().delete('plot', 'p1'))).to.equal('done')
      expect(await left()).to.equal('p2')
    })

    it('is the same in lists as for each record alone, for any chain of links', async () => {
      await fc.assert(
        fc.asyncProperty(fc.array(anyRecord, { maxLength: 6 }), async (given) => {
          store = openStore(book, await open()) as never
          await put('plot', { id: 'p1', ownerId: 'a' }, { id: 'p2', ownerId: 'a' })
          // Some are there already.
          for (const { type, record } of given) await put(type, record).catch(() => {})
          for (const as of [mine(), store.asSystem('look')] as any[])
            for (const type of ['plot', 'entry', 'note'])
              for (const { id: key } of await as.list(type)) {
                const { allowed, message } = await as.verdict('delete', type, key)
                expect(await listed(as, type, key), `${type} ${key}`).to.equal(allowed ? 'done' : `REFUSED ${message}`)
              }
        }),
        { numRuns: where === 'in memory' ? tries(15, 100) : tries(2, 4) },
      )
    })

    it('a list of keys is set to such as lead to what one sees', async () => {
      await put('plot', { id: 'p3', ownerId: 'b' })
      await put('job', { id: 'j', plotIds: ['p1', 'p3'], ownerId: 'a' })
      const set = (plotIds: string[]) => outcome(mine().update('job', 'j', { plotIds }))
      expect(await set(['p3', 'p2']), 'what was in it stays').to.equal('done')
      expect(await set(['p2'])).to.equal('done')
      for (const unseen of ['p3', 'p9'])
        expect(await set(['p2', unseen])).to.equal('INVALID This job is not valid: plotIds: there is no such plot.')
    })

    it('binds trusted code as far as something refuses', async () => {
      await put('bill', { id: 'x', plotId: 'p1', ownerId: 'b' })
      expect(await outcome(store.asSystem('clear').delete('plot', 'p1'))).to.include('REFUSED The bill x belongs to it')
    })

    it('changes several: all or nothing, or what may be', async () => {
      await put('plot', { id: 'p3', ownerId: 'b' })
      const error = await mine()
        .updateMany('plot', { keys: ['p1', 'p3', 'p2', 'p9'] }, { ownerId: 'a' })
        .catch((caught: unknown) => caught)
      expect(error).to.have.property('code', 'IN_THE_WAY')
      const absent = { code: 'NOT_FOUND', message: 'There is no such plot.' }
      expect(error).to.have.deep.property('refused', [
        { key: 'p3', ...absent },
        { key: 'p9', ...absent },
      ])
      expect(await mine().deleteMany('plot', { keys: ['p1', 'p3'] }, { partial: true })).to.deep.equal({
        done: ['p1'],
        refused: [{ key: 'p3', code: 'NOT_FOUND', message: 'There is no such plot.' }],
      })
      expect(await left()).to.equal('p2 p3')
      expect(await mine().deleteMany('plot', { where: (plot: any) => plot.ownerId.isPresent() })).to.deep.equal({
        done: ['p2'],
        refused: [],
      })
      expect(await left()).to.equal('p3')
      for (const which of [{}, { keys: 'p1' }, { keys: [{}] }, { keys: ['p1'], where: () => true }, null] as never[])
        expect(await outcome(mine().deleteMany('plot', which)), JSON.stringify(which)).to.include('BAD_QUERY')
    })

    it('deletes several that would each take the same along', async () => {
      await put('job', { id: 'j', plotIds: ['p1', 'p2'], ownerId: 'b' })
      expect(await outcome(mine().deleteMany('plot', { keys: ['p1', 'p2'] }))).to.include('IN_THE_WAY')
      await store.asSystem('give').update('job', 'j', { ownerId: 'a' })
      expect(await mine().deleteMany('plot', { keys: ['p1', 'p2'] })).to.deep.include({ done: ['p1', 'p2'] })
      expect(await mine().get('job', 'j')).to.deep.include({ plotIds: [] })
      await put('note', { id: 'n1', childId: 'z', aboveId: null, ownerId: 'a' }, { id: 'n2', childId: 'z', aboveId: 'n1', ownerId: 'a' })
      expect(await mine().deleteMany('note', { keys: ['n1', 'n2'] })).to.deep.include({ done: ['n1', 'n2'] })
    })
  })

  describe(`changes of several at once ${where}`, () => {
    it('are judged before any is written: none justifies another', async () => {
      const chain = rulebook({
        me: { shape: Session, key: 'id' },
        records: { note: { shape: Note, key: 'id', links: { above: toOne('note', 'aboveId') } } },
      })
        .standings({ note: (note, { me }) => ({ owner: note.ownerId.is(me.id) }) })
        .rules({
          note: (note, { standing: { owner }, signedIn, me }) => ({
            may: { read: [signedIn], update: [owner, signedIn.provided(note.above.ownerId.is(me.id)).only('ownerId')] },
          }),
        })
      const store = openStore(chain, await (backends(chain)[where] as typeof open)())
      for (const [id, ownerId, aboveId] of [
        ['1', 'a', null],
        ['2', 'b', '1'],
        ['3', 'b', '2'],
      ] as const)
        await store.asSystem('fill').create('note', { id, ownerId, aboveId, childId: 'x' })
      const all = { keys: ['2', '3'] }
      expect(await outcome(store.for({ id: 'a' }).updateMany('note', all, { ownerId: 'a' }))).to.include('IN_THE_WAY 1 of 2')
      expect(await store.for({ id: 'a' }).updateMany('note', all, { ownerId: 'a' }, { partial: true })).to.deep.include({ done: ['2'] })
      expect(await store.for({ id: 'a' }).updateMany('note', all, { ownerId: 'a' })).to.deep.include({ done: ['2', '3'] })
    })
  })
}

it('two links that say different things of one field are refused', () => {
  const build = () =>
    rulebook({
      me: { shape: Session, key: 'id' },
      records: {
        plot: { shape: Named, key: 'id', links: { shares: toMany('share', 'plotId', { onDelete: 'follow' }) } },
        share: { shape: Child, key: 'id', links: { plot: toOne('plot', 'plotId', { onDelete: 'unlink' }) } },
      },
    })
  expect(build).to.throw('share.plotId').with.property('code', 'BAD_RULEBOOK')
})
