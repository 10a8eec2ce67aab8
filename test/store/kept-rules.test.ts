// What was worked out for a person is used again for their next request: never for anyone else, and never after a change.
import { expect } from 'chai'
import { type Condition, rulebook, toOne, type WorldOf } from 'pachter'
import { overKysely } from 'pachter/kysely'
import { createTables, sqlite } from 'pachter/sql'
import { inMemory, openStore, type Store } from 'pachter/store'
import { z } from 'zod'
import { engines } from '../support/engines.js'
import { openSqlite } from '../support/sqlite.js'

const Me = z.object({ id: z.string(), level: z.number(), tags: z.array(z.string()), born: z.date().optional() })
const book = rulebook({
  me: { shape: Me, key: 'id', links: { sailor: toOne('sailor', 'id') } },
  records: {
    sailor: { shape: z.object({ id: z.string(), isCaptain: z.boolean() }), key: 'id' },
    boat: { shape: z.object({ id: z.string(), ownerId: z.string(), rank: z.number(), port: z.string(), built: z.date() }), key: 'id' },
  },
})
  .routines({ refit: ({ signedIn }) => [signedIn] })
  .rules({
    boat: (boat, { me, anyone }) => ({
      may: {
        read: [
          anyone.provided(boat.ownerId.is(me.id)),
          anyone.provided(boat.rank.isLessThan(me.level)),
          anyone.provided(me.tags.has(boat.port)),
          anyone.provided(boat.built.isBefore(me.born)),
          anyone.provided(me.sailor.isCaptain.is(true)),
        ],
        update: [anyone.only('port').within('refit')],
      },
    }),
  })
const boat = (id: string, ownerId: string, rank: number, port: string, built: string) => ({
  id,
  ownerId,
  rank,
  port,
  built: new Date(built),
})
const records = {
  sailor: [{ id: 'ana', isCaptain: false }],
  boat: [
    boat('gull', 'ana', 5, 'Ems', '2001-01-01'),
    boat('tern', 'ben', 0, 'Jade', '2002-01-01'),
    boat('kite', 'cid', 9, 'Oder', '1990-01-01'),
  ],
}

describe('rules that were worked out before', () => {
  const ana = { id: 'ana', level: 0, tags: [] as string[] }
  const CASES: readonly (readonly [string, z.infer<typeof Me>, string])[] = [
    ['claims', ana, 'gull'],
    ['another id', { ...ana, id: 'ben' }, 'tern'],
    ['a number', { ...ana, level: 6 }, 'gull tern'],
    ['another list', { ...ana, tags: ['Oder'] }, 'gull kite'],
    ['the same letters in another list', { ...ana, tags: ['Od', 'er'] }, 'gull'],
    ['one text that reads like two', { ...ana, tags: ['Jade","Oder'] }, 'gull'],
    ['a time', { ...ana, born: new Date('2000-01-01') }, 'gull kite'],
    ['no time', ana, 'gull'],
  ]
  const store = openStore(book, inMemory(records))
  const sees = async (me: z.infer<typeof Me> | null, from = store) => (await from.for(me).list('boat')).map(({ id }) => id).join(' ')

  for (const round of ['first', 'second'])
    for (const [what, me, meant] of CASES)
      it(`are those of the claims: ${what}, for the ${round} time`, async () => {
        expect(await sees(me)).to.equal(meant)
      })

  it('are no visitor’s', async () => {
    expect(await sees(null)).to.equal('')
  })

  it('stay as they are when a caller changes the claims', async () => {
    const claims = { id: 'dia', level: 0, tags: ['Ems'] }
    const mine = store.for(claims)
    expect((await mine.list('boat')).map(({ id }) => id)).to.deep.equal(['gull'])
    claims.tags.push('Jade')
    claims.id = 'cid'
    expect(await sees({ id: 'dia', level: 0, tags: ['Ems'] })).to.equal('gull')
    expect(await sees({ id: 'cid', level: 0, tags: ['Ems', 'Jade'] })).to.equal('gull kite tern')
  })

  it('are others as soon as the own record has changed', async () => {
    const changing = openStore(book, inMemory(records))
    expect(await sees(ana, changing)).to.equal('gull')
    await changing.asSystem('promotion').update('sailor', 'ana', { isCaptain: true })
    expect(await sees(ana, changing)).to.equal('gull kite tern')
    await changing.asSystem('the end of it').update('sailor', 'ana', { isCaptain: false })
    expect(await sees(ana, changing)).to.equal('gull')
  })

  it('are others within a routine', async () => {
    const mine = openStore(book, inMemory(records)).for(ana)
    const tried = (at: typeof mine) => at.verdict('update', 'boat', 'gull', { port: 'Jade' }).then(({ allowed }) => allowed)
    expect(await tried(mine)).to.equal(false)
    expect(
      await mine.routine('refit', (inside) => inside.verdict('update', 'boat', 'gull', { port: 'Jade' }).then(({ allowed }) => allowed)),
    ).to.equal(true)
    expect(await tried(mine)).to.equal(false)
  })
})

describe('a read in advance, by the rules of the last call', () => {
  const me = { id: 'ana', level: 0, tags: [] }
  /** A store in memory that answers several queries at once, with what was read of it. */
  function watched(before: (type: string) => Promise<void> | undefined = () => undefined) {
    const read: string[] = []
    const store = openStore(book, (model) => {
      const tables = inMemory(records)(model)
      const select: typeof tables.select = async (type, selection) => {
        read.push(type)
        await before(type)
        return tables.select(type, selection)
      }
      return new Proxy(tables, {
        get(target, name) {
          if (name === 'answersAtOnce') return true
          const found = name === 'select' ? select : Reflect.get(target, name)
          return typeof found === 'function' ? found.bind(target) : found
        },
      })
    })
    return { store, read }
  }

  it('is discarded if the own record cannot be read: the call fails, and nothing else does', async () => {
    const unheard: unknown[] = []
    const hear = (error: unknown) => void unheard.push(error)
    const others = process.listeners('unhandledRejection')
    process.removeAllListeners('unhandledRejection').on('unhandledRejection', hear)
    try {
      let isBroken = false
      const pause = () => new Promise<void>((resolve) => setTimeout(resolve, 20))
      const { store } = watched((type) => (isBroken ? (type === 'sailor' ? Promise.reject(new Error('lost')) : pause()) : undefined))
      await store.for(me).list('boat')
      isBroken = true
      for (const call of [store.for(me).list('boat'), store.for(me).get('boat', 'gull'), store.for(me).page('boat')])
        expect(await call.catch(({ code }) => code)).to.equal('STORE_FAILED')
      await pause()
      expect(unheard).to.deep.equal([])
      isBroken = false
      expect((await store.for(me).list('boat')).map(({ id }) => id)).to.deep.equal(['gull'])
    } finally {
      process.removeAllListeners('unhandledRejection')
      for (const one of others) process.on('unhandledRejection', one)
    }
  })

  it('is not tried again for people whose own record changes with every call', async () => {
    const { store, read } = watched()
    const system = store.asSystem('visits')
    const counts: number[] = []
    for (let round = 0; round < 8; round++) {
      await system.update('sailor', 'ana', { isCaptain: round % 2 === 0 })
      read.length = 0
      expect(await store.for(me).list('boat')).to.have.length(round % 2 === 0 ? 3 : 1)
      counts.push(read.filter((type) => type === 'boat').length)
    }
    expect(counts.slice(3)).to.deep.equal([1, 1, 1, 1, 1])
    read.length = 0
    for (let round = 0; round < 3; round++) await store.for(me).list('boat')
    expect(read).to.deep.equal(['sailor', 'boat', 'sailor', 'boat', 'sailor', 'boat'])
  })
})

for (const engine of engines)
  describe(`rules of the last call, in ${engine.name}`, () => {
    const me = { id: 'ana', level: 0, tags: [] }
    let store: Store<WorldOf<typeof book>>
    before(async () => {
      store = openStore(book, overKysely(await engine.open(book), engine.dialect))
      const system = store.asSystem('fill')
      for (const [type, all] of Object.entries(records)) for (const record of all) await system.create(type as 'boat', record as never)
    })

    it('are not used for a call that begins after a change of the own record', async () => {
      const ids = (found: readonly { id: string }[]) => found.map(({ id }) => id).join(' ')
      for (const isCaptain of [false, true, false, true, true, false]) {
        await store.asSystem('another rank').update('sailor', 'ana', { isCaptain })
        const all = isCaptain ? 'gull kite tern' : 'gull'
        const mine = store.for(me)
        const [listed, filtered, paged, counted, byPort, got] = await Promise.all([
          mine.list('boat'),
          mine.list('boat', { where: (one) => one.port.isOneOf(['Ems', 'Jade', 'Oder']), sort: ['id'], limit: 9 }),
          mine.page('boat', { size: 9 }),
          mine.count('boat'),
          mine.countBy('boat', 'port'),
          mine.get('boat', 'kite').catch(({ code }) => code),
        ])
        expect([ids(listed), ids(filtered), ids(paged.records)]).to.deep.equal([all, all, all])
        expect(counted).to.equal(isCaptain ? 3 : 1)
        expect(byPort.length).to.equal(isCaptain ? 3 : 1)
        expect(isCaptain ? got.id : got).to.equal(isCaptain ? 'kite' : 'NOT_FOUND')
      }
    })

    it('are not used when the own record is gone', async () => {
      const system = store.asSystem('dismissal')
      await system.update('sailor', 'ana', { isCaptain: true })
      expect(await store.for(me).count('boat')).to.equal(3)
      await system.delete('sailor', 'ana')
      expect(await store.for(me).count('boat')).to.equal(1)
    })
  })

it('a kept statement sorts by no field that only another person sees', async () => {
  const text = z.string()
  const notes = rulebook({
    me: { shape: z.object({ id: text }), key: 'id' },
    records: { note: { shape: z.object({ id: text, left: text, right: text, open: z.boolean() }), key: 'id' } },
  }).rules({
    note: (note, { me, anyone }) => ({
      may: {
        read: [
          anyone.provided(me.id.is('lea')).only('left', 'open'),
          anyone.provided(me.id.is('rob')).only('right', 'open'),
          anyone.provided(note.open.is(true)),
        ],
      },
    }),
  })
  const note = [
    { id: 'n1', left: '3', right: '1', open: false },
    { id: 'n2', left: '2', right: '2', open: false },
    { id: 'n3', left: '1', right: '3', open: false },
    { id: 'n4', left: '0', right: '0', open: true },
  ]
  const db = openSqlite()
  await createTables(db, notes, sqlite)
  const kept = openStore(notes, overKysely(db, sqlite), { cursorSecret: 'a secret of the test' })
  for (const one of note) await kept.asSystem('fill').create('note', one)
  for (const id of ['lea', 'rob', 'lea'])
    for (const sort of [['left', 'right'], ['right'], ['-left']] as const) {
      const mine = kept.for({ id })
      const meant = (await openStore(notes, inMemory({ note })).for({ id }).list('note', { sort })).map((one) => one.id)
      expect(
        (await mine.list('note', { sort })).map((one) => one.id),
        `${id} ${sort}`,
      ).to.deep.equal(meant)
      expect(
        (await mine.list('note', { sort, limit: 3 })).map((one) => one.id),
        `${id} ${sort}`,
      ).to.deep.equal(meant.slice(0, 3))
      const { next } = await mine.page('note', { sort, size: 3 })
      expect(
        (await mine.page('note', { sort, size: 3, after: next })).records.map((one) => one.id),
        `${id} ${sort}`,
      ).to.deep.equal(meant.slice(3))
    }
  // A filter counts where the person sees the field, and is the same filter for both.
  for (const id of ['lea', 'rob', 'lea', 'rob'])
    for (const [field, value, meant] of [
      ['left', '3', id === 'lea' ? ['n1'] : []],
      ['right', '3', id === 'rob' ? ['n3'] : []],
      ['left', '0', ['n4']],
      ['left', '1', id === 'lea' ? ['n3'] : []],
    ] as const)
      for (const store of [kept, openStore(notes, inMemory({ note }))]) {
        const where = (one: { left: { is(value: string): Condition }; right: { is(value: string): Condition } }) => one[field].is(value)
        expect(
          (await store.for({ id }).list('note', { where: where as never })).map((one) => one.id),
          `${id} ${field} ${value}`,
        ).to.deep.equal(meant)
        expect(await store.for({ id }).count('note', { where: where as never })).to.equal(meant.length)
      }
})
