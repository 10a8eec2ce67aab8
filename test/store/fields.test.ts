import { expect } from 'chai'
import fc from 'fast-check'
import { anyOf, isPachterError, not, rulebook } from 'pachter'
import { type Backend, inMemory, openStore, type Store } from 'pachter/store'
import { z } from 'zod'
import { backends, runsIn } from '../support/backends.js'

const Session = z.object({ id: z.string(), roles: z.array(z.enum(['warden', 'treasurer'])) })
const Plot = z.object({
  id: z.string(),
  number: z.int(),
  holderId: z.string().nullable(),
  state: z.enum(['vacant', 'let']),
  planting: z.string(),
  rentDue: z.number().optional(),
  notes: z.string().optional(),
})
type Plot = z.infer<typeof Plot>

const book = rulebook({ me: { shape: Session, key: 'id' }, records: { plot: { shape: Plot, key: 'id' } } })
  .standings({ plot: (plot, { me }) => ({ holder: plot.holderId.is(me.id) }) })
  .rules({
    plot: (plot, { standing: { holder }, role, anyone }) => ({
      may: {
        read: [
          holder.except('notes'),
          role('treasurer').only('number', 'rentDue'),
          role('warden'),
          anyone.provided(plot.state.is('vacant')).only('number', 'state'),
        ],
        create: [role('warden').except('rentDue'), role('treasurer').provided(plot.state.is('vacant'))],
        update: [holder.only('planting'), role('warden').except('rentDue'), role('treasurer').only('rentDue')],
        delete: [role('warden')],
      },
    }),
  })

const INES = { id: 'm-1', roles: [] }
const FARAH = { id: 'm-2', roles: ['treasurer' as const] }
const TOMASZ = { id: 'm-3', roles: ['warden' as const] }
const DATA: Plot[] = [
  { id: 'p-1', number: 1, holderId: 'm-1', state: 'let', planting: 'leeks', rentDue: 30, notes: 'late' },
  { id: 'p-2', number: 2, holderId: 'm-9', state: 'let', planting: 'kale', rentDue: 20 },
  { id: 'p-3', number: 3, holderId: null, state: 'vacant', planting: '', rentDue: 0, notes: 'fence' },
  { id: 'p-4', number: 4, holderId: 'm-1', state: 'vacant', planting: 'rye', rentDue: 5 },
]

async function filled(backend: Backend, plots: readonly Plot[] = DATA): Promise<Store<any>> {
  const store = openStore(book, backend, { newKey: () => 'p-9' })
  for (const plot of plots) await store.asSystem('test').create('plot', plot)
  return store as Store<any>
}

for (const [where, open] of Object.entries(backends(book))) {
  describe(`fields ${where}`, () => {
    let store: Store<any>
    beforeEach(async () => {
      store = await filled(await open())
    })
    const failure = async (work: Promise<unknown>) => {
      const error = await work.then(
        () => 'it went through',
        (caught: unknown) => caught,
      )
      return isPachterError(error) ? `${error.code}: ${error.message}` : error
    }

    it('are visible record by record, by every clause that holds, and absent where none does', async () => {
      expect(await store.for(INES).list('plot')).to.deep.equal([
        { id: 'p-1', number: 1, holderId: 'm-1', state: 'let', planting: 'leeks', rentDue: 30 },
        { id: 'p-3', number: 3, state: 'vacant' },
        { id: 'p-4', number: 4, holderId: 'm-1', state: 'vacant', planting: 'rye', rentDue: 5 },
      ])
      expect(await store.for(FARAH).get('plot', 'p-3')).to.deep.equal({ id: 'p-3', number: 3, state: 'vacant', rentDue: 0 })
      expect(await store.for(null).list('plot', { fields: ['number', 'rentDue'] })).to.deep.equal([
        { id: 'p-3', number: 3 },
        { id: 'p-4', number: 4 },
      ])
      expect(await store.for(TOMASZ).list('plot')).to.deep.equal(DATA)
    })

    it('are changed only if a counting clause allows it', async () => {
      expect(await store.for(INES).update('plot', 'p-1', { planting: 'rye' }))
        .to.include({ planting: 'rye' })
        .and.not.have.property('notes')
      expect(await failure(store.for(INES).update('plot', 'p-1', { planting: 'x', rentDue: 0 }))).to.equal(
        'REFUSED: You may not change rentDue.',
      )
      expect(await failure(store.for(INES).update('plot', 'p-1', { holderId: 'm-9' }))).to.include('REFUSED')
      expect(await failure(store.for(TOMASZ).update('plot', 'p-1', { rentDue: 0 }))).to.include('REFUSED')
      expect(
        await store.for({ id: 'm-4', roles: ['treasurer', 'warden'] }).update('plot', 'p-2', { rentDue: 1, planting: 'oats' }),
      ).to.include({ rentDue: 1, planting: 'oats' })
      expect((await store.asSystem('test').get('plot', 'p-1')).rentDue).to.equal(30)
    })

    it('may be sent along unchanged where they are visible, and not where they are hidden', async () => {
      expect(await store.for(INES).update('plot', 'p-1', { planting: 'rye', rentDue: 30, number: 1 })).to.include({ planting: 'rye' })
      for (const notes of ['late', 'guessed', null]) {
        expect(await failure(store.for(INES).update('plot', 'p-1', { planting: 'oats', notes })), String(notes)).to.equal(
          'REFUSED: You may not change notes.',
        )
      }
    })

    it('are sent at creation only if a clause allows it', async () => {
      const fresh = { number: 9, holderId: null, state: 'vacant', planting: '' }
      expect(await store.for(TOMASZ).create('plot', fresh)).to.deep.equal({ id: 'p-9', ...fresh })
      expect(await failure(store.for(TOMASZ).create('plot', { ...fresh, rentDue: 5 }))).to.equal('REFUSED: You may not send rentDue.')
      const both = store.for({ id: 'm-4', roles: ['treasurer', 'warden'] })
      expect(await failure(both.create('plot', { ...fresh, state: 'let', rentDue: 5 })), 'the clause that would does not hold').to.equal(
        'REFUSED: You may not send rentDue.',
      )
      await store.asSystem('test').delete('plot', 'p-9')
      expect(await both.create('plot', { ...fresh, rentDue: 5 })).to.include({ rentDue: 5 })
    })

    it('tell nothing where they are hidden: the same answers, whatever they hold', async () => {
      const hidden = {
        'p-1': ['notes'],
        'p-2': Object.keys(Plot.shape),
        'p-3': ['holderId', 'planting', 'rentDue', 'notes'],
        'p-4': ['notes'],
      } as Record<string, string[]>
      const value = fc.record({
        notes: fc.constantFrom('late', 'a', undefined),
        rentDue: fc.constantFrom(0, 99, undefined),
        planting: fc.constantFrom('', 'x', 'leeks'),
      })
      const filter = fc.constantFrom<((plot: any) => unknown) | undefined>(
        undefined,
        (plot) => plot.notes.is('late'),
        (plot) => plot.notes.isMissing(),
        (plot) => not(plot.notes.orElse('').is('a')),
        (plot) => plot.rentDue.isMoreThan(10),
        (plot) => not(plot.rentDue.isMoreThan(10)),
        (plot) => plot.rentDue.isMissing().or(plot.number.isAtLeast(0)),
        (plot) => plot.planting.startsWith('l'),
      )
      const query = fc.record({
        where: filter,
        sort: fc.subarray(['notes', '-notes', 'rentDue', '-rentDue', 'planting', 'number']),
        limit: fc.constantFrom(undefined, 1, 2),
      })
      await fc.assert(
        fc.asyncProperty(
          fc.array(value, { minLength: 4, maxLength: 4 }),
          query,
          fc.constantFrom('p-1', 'p-2', 'p-3'),
          async (values, asked, key) => {
            const others = DATA.map((plot, at) => {
              const changed = { ...plot }
              for (const name of hidden[plot.id] ?? [])
                if (name in (values[at] as object)) (changed as any)[name] = (values[at] as any)[name]
              return changed
            })
            const answers = async (plots: readonly Plot[]) => {
              const mine = (await filled(await open(), plots)).for(INES)
              return [
                await mine.list('plot', asked as never),
                await failure(mine.update('plot', key, { notes: 'late' })),
                await failure(mine.update('plot', key, { rentDue: 99 })),
                await failure(mine.get('plot', key)),
              ]
            }
            expect(await answers(others)).to.deep.equal(await answers(DATA))
          },
        ),
        { numRuns: runsIn(where, 60) },
      )
    })

    it('keep a record out of what is filtered by them where they are hidden, under not as well', async () => {
      const filtered = async (where: (plot: any) => unknown) =>
        ((await store.for(INES).list('plot', { where: where as never })) as unknown as Plot[]).map(({ id }) => id)
      expect(await filtered((plot) => not(plot.rentDue.isMoreThan(10)))).to.deep.equal(['p-4'])
      expect(await filtered((plot) => anyOf(plot.rentDue.isMissing(), plot.number.isAtLeast(0)))).to.deep.equal(['p-1', 'p-4'])
      expect(await filtered((plot) => not(plot.notes.is('guessed')))).to.deep.equal([])
    })

    it('sort as missing where they are hidden, and the row stays', async () => {
      const ids = ((await store.for(INES).list('plot', { sort: ['-rentDue'] })) as unknown as Plot[]).map(({ id }) => id)
      expect(ids).to.deep.equal(['p-1', 'p-4', 'p-3'])
    })
  })
}

describe('what a shape finds wrong', () => {
  it('quotes nothing that is hidden', async () => {
    const strict = Plot.refine((plot) => plot.planting !== plot.notes, { error: (issue) => `notes are ${(issue.input as Plot).notes}` })
    const guarded = rulebook({ me: { shape: Session, key: 'id' }, records: { plot: { shape: strict, key: 'id' } } }).rules({
      plot: (_plot, { anyone, role }) => ({
        may: { read: [anyone.except('notes'), role('warden')], update: [anyone.only('planting', 'number')] },
      }),
    })
    const store = openStore(guarded, inMemory({ plot: DATA }))
    const message = (me: typeof INES | typeof TOMASZ, changes: object) =>
      store
        .for(me)
        .update('plot', 'p-1', changes)
        .then(
          () => '',
          (error: Error) => error.message,
        )
    expect(await message(INES, { planting: 'late' })).to.equal('You may not update this plot.')
    expect(await message(INES, { planting: 5 })).to.include('planting')
    expect(await message(TOMASZ, { planting: 'late' })).to.include('notes are late')
  })
})

describe('fields in memory, without a store', () => {
  it('are absent from what a viewpoint filters, and named in its verdicts', () => {
    const ines = book.for(INES)
    expect(ines.filter('plot', DATA)[1]).to.deep.equal({ id: 'p-3', number: 3, state: 'vacant' })
    expect(ines.verdict('read', 'plot', DATA[2] as Plot).fields).to.deep.equal(['number', 'state'])
    expect(ines.verdict('update', 'plot', DATA[0] as Plot).fields).to.deep.equal(['planting'])
    expect(book.for(TOMASZ).verdict('read', 'plot', DATA[0] as Plot)).not.to.have.property('fields')
    expect(ines.verdict('update', 'plot', DATA[0] as Plot, { ...(DATA[0] as Plot), rentDue: 0 }).outcome).to.equal('refused')
    expect(ines.verdict('update', 'plot', DATA[0] as Plot, { ...(DATA[0] as Plot), planting: 'x' }).outcome).to.equal('allowed')
  })

  it('are checked when the rulebook is built', () => {
    const build = (write: (words: any, plot: any) => unknown, action = 'read') =>
      (rulebook({ me: { shape: Session, key: 'id' }, records: { plot: { shape: Plot, key: 'id' } } }) as any).rules({
        plot: (plot: any, words: any) => ({ may: { read: [words.anyone.titled('all')], [action]: [write(words, plot)] } }),
      })
    expect(() => build(({ anyone }) => anyone.only('nmber'))).to.throw('Did you mean "number"')
    expect(() => build(({ anyone }) => anyone.except())).to.throw('needs at least one field')
    expect(() => build(({ anyone }) => anyone.only('number').except('state'))).to.throw('use only one of them, once')
    expect(() => build(({ anyone }) => anyone.only('number'), 'delete')).to.throw('affects the whole record')
    expect(build(({ anyone }, plot) => anyone.provided(plot.state.is('let')).only('state'), 'update').warnings.join()).to.include(
      'allows state to be changed, but also tests it',
    )
  })
})
