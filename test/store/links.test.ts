import { expect } from 'chai'
import { allOf, not, rulebook, toMany, toOne } from 'pachter'
import type { Tables } from 'pachter/internal/store'
import { type Backend, openStore, type Store } from 'pachter/store'
import { z } from 'zod'
import { backends } from '../support/backends.js'

const Member = z.object({ id: z.string(), roles: z.array(z.enum(['warden'])) })
const Plot = z.object({ id: z.string(), holderId: z.string().nullable(), open: z.boolean(), rent: z.number() })
const Share = z.object({ id: z.string(), plotId: z.string(), memberId: z.string(), until: z.date().optional() })
const Entry = z.object({
  id: z.string(),
  plotId: z.string().optional(),
  text: z.string(),
  secret: z.string(),
  tags: z.array(z.object({ by: z.string() })).optional(),
})

const book = rulebook({
  me: { shape: z.object({ id: z.string() }), key: 'id', links: { member: toOne('member', 'id') }, roles: (me) => me.member.roles },
  records: {
    member: { shape: Member, key: 'id' },
    plot: { shape: Plot, key: 'id', links: { shares: toMany('share', 'plotId') } },
    share: { shape: Share, key: 'id', links: { plot: toOne('plot', 'plotId', { target: 'any', onDelete: 'follow' }) } },
    entry: { shape: Entry, key: 'id', links: { plot: toOne('plot', 'plotId', { onDelete: 'follow' }) } },
  },
})
  .standings({
    plot: (plot, { me }) => ({
      holder: plot.holderId.is(me.id),
      guest: plot.shares.some((share) => share.memberId.is(me.id)),
      warden: allOf(me.member.roles.has('warden'), me.id.isPresent()),
    }),
  })
  .rules({
    plot: (plot, { standing: { holder, guest, warden }, anyone }) => ({
      may: {
        read: [holder, guest.except('rent'), warden, anyone.provided(plot.open.is(true)).only('open')],
        update: [holder, guest.only('open'), warden.only('rent')],
        delete: [warden],
      },
    }),
    share: (share, { me, anyone }) => ({
      may: {
        read: [anyone],
        create: [share.plot.standing.holder, anyone.provided(share.plot.shares.some((other) => other.memberId.is(me.id)))],
      },
    }),
    entry: (entry, { after, me, anyone }) => ({
      may: {
        read: [anyone.provided(entry.plot.open.is(true)).only('text', 'plotId'), entry.plot.standing.holder, entry.plot.standing.guest],
        create: [entry.plot.standing.holder, entry.plot.standing.guest],
        update: [entry.plot.standing.holder.afterwards(entry.plotId.isPresent())],
      },
      vetoes: [
        {
          actions: ['update'],
          provided: after.plot.open.orElse(false).is(true),
          unless: allOf(after.plot.holderId.is(me.id), after.plot.standing.holder),
          message: 'Not onto another open plot.',
        },
        {
          actions: ['create'],
          provided: not(entry.plot.standing.holder).and(
            entry.plot.isPresent(),
            me.id.isPresent(),
            entry.text.is('rude'),
            entry.plot.holderId.isPresent(),
          ),
          message: 'Mind your words.',
        },
      ],
    }),
  })

const DATA = {
  member: [
    { id: 'm1', roles: [] },
    { id: 'm2', roles: [] },
    { id: 'm3', roles: ['warden'] },
  ],
  plot: [
    { id: 'p1', holderId: 'm1', open: true, rent: 10 },
    { id: 'p2', holderId: 'm1', open: false, rent: 20 },
    { id: 'p3', holderId: 'm2', open: true, rent: 30 },
    { id: 'p4', holderId: null, open: false, rent: 40 },
  ],
  share: [
    { id: 's1', plotId: 'p2', memberId: 'm2' },
    { id: 's2', plotId: 'p1', memberId: 'm3' },
  ],
  entry: [
    { id: 'e1', plotId: 'p1', text: 'one', secret: 'x', tags: [{ by: 'm1' }, { by: 'm2' }] },
    { id: 'e2', plotId: 'p2', text: 'two', secret: 'y' },
    { id: 'e3', plotId: 'p3', text: 'three', secret: 'x' },
    { id: 'e4', plotId: 'p9', text: 'lost', secret: 'x' },
    { id: 'e5', text: 'nowhere', secret: 'x' },
  ],
} as const

async function filled(backend: Backend): Promise<Store<any>> {
  const store = openStore(book, backend)
  const system = store.asSystem('fill') as any
  for (const [type, rows] of Object.entries(DATA)) for (const row of rows) await system.create(type, row)
  return store as never
}

const outcome = (work: Promise<unknown>) =>
  work.then(
    () => 'done',
    (error: Error & { code: string }) => `${error.code} ${error.message}`,
  )
const ids = (rows: any) => (rows as { id: string }[]).map(({ id }) => id).join(' ')

for (const [where, open] of Object.entries(backends(book))) {
  describe(`links in the store ${where}`, () => {
    let store: Store<any>
    beforeEach(async () => {
      store = await filled(await open())
    })
    const as = (id: string | null) => store.for(id === null ? null : { id })

    it('make values of linked records readable to rules', async () => {
      expect(ids(await as('m1').list('entry'))).to.equal('e1 e2 e3')
      expect(ids(await as('m2').list('entry'))).to.equal('e1 e2 e3')
      expect(ids(await as(null).list('entry'))).to.equal('e1 e3')
      expect(await as(null).get('entry', 'e1')).to.deep.equal({ id: 'e1', plotId: 'p1', text: 'one' })
      expect(await as('m2').get('plot', 'p2')).to.deep.equal({ id: 'p2', holderId: 'm1', open: false })
    })

    it('are read as they were before: a new record never justifies itself', async () => {
      const share = { plotId: 'p3', memberId: 'm3' }
      expect(await outcome(as('m3').create('share', share))).to.equal('REFUSED You may not create this share.'.replace('this', 'a'))
      expect(await outcome(as('m2').create('share', share))).to.equal('done')
      expect(await outcome(as('m3').create('share', { plotId: 'p3', memberId: 'm1' })), 'and once it is there it does').to.equal('done')
    })

    it('lead to their new target when they change', async () => {
      expect(await outcome(as('m1').update('entry', 'e2', { plotId: 'p1' }))).to.equal('done')
      expect(await outcome(as('m1').update('entry', 'e1', { plotId: 'p3' }))).to.equal('REFUSED Not onto another open plot.')
      expect(await outcome(as('m1').update('entry', 'e1', { plotId: 'p4' })), 'a target that one does not see').to.include('INVALID')
      expect(await outcome(as('m1').update('entry', 'e1', { plotId: null }))).to.equal('REFUSED You may not update this entry.')
    })

    it('are followed in a verdict on changes, which changes nothing', async () => {
      const ask = (id: string, changes: object) => as(id).verdict('update', 'entry', 'e1', changes as never)
      expect(await ask('m1', { plotId: 'p2' })).to.include({ allowed: true })
      expect(await ask('m1', { plotId: 'p3' })).to.include({ allowed: false, message: 'Not onto another open plot.' })
      expect(await ask('m1', { plotId: null })).to.include({ allowed: false, outcome: 'refused' })
      expect(await ask('m2', { text: 'x' })).to.include({ allowed: false, outcome: 'refused' })
      expect(await outcome(ask('m1', { text: 5 }))).to.include('INVALID')
      expect(await store.asSystem('look').get('entry', 'e1')).to.deep.equal(DATA.entry[0])
    })

    it('bind vetoes too', async () => {
      expect(await outcome(as('m2').create('entry', { plotId: 'p2', text: 'rude', secret: '' }))).to.equal('REFUSED Mind your words.')
      expect(await outcome(as('m1').create('entry', { plotId: 'p2', text: 'rude', secret: '' }))).to.equal('done')
    })

    it('can be filtered by, as far as one sees where they lead', async () => {
      const list = (id: string | null, filter: (entry: any) => any) =>
        as(id)
          .list('entry', { where: filter })
          .then(ids as never)
      expect(await list('m1', (entry) => entry.plot.holderId.is('m1'))).to.equal('e1 e2')
      expect(await list('m1', (entry) => entry.plot.shares.some((share: any) => share.memberId.is('m2')))).to.equal('e2')
      expect(await list('m1', (entry) => entry.tags.some((tag: any) => tag.by.is('m2')))).to.equal('e1')
      // A visitor sees no holder, and of plots only the open ones: the rest is to them as if it were not there.
      expect(await list(null, (entry) => entry.plot.holderId.is('m1'))).to.equal('')
      expect(await list(null, (entry) => not(entry.plot.holderId.is('m1')))).to.equal('e1 e3')
      expect(await list(null, (entry) => entry.plot.open.is(true))).to.equal('e1 e3')
      expect(await list(null, (entry) => entry.tags.some())).to.equal('')
      expect(await outcome(as('m1').list('entry', { where: (entry: any) => entry.ancestors('plot').some() }))).to.include('BAD_QUERY')
      expect(await list('m2', (entry) => entry.plot.rent.isAtLeast(20)), 'a guest sees no rent').to.equal('e3')
    })

    it('can be filtered by records that one sees, not by others, however whole one would see them', async () => {
      const whole = rulebook({
        me: { shape: z.object({ id: z.string() }), key: 'id' },
        records: {
          plot: { shape: Plot, key: 'id' },
          entry: { shape: Entry, key: 'id', links: { plot: toOne('plot', 'plotId', { target: 'any' }) } },
        },
      }).rules({
        plot: (plot, { me, anyone }) => ({ may: { read: [anyone.provided(plot.holderId.is(me.id))] } }),
        entry: (_entry, { anyone }) => ({ may: { read: [anyone] } }),
      })
      const all = openStore(whole, (await backends(whole)[where]?.()) as Backend)
      for (const row of DATA.plot) await all.asSystem('fill').create('plot', row)
      for (const row of DATA.entry) await all.asSystem('fill').create('entry', row as never)
      const list = (id: string, filter: (entry: any) => any) => all.for({ id }).list('entry', { where: filter }).then(ids)
      expect(await list('m1', (entry) => entry.plot.rent.isAtLeast(0))).to.equal('e1 e2')
      expect(await list('m1', (entry) => entry.plot.isPresent())).to.equal('e1 e2')
      expect(await list('m2', (entry) => entry.plot.rent.isAtLeast(0))).to.equal('e3')
    })

    it('tells of each record what may be done to it, as a verdict would', async () => {
      for (const id of ['m1', 'm2', 'm3', null]) {
        const list = await as(id).list('plot', { withActions: ['read', 'update', 'delete'], withStandings: true })
        expect(list.map(({ record }) => record)).to.deep.equal(await as(id).list('plot'))
        for (const { record, may } of list) {
          for (const action of ['read', 'update', 'delete'] as const) {
            const { allowed, fields } = await as(id).verdict(action, 'plot', record.id as string)
            expect(may[action], `${id} ${action} ${record.id}`).to.deep.equal({ allowed, ...(fields ? { fields } : {}) })
          }
        }
      }
      const [, second, third] = await as('m2').list('plot', { withStandings: true })
      expect(second).to.deep.include({ standings: ['guest'], seenBy: ['guest; all but rent'] })
      expect(third?.standings).to.deep.equal(['holder'])
      expect((await as(null).list('plot', { withStandings: true }))[0]).to.deep.include({
        standings: [],
        seenBy: ["anyone, provided the plot's open is true; only open"],
      })
      expect((await store.asSystem('test').list('plot', { withActions: ['delete'] }))[0]?.may).to.deep.equal({ delete: { allowed: true } })
    })

    it('asks for rights that are read afresh', async () => {
      expect(await outcome(as('m2').delete('plot', 'p3'))).to.include('REFUSED')
      await store.asSystem('promote').update('member', 'm2', { roles: ['warden'] })
      expect(await as('m2').may('delete', 'plot')).to.equal('always')
      expect(await outcome(as('m2').delete('plot', 'p3'))).to.equal('done')
    })
  })

  describe(`what links cost ${where}`, () => {
    /** Tables that count what they are asked, and in which something happens before a transaction begins. */
    const counting = (backend: Backend, asked: string[], before: (tables: Tables) => Promise<unknown> = async () => {}): Backend => {
      const watch = (tables: Tables): Tables => ({
        ...(Object.fromEntries(
          (['select', 'test', 'insert', 'update', 'remove'] as const).map((name) => [
            name,
            (...given: never[]) => {
              asked.push(name)
              return (tables[name] as (...given: never[]) => unknown)(...given)
            },
          ]),
        ) as unknown as Tables),
        transaction: async (work) => {
          await before(tables)
          return tables.transaction((inside) => work(watch(inside)))
        },
      })
      return (model) => watch(backend(model))
    }

    it("one query for a list, after one for the asker's record", async () => {
      const tables = (await open())(book.model)
      const backend: Backend = () => tables
      await filled(backend)
      const asked: string[] = []
      const store = openStore(book, counting(backend, asked))
      await store.for(null).list('entry')
      expect(asked.splice(0)).to.deep.equal(['select'])
      expect(await store.for({ id: 'm1' }).list('plot', { withActions: ['update', 'delete'], withStandings: true })).to.have.length(3)
      expect(asked.splice(0)).to.deep.equal(['select', 'select'])
      await store.for({ id: 'm1' }).list('entry')
      expect(asked.splice(0), 'the rules of entries ask nothing of it').to.deep.equal(['select'])
    })

    it('a write reads what its rules need to know, once', async () => {
      const tables = (await open())(book.model)
      const backend: Backend = () => tables
      await filled(backend)
      const asked: string[] = []
      const store = openStore(book, counting(backend, asked))
      // The person, and the plot: holders may do everything, whoever else may do something.
      await store.for({ id: 'm1' }).update('plot', 'p1', { rent: 11 })
      expect(asked.splice(0)).to.deep.equal(['select', 'select', 'update'])
      // The share as well; what they may have back goes by the same one.
      expect(await store.for({ id: 'm2' }).update('plot', 'p2', { open: true })).to.deep.equal({ id: 'p2', holderId: 'm1', open: true })
      expect(asked.splice(0)).to.deep.equal(['select', 'select', 'select', 'update'])
    })

    it('rights that end between asking and writing end in time', async () => {
      const tables = (await open())(book.model)
      const backend: Backend = () => tables
      await filled(backend)
      const demote = (tables: Tables) =>
        tables.update('member', { roles: [] }, { key: 'm3', where: { kind: 'constant', value: true }, now: 0 })
      const store = openStore(book, counting(backend, [], demote)).for({ id: 'm3' })
      expect(await store.may('delete', 'plot')).to.equal('always')
      expect(await outcome(store.delete('plot', 'p1'))).to.include('REFUSED')
    })
  })
}
