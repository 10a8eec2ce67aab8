import { expect } from 'chai'
import { indexed, isPachterError, rulebook, toMany } from 'pachter'
import { z } from 'zod'

const Session = z.object({ id: z.string(), roles: z.array(z.enum(['warden', 'guest'])) })
const Plot = z.object({ id: z.string(), holderId: z.string().nullable(), state: z.enum(['vacant', 'let']) })
const book = rulebook({
  me: { shape: Session, key: 'id' },
  records: { plot: { shape: Plot, key: 'id' }, secret: { shape: z.object({ id: z.string() }), key: 'id' } },
})
  .standings({ plot: (plot, { me }) => ({ holder: plot.holderId.is(me.id) }) })
  .rules({
    plot: (plot, { standing: { holder }, anyone, role }) => ({
      may: {
        read: [holder, role('warden'), anyone.provided(plot.state.is('vacant')).titled('the vacant ones')],
        create: [role('warden')],
        update: [holder, anyone.provided(plot.state.is('vacant'))],
        delete: [role('warden').provided(plot.state.is('vacant'))],
      },
      messages: { delete: 'Only a warden removes a vacant plot.' },
    }),
  })

const ines = book.for({ id: 'm-1', roles: [] })
const warden = book.for({ id: 'm-2', roles: ['warden'] })
const visitor = book.for(null)
const hers = { id: 'p-1', holderId: 'm-1', state: 'let' as const }
const vacant = { id: 'p-2', holderId: null, state: 'vacant' as const }
const others = { id: 'p-3', holderId: 'm-9', state: 'let' as const }
const orphan = { id: 'p-4', holderId: null, state: 'let' as const }

describe('a viewpoint', () => {
  it('names the clause that allows the action', () => {
    expect(ines.verdict('read', 'plot', hers)).to.include({ allowed: true, outcome: 'allowed', clause: 'holder', key: 'p-1' })
    expect(ines.verdict('read', 'plot', vacant)).to.include({ allowed: true, clause: 'the vacant ones' })
    expect(warden.verdict('delete', 'plot', vacant).clause).to.equal(`role warden, provided the plot's state is "vacant"`)
  })

  it('tells the asker no more than they may know, in this order: sign in, not found, refused', () => {
    expect(visitor.verdict('delete', 'plot', vacant)).to.include({ outcome: 'sign in', message: 'Sign in to delete a plot.' })
    expect(visitor.verdict('delete', 'plot', others), 'whatever the record').to.include({ outcome: 'sign in' })
    expect(ines.verdict('delete', 'plot', others)).to.include({ outcome: 'not found', message: 'There is no such plot.' })
    expect(ines.verdict('delete', 'plot', vacant)).to.include({ outcome: 'refused', message: 'Only a warden removes a vacant plot.' })
    expect(ines.verdict('create', 'plot', hers)).to.include({ outcome: 'refused', message: 'You may not create a plot.' })
    const { id: _id, ...without } = hers
    expect(Object.keys(ines.verdict('create', 'plot', without as never))).to.have.members([
      'allowed',
      'outcome',
      'action',
      'type',
      'message',
    ])
    expect(visitor.verdict('read', 'plot', others), 'visitors may read some plots').to.include({ outcome: 'not found' })
  })

  it('names the record by its key, and by nothing else that may stand in its place', () => {
    for (const [id, key] of [
      ['p-1', 'p-1'],
      [null, undefined],
      [{ id: 'p-1' }, undefined],
    ] as const)
      expect(ines.verdict('read', 'plot', { ...hers, id: id as string }).key).to.equal(key)
  })

  it('takes records that are indexed to stay as they were', () => {
    const shape = z.object({ id: z.string(), plotId: z.string() })
    const linked = rulebook({
      me: { shape: z.object({ id: z.string() }), key: 'id' },
      records: {
        plot: { shape: z.object({ id: z.string() }), key: 'id', links: { shares: toMany('share', 'plotId') } },
        share: { shape, key: 'id' },
      },
    }).rules({ plot: (plot, { anyone }) => ({ may: { read: [anyone.provided(plot.shares.some((share) => share.id.isPresent()))] } }) })
    const share = [{ id: 'h-1', plotId: 'p-1' }]
    const records = indexed({ share })
    const sees = (given: { share: typeof share }, id: string) =>
      linked.for({ id: 'm' }, { records: given }).verdict('read', 'plot', { id }).allowed
    expect([sees(records, 'p-1'), sees(records, 'p-2')]).to.deep.equal([true, false])
    share.push({ id: 'h-2', plotId: 'p-2' })
    expect([sees(records, 'p-2'), sees({ share }, 'p-2')], 'until they are indexed anew').to.deep.equal([false, true])
  })

  it('is closed by default', () => {
    for (const view of [visitor, ines, warden]) {
      for (const action of ['read', 'create', 'update', 'delete'] as const) {
        expect(view.verdict(action, 'secret', { id: 'x' }).allowed, action).to.equal(false)
        expect(view.condition(action, 'secret')).to.deep.equal({ kind: 'constant', value: false })
      }
    }
  })

  it('knows no role that is special by its name, nor a person', () => {
    const names = ['admin', 'administrator', 'root', 'superuser', 'owner', 'system', 'everyone', 'anyone', 'warden', '*', 'true']
    const open = rulebook({
      me: { shape: z.object({ id: z.string(), roles: z.array(z.string()) }), key: 'id' },
      records: { plot: { shape: Plot, key: 'id', actions: ['approve'] } },
    })
      .privileges({ openLedger: ({ role }) => [role('treasurer')] })
      .rules({
        plot: (plot, { me, anyone }) => ({
          may: { read: [anyone.provided(plot.holderId.is(me.id))], update: [anyone.provided(plot.holderId.is(me.id))] },
        }),
      })
    for (const id of [...names, 'm-2']) {
      const view = open.for({ id, roles: names })
      for (const action of ['read', 'create', 'update', 'delete', 'approve'] as const) {
        expect(view.filter('plot', [hers, vacant, others], action as 'read'), `${id} ${action}`).to.deep.equal([])
        expect(view.may(action, 'plot')).to.equal(action === 'read' || action === 'update' ? 'depending' : 'never')
      }
      expect(view.has('openLedger')).to.equal(false)
    }
  })

  it('filters lists, by action too; a record without an owner has no holder', () => {
    const plots = [hers, vacant, others, orphan]
    const ids = (records: { id: string }[]) => records.map(({ id }) => id)
    expect(ids(ines.filter('plot', plots))).to.deep.equal(['p-1', 'p-2'])
    expect(ids(visitor.filter('plot', plots))).to.deep.equal(['p-2'])
    expect(warden.filter('plot', plots)).to.deep.equal(plots)
    expect(ids(ines.filter('plot', plots, 'update'))).to.deep.equal(['p-1', 'p-2'])
    expect(ids(warden.filter('plot', plots, 'update')), 'only where a clause holds').to.deep.equal(['p-2'])
    expect(ines.filter('plot', [])).to.deep.equal([])
  })

  it('counts an update clause only if it holds on the record as it is and as it becomes', () => {
    expect(ines.verdict('update', 'plot', hers, { ...hers, state: 'vacant' }).allowed).to.equal(true)
    expect(ines.verdict('update', 'plot', hers, { ...hers, holderId: 'm-9' }).outcome, 'given away').to.equal('refused')
    expect(ines.verdict('update', 'plot', hers, { ...hers, id: 'p-9' }).message, 'the key never changes').to.equal('You may not change id.')
    expect(ines.verdict('update', 'plot', vacant, { ...vacant, holderId: 'm-1', state: 'let' }).outcome, 'taken').to.equal('refused')
  })

  it('allows nothing on an invisible record', () => {
    const book = rulebook({ me: { shape: Session, key: 'id' }, records: { plot: { shape: Plot, key: 'id' } } }).rules({
      plot: (plot, { me, anyone }) => ({ may: { read: [anyone.provided(plot.holderId.is(me.id))], update: [anyone], delete: [anyone] } }),
    })
    const view = book.for({ id: 'm-1', roles: [] })
    expect(view.filter('plot', [hers, vacant, others], 'update')).to.deep.equal([hers])
    expect(view.verdict('delete', 'plot', others).outcome).to.equal('not found')
    expect(Object.isFrozen(view.condition('update', 'plot'))).to.equal(true)
    expect(book.warnings.join()).to.include('the update clause "anyone"')
  })

  it('refuses names that it does not know, rather than say no', () => {
    const odd = (work: () => unknown, says: string) => {
      expect(work).to.throw(says).with.property('code', 'UNKNOWN_NAME')
    }
    odd(() => ines.verdict('raed' as never, 'plot', hers), 'Did you mean "read"')
    odd(() => ines.verdict('read', 'plto' as never, hers as never), 'Did you mean "plot"')
    odd(() => ines.filter('toString' as never, []), 'toString')
    odd(() => ines.condition('__proto__' as never, 'plot'), '__proto__')
  })

  it('refuses what is no record', () => {
    for (const odd of [null, undefined, 5, 'p-1']) {
      expect(() => ines.verdict('read', 'plot', odd as never))
        .to.throw()
        .with.property('code', 'BAD_RECORD')
      expect(() => ines.filter('plot', [hers, odd as never]))
        .to.throw()
        .with.property('code', 'BAD_RECORD')
    }
  })

  it('refuses claims that do not fit, and never takes them for a visitor', () => {
    const ODD: readonly [unknown, string][] = [
      [{}, 'id'],
      [{ id: 'm-1' }, 'roles'],
      [{ id: 'm-1', roles: ['king'] }, 'roles.0'],
      [{ id: '  ', roles: ['warden'] }, 'id is blank'],
      [{ id: 'a\0', roles: [] }, 'id'],
      ['m-1', 'expected'],
    ]
    for (const [claims, says] of ODD) {
      try {
        book.for(claims as never)
        expect.fail(`${JSON.stringify(claims)} was taken`)
      } catch (error) {
        expect(isPachterError(error, 'BAD_CLAIMS'), String(error)).to.equal(true)
        expect((error as Error).message).to.include(says)
      }
    }
    const slow = rulebook({ me: { shape: Session.refine(async () => true), key: 'id' }, records: {} })
    expect(() => slow.for({ id: 'm-1', roles: [] })).to.throw(/asynchronously|promise/i)
  })

  it('says before any record is loaded what may be done to a type', () => {
    expect((['read', 'create', 'update', 'delete'] as const).map((action) => warden.may(action, 'plot'))).to.deep.equal([
      'always',
      'always',
      'depending',
      'depending',
    ])
    expect((['read', 'create', 'update', 'delete'] as const).map((action) => ines.may(action, 'plot'))).to.deep.equal([
      'depending',
      'never',
      'depending',
      'never',
    ])
    expect(visitor.may('read', 'secret')).to.equal('never')
    expect(() => ines.may('read', 'plto' as never)).to.throw('Did you mean "plot"')
  })

  it('knows privileges, which belong to no record', () => {
    const more = book.privileges({
      openLedger: ({ role, me }) => [role('warden'), me.id.is('m-7')],
      anything: ({ signedIn }) => [signedIn],
      nothing: () => [],
    })
    const has = (claims: object | null) =>
      (['openLedger', 'anything', 'nothing'] as const).map((name) => more.for(claims as never).has(name))
    expect(has({ id: 'm-2', roles: ['warden'] })).to.deep.equal([true, true, false])
    expect(has({ id: 'm-7', roles: [] })).to.deep.equal([true, true, false])
    expect(has(null)).to.deep.equal([false, false, false])
    expect(
      more
        .gate(({ me }) => me.id.is('m-1'))
        .for({ id: 'm-2', roles: ['warden'] })
        .has('openLedger'),
      'the gate stands before them',
    ).to.equal(false)
    expect(() => more.for(null).has('openLegder' as never)).to.throw('Did you mean "openLedger"')
    expect(() => (book as any).privileges({ odd: ({ role }: any) => role('warden') })).to.throw('a list of conditions')
    expect(() => more.privileges({ anything: () => [] })).to.throw('exists already')
  })

  describe('explains', () => {
    it('what decided, with the values compared', () => {
      const { clause, decidedBy } = ines.why('read', 'plot', hers)
      expect(decidedBy).to.equal('read')
      expect(clause).to.deep.include({ title: 'holder', holds: true })
      expect(clause?.trace.of[0]?.values).to.deep.equal(['m-1', 'm-1'])
    })

    it('the nearest clause, where it was refused', () => {
      const { clause, clauses, decidedBy } = warden.why('delete', 'plot', others)
      expect(decidedBy).to.equal('delete')
      expect(clause?.title).to.include('role warden')
      expect(clause?.trace.of.map(({ holds }) => holds)).to.deep.equal([true, false])
      expect(clauses).to.have.length(1)
    })

    it('that what cannot be read cannot be changed', () => {
      const { decidedBy, verdict } = ines.why('delete', 'plot', others)
      expect([decidedBy, verdict.outcome]).to.deep.equal(['read', 'not found'])
    })

    it('an update on both its sides', () => {
      const { clause } = ines.why('update', 'plot', hers, { ...hers, holderId: 'm-9' })
      expect([clause?.title, clause?.trace.holds, clause?.after?.holds]).to.deep.equal(['holder', true, false])
    })

    it('a gate that is shut, by the name of the record', () => {
      const open = rulebook({ me: { shape: Session, key: 'id' }, records: { plot: { shape: Plot, key: 'id' } } })
      const gated = open.rules({ plot: (plot, { anyone }) => ({ gate: { read: plot.state.is('let') }, may: { read: [anyone] } }) })
      const { withheldBy } = gated.for(null).why('read', 'plot', vacant)
      expect(withheldBy.map(({ kind, title }) => [kind, title])).to.deep.equal([['gate', 'the plot\'s state is "let"']])
    })

    it('that there is no clause at all', () => {
      expect(ines.why('read', 'secret', { id: 'x' }).clause).to.equal(undefined)
    })
  })
})
