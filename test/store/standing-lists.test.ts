import { expect } from 'chai'
import { inMemory, openStore, type Store } from 'pachter/store'
import { book } from '../../examples/world/rulebook.js'
import { backends } from '../support/backends.js'
import { ground, options, records, types } from '../support/world.js'

type Listed = { readonly record: { readonly id: string }; readonly standings: readonly string[] }

for (const [where, open] of Object.entries(backends(book)))
  describe(`lists by standing ${where}`, () => {
    let store: Store<any>
    before(async () => {
      store = openStore(book, await open(), { now: options.now }) as never
      for (const type of types) for (const record of records[type] ?? []) await store.asSystem('fill').create(type, record as never)
    })

    it('hold what the person has the standing on, and the rest what they see besides, for every person of the demo world', async () => {
      let found = 0
      for (const claims of Object.values(ground.people))
        for (const type of types) {
          const names = Object.keys(book.model.types[type]?.standings ?? {})
          if (names.length === 0) continue
          const mine = store.for(claims as never)
          const all = (await mine.list(type, { withStandings: true })) as unknown as Listed[]
          const keys = async (query: object) => ((await mine.list(type, query)) as unknown as { id: string }[]).map(({ id }) => id)
          const [first = ''] = names
          const holding = (some: readonly string[]) => all.filter(({ standings }) => standings.some((one) => some.includes(one)))
          for (const some of [[first], names]) {
            const has = holding(some).map(({ record }) => record.id)
            const rest = all.map(({ record }) => record.id).filter((id) => !has.includes(id))
            const what = `${JSON.stringify(claims)} ${type} ${some}`
            expect(await keys({ standing: some }), what).to.have.members(has)
            expect(await keys({ withoutStanding: some }), what).to.have.members(rest)
            expect(await mine.count(type, { standing: some }), what).to.equal(has.length)
            found += has.length
          }
          expect(await keys({ standing: first })).to.deep.equal(await keys({ standing: [first] }))
          expect(await keys({ standing: [] })).to.deep.equal([])
          expect(await keys({ standing: first, withoutStanding: first })).to.deep.equal([])
        }
      expect(found).to.be.above(50)
    })
  })

describe('lists by standing', () => {
  const store = openStore(book, inMemory(records), { now: options.now }) as Store<any>
  const ines = () => store.for(ground.people.ines as never)
  const failed = (work: Promise<unknown>) => work.then(String, (error: Error) => error.message)

  it('go with filters, pages and groups', async () => {
    const first = await ines().page('plot', { standing: 'holder', where: (plot: any) => plot.state.is('let'), size: 1, sort: ['-number'] })
    expect(first.records).to.have.length(1)
    const groups = await ines().countBy('plot', 'state', { standing: 'holder' })
    expect(groups.reduce((sum, { count }) => sum + count, 0)).to.equal(await ines().count('plot', { standing: 'holder' }))
  })

  it('are of standings that there are, and of persons', async () => {
    expect(await failed(ines().list('plot', { standing: 'holdr' as never }))).to.include('Did you mean "holder"?')
    expect(await failed(ines().list('plot', { standing: 7 as never }))).to.include('standing needs the name of a standing')
    expect(await failed(store.asSystem('look').list('plot', { withoutStanding: 'holder' }))).to.include('the system has no standings')
    expect(await store.for(null).list('plot', { standing: 'holder' })).to.deep.equal([])
  })
})
