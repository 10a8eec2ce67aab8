import { expect } from 'chai'
import { allOf, not, rulebook, toMany, toOne } from 'pachter'
import { z } from 'zod'

const text = z.string()
const begun = rulebook({
  me: { shape: z.object({ id: text }), key: 'id', links: { sailor: toOne('sailor', 'id') } },
  records: {
    sailor: { shape: z.object({ id: text, mateId: text.nullable() }), key: 'id', links: { mate: toOne('sailor', 'mateId') } },
    boat: {
      shape: z.object({ id: text, ownerId: text.nullable(), standing: text }),
      key: 'id',
      links: { crew: toMany('crew', 'boatId'), owner: toOne('sailor', 'ownerId') },
    },
    crew: { shape: z.object({ id: text, boatId: text, sailorId: text }), key: 'id' },
    trip: {
      shape: z.object({ id: text, boatId: text, port: text, crewOnly: z.boolean(), partOfId: text.nullable() }),
      key: 'id',
      links: { boat: toOne('boat', 'boatId'), partOf: toOne('trip', 'partOfId') },
    },
  },
})
  .standings({
    sailor: (sailor, { me }) => ({ self: sailor.id.is(me.id) }),
    crew: (crew, { me }) => ({ aboard: crew.sailorId.is(me.id) }),
  })
  .standings({
    boat: (boat, { me }) => ({
      owner: boat.ownerId.is(me.id),
      aboard: boat.crew.some((one) => one.standing.aboard),
      // Theirs whose mate the person is, as the person's own record has it.
      lent: allOf(me.sailor.standing.self, boat.ownerId.is(me.sailor.mateId)),
    }),
  })

const records = {
  sailor: [
    { id: 'ana', mateId: null },
    { id: 'ben', mateId: 'ana' },
  ],
  boat: [
    { id: 'gull', ownerId: 'ana', standing: 'old' },
    { id: 'tern', ownerId: null, standing: 'new' },
  ],
  crew: [{ id: 'c1', boatId: 'tern', sailorId: 'ben' }],
  trip: [
    { id: 't1', boatId: 'gull', port: 'Ems', crewOnly: false, partOfId: null },
    { id: 't2', boatId: 'tern', port: 'Ems', crewOnly: true, partOfId: null },
    { id: 't3', boatId: 'kite', port: 'Ems', crewOnly: true, partOfId: 't1' },
  ],
}

const CASES: readonly (readonly [string, (trip: any, words: any) => unknown, { readonly [person: string]: string }])[] = [
  ['a clause by itself', (trip) => trip.boat.standing.owner, { ana: 't1', ben: '', nobody: '' }],
  ['one that asks of many records in turn', (trip) => trip.boat.standing.aboard, { ana: '', ben: 't2', nobody: '' }],
  ['one that asks of the person’s own record', (trip) => trip.boat.standing.lent, { ana: '', ben: 't1' }],
  ['over two links', (trip) => trip.partOf.boat.standing.owner, { ana: 't3', ben: '' }],
  ['provided more', (trip) => trip.boat.standing.aboard.provided(trip.crewOnly.is(false)), { ana: '', ben: '' }],
  [
    'a condition, and under not its complement where the record is there',
    (trip, { signedIn }) => signedIn.provided(trip.boat.isPresent(), not(trip.boat.standing.aboard)),
    { ana: 't1 t2', ben: 't1', nobody: '' },
  ],
]

describe('a standing of a record that a rule reaches', () => {
  for (const [what, clause, seen] of CASES)
    it(`is ${what}`, () => {
      const book = begun.rules({ trip: (trip, words) => ({ may: { read: [clause(trip, words) as never] } }) })
      for (const [id, ids] of Object.entries(seen)) {
        const list = book.for(id === 'nobody' ? null : { id }, { records }).filter('trip', records.trip)
        expect(list.map((trip) => trip.id).join(' '), id).to.equal(ids)
      }
    })

  it('of the record itself is the same as in the words of its rules', () => {
    const book = begun.rules({ boat: (boat, { standing }) => ({ may: { read: [boat.standing.owner], delete: [standing.owner] } }) })
    const [read, remove] = ['read', 'delete'].map((action) => book.model.types.boat?.rules?.may[action]?.[0]?.when)
    expect(read).to.deep.equal(remove)
  })

  it('limits fields, which are those of the type whose rules it is in', () => {
    const book = begun.rules({
      trip: (trip, { anyone }) => ({
        may: {
          read: [anyone],
          update: [trip.boat.standing.owner.only('port').titled('of the owner'), trip.boat.standing.aboard.except('boatId', 'partOfId')],
        },
      }),
    })
    const fields = (id: string, at: number) => book.for({ id }, { records }).verdict('update', 'trip', records.trip[at] as never).fields
    expect([fields('ana', 0), fields('ben', 1)]).to.deep.equal([['port'], ['port', 'crewOnly']])
    const clauses = book.model.types.trip?.rules?.may.update?.map(({ title }) => title)
    expect(clauses).to.deep.equal(['of the owner', "aboard of the trip's boat; all but boatId, partOfId"])
    const strange = (trip: any) => ({ may: { read: [trip.boat.standing.owner.only('ownerId')] } })
    expect(() => begun.rules({ trip: strange } as never)).to.throw(/there is no field "ownerId"/)
  })

  it('of the record as it becomes is asked of where that leads', () => {
    const book = begun.rules({
      trip: (trip, { anyone, after }) => ({
        may: { read: [anyone], update: [trip.boat.standing.owner.afterwards(after.boat.standing.aboard)] },
      }),
    })
    const may = (id: string, boatId: string) =>
      book.for({ id }, { records }).verdict('update', 'trip', records.trip[0] as never, { ...records.trip[0], boatId } as never).allowed
    const both = { ...records, crew: [...records.crew, { id: 'c2', boatId: 'tern', sailorId: 'ana' }] }
    expect([may('ana', 'tern'), may('ben', 'tern')]).to.deep.equal([false, false])
    const mine = book.for({ id: 'ana' }, { records: both })
    expect(mine.verdict('update', 'trip', records.trip[0] as never, { ...records.trip[0], boatId: 'tern' } as never).allowed).to.equal(true)
  })

  it('leaves a field of this name within reach', () => {
    const book = begun.rules({
      boat: (boat, { anyone }) => ({ may: { read: [anyone.provided(boat.field('standing').is('old'))] } }),
    })
    expect(book.for(null, { records }).filter('boat', records.boat)).to.have.length(1)
  })
})

it('standings may ask for roles and for being signed in', () => {
  const harbour = rulebook({
    me: { shape: z.object({ id: text, roles: z.array(z.enum(['pilot'])) }), key: 'id' },
    records: { ship: { shape: z.object({ id: text, open: z.boolean() }), key: 'id' } },
  })
    .standings({
      ship: (ship, { role, signedIn }) => ({ pilot: allOf(role('pilot'), ship.open.is(true)), reader: signedIn.and(ship.open.is(false)) }),
    })
    .rules({ ship: (_ship, { standing: { pilot, reader } }) => ({ may: { read: [pilot, reader] } }) })
  const sees = (me: { id: string; roles: 'pilot'[] } | null) =>
    [true, false].map((open) => harbour.for(me).verdict('read', 'ship', { id: 's', open }).allowed)
  expect(sees({ id: 'ana', roles: ['pilot'] })).to.deep.equal([true, true])
  expect(sees({ id: 'ben', roles: [] })).to.deep.equal([false, true])
  expect(sees(null)).to.deep.equal([false, false])
})
