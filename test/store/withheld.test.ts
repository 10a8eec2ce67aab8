import { expect } from 'chai'
import { isPachterError, not, now, rulebook } from 'pachter'
import { openStore, type Store } from 'pachter/store'
import { z } from 'zod'
import { backends } from '../support/backends.js'

const Session = z.object({ id: z.string(), roles: z.array(z.enum(['warden', 'secretary'])), banned: z.boolean() })
const Plot = z.object({
  id: z.string(),
  holderId: z.string().nullable(),
  state: z.enum(['let', 'ending', 'closed']),
  endsAt: z.date().optional(),
})
const shapes = {
  me: { shape: Session, key: 'id' },
  records: { plot: { shape: Plot, key: 'id' }, notice: { shape: Plot, key: 'id' } },
} as const
const NOW = new Date('2026-06-15T09:00:00Z')
const begun = rulebook(shapes)
const book = begun
  .standings({ plot: (plot, { me }) => ({ holder: plot.holderId.is(me.id) }) })
  .rules({
    plot: (plot, { standing: { holder }, role, signedIn, anyone }) => ({
      gate: { update: signedIn, all: plot.state.isOneOf(['let', 'ending']) },
      may: { read: [anyone], create: [anyone], update: [holder, role('warden')], delete: [anyone] },
      vetoes: [
        {
          actions: ['update', 'delete'],
          provided: plot.state.is('ending'),
          unless: role('warden'),
          message: 'This lease is ending: ask the warden.',
        },
        {
          actions: ['delete'],
          provided: plot.endsAt.isPresent().and(not(plot.endsAt.orElse(now).isBefore(now))),
          message: 'It has not ended yet.',
        },
        { actions: ['create'], unless: role('secretary'), message: 'New plots come from the secretary.' },
      ],
    }),
    notice: (notice, { anyone, role }) => ({
      may: { read: [anyone], create: [anyone] },
      vetoes: [{ actions: ['read'], provided: notice.state.is('closed'), unless: role('secretary'), message: 'It is closed.' }],
    }),
  })
  .gate(({ me }) => not(me.banned.orElse(false).is(true)))

const INES = { id: 'm-1', roles: [], banned: false }
const WARDEN = { id: 'm-2', roles: ['warden' as const], banned: false }
const SECRETARY = { id: 'm-3', roles: ['secretary' as const], banned: false }
const DATA = [
  { id: 'p-1', holderId: 'm-1', state: 'let' as const },
  { id: 'p-2', holderId: 'm-1', state: 'ending' as const },
  { id: 'p-3', holderId: 'm-1', state: 'closed' as const },
  { id: 'p-4', holderId: 'm-1', state: 'let' as const, endsAt: new Date('2030-01-01T00:00:00Z') },
]

for (const [where, open] of Object.entries(backends(book))) {
  describe(`gates and vetoes ${where}`, () => {
    let store: Store<any>
    beforeEach(async () => {
      store = openStore(book, await open(), { now: NOW, newKey: () => 'p-9' }) as Store<any>
      for (const plot of DATA) await store.asSystem('test').create('plot', plot)
      await store.asSystem('test').create('notice', { ...DATA[0], id: 'n-1' })
      await store.asSystem('test').create('notice', { ...DATA[2], id: 'n-2' })
    })
    const outcome = async (work: Promise<unknown>) => {
      const error = await work.then(
        () => 'done',
        (caught: unknown) => caught,
      )
      return isPachterError(error) ? `${error.code}: ${error.message}` : error
    }
    const ids = async (me: unknown, type = 'plot') =>
      ((await store.for(me as never).list(type)) as unknown as { id: string }[]).map(({ id }) => id).join(' ')

    it('a gate of a type must hold before any clause counts', async () => {
      expect(await ids(INES)).to.equal('p-1 p-2 p-4')
      expect(await outcome(store.for(INES).get('plot', 'p-3'))).to.include('NOT_FOUND')
      expect(await outcome(store.for(null).update('plot', 'p-1', { holderId: null }))).to.include('SIGN_IN')
      expect(await outcome(store.for(SECRETARY).create('plot', { holderId: null, state: 'closed' }))).to.include('REFUSED')
    })

    it('a gate of the whole rulebook stands before everything', async () => {
      const banned = { ...WARDEN, banned: true }
      expect(await ids(banned)).to.equal('')
      expect(await ids(banned, 'notice')).to.equal('')
      expect(await outcome(store.for(banned).create('notice', { holderId: null, state: 'let' }))).to.include('REFUSED')
      expect(await ids(null, 'notice'), 'a visitor is nobody, and so not banned').to.equal('n-1')
      expect(await ids(INES, 'notice')).to.equal('n-1')
    })

    it('a veto wins over clauses, in its own words, but for its exception', async () => {
      expect(await outcome(store.for(INES).update('plot', 'p-2', { holderId: 'm-1', endsAt: NOW }))).to.equal(
        'REFUSED: This lease is ending: ask the warden.',
      )
      expect(await outcome(store.for(INES).delete('plot', 'p-2'))).to.equal('REFUSED: This lease is ending: ask the warden.')
      expect(await outcome(store.for(WARDEN).update('plot', 'p-2', { holderId: null }))).to.equal('done')
      expect(await outcome(store.for(INES).update('plot', 'p-1', { state: 'ending' })), 'it speaks of the record as it is').to.equal('done')
    })

    it('a veto on reading makes a record as if it were not there', async () => {
      expect(await ids(INES, 'notice')).to.equal('n-1')
      expect(await ids(SECRETARY, 'notice')).to.equal('n-1 n-2')
      expect(await store.for(INES).count('notice')).to.equal(1)
      expect(await outcome(store.for(INES).get('notice', 'n-2'))).to.equal('NOT_FOUND: There is no such notice.')
      expect(book.for(INES).filter('notice', [DATA[2] as never])).to.deep.equal([])
      expect(book.for(INES).verdict('read', 'notice', DATA[2] as never)).to.include({ outcome: 'not found' })
    })

    it('each veto has its own exception, and concerns its own actions', async () => {
      expect(await outcome(store.for(WARDEN).delete('plot', 'p-4'))).to.equal('REFUSED: It has not ended yet.')
      expect(await outcome(store.for(WARDEN).create('plot', { holderId: null, state: 'let' }))).to.equal(
        'REFUSED: New plots come from the secretary.',
      )
      expect(await outcome(store.for(SECRETARY).create('plot', { holderId: null, state: 'let' }))).to.equal('done')
      expect(await outcome(store.for(INES).delete('plot', 'p-1'))).to.equal('done')
    })

    it('the system is asked for none of them', async () => {
      expect(await outcome(store.asSystem('test').update('plot', 'p-3', { holderId: null }))).to.equal('done')
      expect(await outcome(store.asSystem('test').delete('plot', 'p-2'))).to.equal('done')
    })
  })
}

describe('gates and vetoes without a store', () => {
  it('are part of verdicts, filters and explanations', () => {
    const ines = book.for(INES, { now: NOW })
    expect(ines.filter('plot', DATA, 'update').map(({ id }) => id)).to.deep.equal(['p-1', 'p-4'])
    expect(ines.verdict('update', 'plot', DATA[1] as never)).to.include({
      outcome: 'refused',
      message: 'This lease is ending: ask the warden.',
    })
    const { withheldBy, clause } = ines.why('update', 'plot', DATA[1] as never)
    expect(withheldBy.map(({ kind, title }) => `${kind}: ${title}`)).to.deep.equal([
      'veto: the plot\'s state is "ending", unless role warden',
    ])
    expect(clause).to.deep.include({ title: 'holder', holds: true })
    expect(ines.why('read', 'plot', DATA[2] as never).withheldBy.map(({ kind }) => kind)).to.deep.equal(['gate'])
    expect(book.for({ ...INES, banned: true }).condition('read', 'notice')).to.deep.equal({ kind: 'constant', value: false })
  })

  it('absence never grants through them either', () => {
    const veto = (write: (plot: any, words: any) => object) => () =>
      (begun as any).rules({
        plot: (plot: any, words: any) => ({
          may: { read: [words.anyone] },
          vetoes: [{ actions: ['read'], message: 'No.', ...write(plot, words) }],
        }),
      })
    expect(
      veto((plot) => ({ provided: plot.holderId.is('m-9') })),
      'plainly in provided',
    ).to.throw('missing data must never grant access')
    expect(veto((plot) => ({ provided: plot.holderId.orElse('').is('m-9') }))).not.to.throw()
    expect(
      veto((plot) => ({ provided: not(plot.holderId.is('m-9')) })),
      'a missing holder is withheld from',
    ).not.to.throw()
    expect(
      veto((plot, { me }) => ({ unless: plot.holderId.is(me.id) })),
      'who is nobody is no exception',
    ).not.to.throw()
    expect(
      veto((plot) => ({ unless: not(plot.holderId.is('m-9')) })),
      'under not in unless',
    ).to.throw('missing data must never grant access')
    expect(() => begun.gate(({ me }) => not(me.banned.is(true)))).to.throw('missing data must never grant access')
    expect(() => begun.gate(({ signedIn, me }) => signedIn.and(not(me.banned.is(true))))).not.to.throw()
  })

  it('are checked when the rulebook is built', () => {
    const build = (more: (words: any) => object) => () => (begun as any).rules({ plot: (_plot: any, words: any) => more(words) })
    const CASES: readonly [(words: any) => object, string][] = [
      [() => ({ vetoes: [{ actions: ['update'] }] }), 'add the message'],
      [() => ({ vetoes: [{ message: 'No.' }] }), 'name the actions'],
      [() => ({ vetoes: [{ actions: ['udpate'], message: 'No.' }] }), 'Did you mean "update"'],
      [() => ({ vetoes: [{ actions: ['update'], message: 'No.', except: 1 }] }), '"except"'],
      [() => ({ vetoes: { actions: ['update'] } }), 'a list of vetoes'],
      [({ signedIn }) => ({ gate: { raed: signedIn } }), 'Did you mean "read"'],
      [({ signedIn }) => ({ gate: { read: [signedIn] } }), 'gate takes conditions'],
    ]
    for (const [more, says] of CASES) expect(build(more)).to.throw(says)
  })
})
