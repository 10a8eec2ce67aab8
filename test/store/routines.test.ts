import { expect } from 'chai'
import { rulebook } from 'pachter'
import { openStore, type Store } from 'pachter/store'
import { z } from 'zod'
import { backends } from '../support/backends.js'

const Session = z.object({ id: z.string(), roles: z.array(z.enum(['secretary'])) })
const Plot = z.object({ id: z.string(), holderId: z.string().nullable(), state: z.enum(['let', 'closed']) })
const Note = z.object({ id: z.string(), plotId: z.string(), text: z.string().min(1) })
const book = rulebook({
  me: { shape: Session, key: 'id' },
  records: { plot: { shape: Plot, key: 'id', actions: ['inspect'] }, note: { shape: Note, key: 'id' } },
})
  .standings({ plot: (plot, { me }) => ({ holder: plot.holderId.is(me.id) }) })
  .routines({ closeSeason: ({ role }) => [role('secretary')], handBack: ({ signedIn }) => [signedIn] })
  .rules({
    plot: (plot, { standing: { holder }, role, signedIn, after }) => ({
      may: {
        read: [signedIn],
        create: [role('secretary')],
        update: [
          holder.only('state').provided(plot.state.is('let')).within('handBack').afterwards(after.holderId.isPresent()),
          role('secretary').within('closeSeason'),
        ],
        inspect: [holder, role('secretary').provided(plot.state.is('let'))],
      },
      vetoes: [{ actions: ['inspect'], provided: plot.state.is('closed'), message: 'Closed for the season.' }],
      messages: { inspect: 'Not yours to inspect.' },
    }),
    note: (_note, { signedIn }) => ({ may: { read: [signedIn], create: [signedIn], delete: [signedIn] } }),
  })

const HOLDER = { id: 'm1', roles: [] }
const SECRETARY = { id: 'm2', roles: ['secretary' as const] }
const outcome = (work: Promise<unknown>) =>
  work.then(
    () => 'done',
    (error: Error & { code?: string }) => `${error.code ?? 'own'} ${error.message}`,
  )

for (const [where, open] of Object.entries(backends(book))) {
  describe(`routines, steps together and actions of one's own ${where}`, () => {
    let store: Store<typeof book extends { for(me: infer _M): unknown } ? any : never>
    beforeEach(async () => {
      store = openStore(book, await open()) as never
      const system = store.asSystem('fill')
      for (const [id, holderId] of [
        ['p1', 'm1'],
        ['p2', null],
      ] as const)
        await system.create('plot', { id, holderId, state: 'let' })
    })
    const plots = () => store.asSystem('look').list('plot')

    it('a change that may be made within a routine only, is made there and nowhere else', async () => {
      expect(await outcome(store.for(HOLDER).update('plot', 'p1', { state: 'closed' }))).to.include('REFUSED')
      expect(await outcome(store.for(SECRETARY).update('plot', 'p1', { state: 'closed' }))).to.include('REFUSED')
      const hand = (inside: any) => inside.update('plot', 'p1', { state: 'closed' })
      expect(await outcome(store.for(SECRETARY).routine('handBack', hand)), 'each within its own').to.include('REFUSED')
      expect(await outcome(store.for(HOLDER).routine('handBack', hand))).to.equal('done')
      const close = (inside: any) => inside.update('plot', 'p2', { holderId: 'm9', state: 'closed' })
      expect(await outcome(store.for(SECRETARY).routine('closeSeason', close))).to.equal('done')
      expect(await plots()).to.deep.equal([
        { id: 'p1', holderId: 'm1', state: 'closed' },
        { id: 'p2', holderId: 'm9', state: 'closed' },
      ])
    })

    it('a routine can be called by the people that its clauses allow', async () => {
      const nothing = async () => 'ran'
      expect(await outcome(store.for(HOLDER).routine('closeSeason', nothing))).to.equal('REFUSED You may not call closeSeason.')
      expect(await outcome(store.for(null).routine('closeSeason', nothing))).to.equal('SIGN_IN Sign in to call closeSeason.')
      expect(await store.for(SECRETARY).routine('closeSeason', nothing)).to.equal('ran')
      expect(await store.for(HOLDER).mayCall('closeSeason')).to.equal(false)
      expect(await store.for(HOLDER).mayCall('handBack')).to.equal(true)
      expect(await outcome(store.for(HOLDER).routine('closeSeson', nothing))).to.include('Did you mean "closeSeason"')
    })

    it('what holds within a routine can be asked without a store', () => {
      const plot = { id: 'p1', holderId: 'm1', state: 'let' } as const
      const may = (me: typeof HOLDER | typeof SECRETARY, within?: 'closeSeason' | 'handBack') =>
        book.for(me, within ? { within } : {}).verdict('update', 'plot', plot, { ...plot, state: 'closed' }).allowed
      expect([
        may(HOLDER),
        may(HOLDER, 'handBack'),
        may(HOLDER, 'closeSeason'),
        may(SECRETARY),
        may(SECRETARY, 'closeSeason'),
      ]).to.deep.equal([false, true, false, false, true])
      const why = book.for(SECRETARY).why('update', 'plot', plot, { ...plot, state: 'closed' })
      expect(why.clauses[1]).to.deep.include({ holds: false, onlyWithin: ['closeSeason'] })
    })

    it('steps together are all kept, or none', async () => {
      const mine = store.for(HOLDER)
      const two = async (inside: any) => {
        const note = await inside.create('note', { plotId: 'p1', text: 'one' })
        await inside.create('note', { plotId: note.id, text: 'two' })
      }
      expect(await outcome(mine.transaction(two))).to.equal('done')
      expect(await mine.list('note')).to.have.length(2)
      const failing = (work: (inside: any) => Promise<unknown>) =>
        outcome(
          mine.transaction(async (inside) => {
            await inside.create('note', { plotId: 'p1', text: 'gone' })
            await work(inside)
          }),
        )
      expect(await failing((inside) => inside.create('note', { plotId: 'p1', text: '' }))).to.include('INVALID')
      expect(await failing((inside) => inside.delete('note', 'n9').catch(() => 'hushed up')), 'an error that was caught').to.include(
        'NOT_FOUND',
      )
      expect(await failing(async () => Promise.reject(new Error('my own'))), 'an error of the work itself').to.equal('own my own')
      expect(await failing((inside) => inside.get('note', 'n9').catch(() => 'no matter')), 'looking in vain fails nothing').to.equal('done')
      expect(await mine.list('note')).to.have.length(3)
      expect(await outcome(mine.transaction((inside) => inside.transaction(two)))).to.equal('done')
    })

    it('trusted code does in the same transaction what the rules allow no person to do: all or nothing is written', async () => {
      const mine = store.for(HOLDER)
      const close = (text: string) =>
        outcome(
          mine.transaction(async (inside, asSystem) => {
            await asSystem('the holder hands back').update('plot', 'p1', { state: 'closed' })
            expect(await inside.get('plot', 'p1'), 'it is seen at once').to.include({ state: 'closed' })
            await inside.create('note', { plotId: 'p1', text })
          }),
        )
      expect(await close('')).to.include('INVALID')
      expect(await mine.get('plot', 'p1')).to.include({ state: 'let' })
      expect(await close('handed back')).to.equal('done')
      expect(await mine.get('plot', 'p1')).to.include({ state: 'closed' })
      const hushed = mine.transaction(async (inside, asSystem) => {
        await inside.create('note', { plotId: 'p1', text: 'gone' })
        await asSystem('try')
          .update('plot', 'p1', { state: 'odd' } as never)
          .catch(() => 'hushed up')
      })
      expect(await outcome(hushed), 'an error of trusted code that was caught').to.include('INVALID')
      expect(await mine.list('note')).to.have.length(1)
      expect(await outcome(mine.transaction(async (_inside, asSystem) => asSystem(' ').list('plot')))).to.include('give a reason')
    })

    it('an action of its own is a question', async () => {
      const ask = (me: object | null, key: string) => store.for(me as never).verdict('inspect', 'plot', key)
      expect(await ask(HOLDER, 'p1')).to.include({ allowed: true, clause: 'holder' })
      expect(await ask(HOLDER, 'p2')).to.include({ allowed: false, message: 'Not yours to inspect.' })
      expect(await ask(SECRETARY, 'p2')).to.include({ allowed: true })
      expect(await ask(null, 'p2')).to.include({ outcome: 'sign in' })
      await store.asSystem('close').update('plot', 'p2', { state: 'closed' })
      expect(await ask(SECRETARY, 'p2')).to.include({ allowed: false, message: 'Closed for the season.' })
      const [first] = await store.for(HOLDER).list('plot', { withActions: ['inspect'] })
      expect(first?.may.inspect).to.deep.equal({ allowed: true })
      expect(await outcome(store.for(HOLDER).verdict('inspct' as never, 'plot', 'p1'))).to.include('Did you mean "inspect"')
    })

    it('trusted code makes sure of a record, and changes none that is there', async () => {
      const system = store.asSystem('first sign-in')
      expect(await system.ensure('plot', 'p7', { holderId: null, state: 'let' })).to.deep.equal({ id: 'p7', holderId: null, state: 'let' })
      expect(await system.ensure('plot', 'p1', { holderId: 'm9', state: 'closed' })).to.deep.equal({
        id: 'p1',
        holderId: 'm1',
        state: 'let',
      })
      expect(await outcome(system.ensure('plot', ' ', { holderId: null, state: 'let' }))).to.include('INVALID')
      expect(await outcome((store.for(SECRETARY) as any).ensure('plot', 'p8', {}))).to.include('BAD_QUERY')
    })
  })
}

describe('routines and actions that mean nothing', () => {
  const begun = rulebook({ me: { shape: Session, key: 'id' }, records: { plot: { shape: Plot, key: 'id', actions: ['inspect'] } } }) as any
  const rules = (may: (words: any) => object) => () =>
    begun.routines({ close: () => [] }).rules({ plot: (_plot: any, words: any) => ({ may: may(words) }) })
  const MISTAKES: readonly [string, () => unknown, string][] = [
    ['a routine that is not there', rules(({ anyone }) => ({ update: [anyone.within('clsoe')] })), 'Did you mean "close"'],
    ['within nothing', rules(({ anyone }) => ({ update: [anyone.within()] })), 'within() needs at least one'],
    ['fields of a question', rules(({ anyone }) => ({ inspect: [anyone.only('state')] })), 'the action inspect changes no fields'],
    ['an action that is not there', rules(({ anyone }) => ({ inspct: [anyone] })), 'Did you mean "inspect"'],
    ['a routine of conditions that are none', () => begun.routines({ close: () => true }), 'must return a list'],
    [
      'an action that exists already',
      () => (rulebook as any)({ me: { shape: Session, key: 'id' }, records: { plot: { shape: Plot, key: 'id', actions: ['read'] } } }),
      '"read" exists already',
    ],
  ]
  for (const [what, work, says] of MISTAKES) it(`${what}: ${says}`, () => expect(work).to.throw(says).with.property('code', 'BAD_RULEBOOK'))
})
