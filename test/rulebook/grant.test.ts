// The same clauses for several record types, and standings in a file of their own.
import { expect } from 'chai'
import { rulebook } from 'pachter'
import { rulebookFromJson, rulebookToJson } from 'pachter/json'
import { z } from 'zod'

const text = z.string()
const shapes = {
  me: z.object({ id: text, roles: z.array(z.enum(['office', 'porter'])) }),
  records: {
    room: z.object({ id: text, name: text, locked: z.boolean() }),
    piano: z.object({ id: text, name: text, locked: z.boolean(), ownerId: text }),
    tool: z.object({ id: text, name: text }),
  },
}
const begun = rulebook({
  me: { shape: shapes.me, key: 'id' },
  records: {
    room: { shape: shapes.records.room, key: 'id' },
    piano: { shape: shapes.records.piano, key: 'id' },
    tool: { shape: shapes.records.tool, key: 'id' },
  },
})
const own = begun.standingsOf('piano', (piano, { me }) => ({ owner: piano.ownerId.is(me.id) }))
const withStandings = begun.standings({ piano: own })
const rules = <B extends typeof withStandings>(book: B) =>
  book.rules({ piano: (_, { standing: { owner } }) => ({ may: { read: [owner], update: [owner.except('locked')] } }) })
const office = <B extends typeof withStandings>(book: B) =>
  book.grant(['room', 'piano'], ({ record, role, anyone }) => ({
    read: [role('office'), anyone.provided(record.locked.is(false)).only('name').titled('open')],
    update: [role('office').only('name')],
  }))
const after = office(rules(withStandings) as never)
const before = rules(office(withStandings) as never)

const data = {
  room: [
    { id: 'r1', name: 'Hall', locked: true },
    { id: 'r2', name: 'Attic', locked: false },
  ],
  piano: [{ id: 'p1', name: 'Grand', locked: true, ownerId: 'ann' }],
}

describe('a grant', () => {
  it('adds clauses to several record types, before or after their own rules', () => {
    expect(before.model.types).to.deep.equal(after.model.types)
    const [ann, clerk] = [after.for({ id: 'ann', roles: [] }), after.for({ id: 'cy', roles: ['office'] })]
    expect(ann.filter('room', data.room)).to.deep.equal([{ id: 'r2', name: 'Attic' }])
    expect(clerk.filter('room', data.room)).to.deep.equal(data.room)
    expect(ann.filter('piano', data.piano)).to.deep.equal(data.piano)
    const [grand] = data.piano
    expect(clerk.verdict('update', 'piano', grand as never, { ...grand, name: 'Upright' } as never).allowed).to.equal(true)
    expect(clerk.verdict('update', 'piano', grand as never, { ...grand, ownerId: 'cy' } as never).allowed).to.equal(false)
    expect(after.model.types.tool?.rules).to.equal(undefined)
    expect(after.without('room', 'open').for({ id: 'ann', roles: [] }).filter('room', data.room)).to.deep.equal([])
  })

  it('is kept in JSON', () => {
    const json = rulebookToJson(after)
    expect(rulebookToJson(rulebookFromJson(json, shapes))).to.deep.equal(json)
  })

  const loose = begun as any
  for (const [problem, build, words] of [
    ['no types', () => loose.grant([], () => ({})), 'needs a list of record types'],
    ['an unknown type', () => loose.grant(['rom'], () => ({})), 'Did you mean "room"?'],
    ['no function', () => loose.grant(['room'], {}), 'needs a function'],
    ['an unknown action', () => loose.grant(['room'], ({ anyone }: any) => ({ raed: [anyone] })), 'Did you mean "read"?'],
    [
      'a field that one lacks',
      () => loose.grant(['tool'], ({ anyone }: any) => ({ read: [anyone.only('locked')] })),
      'there is no field "locked"',
    ],
    [
      'a clause that is there already',
      () => loose.grant(['room'], ({ role }: any) => ({ read: [role('office'), role('office')] })),
      'occurs twice',
    ],
    [
      'a clause that is not used',
      () => loose.grant(['room'], ({ role, anyone }: any) => ({ read: [role('office') && anyone] })),
      'never used',
    ],
    ['standings of another type', () => loose.standings({ room: own }), 'these are the standings of piano'],
  ] as const)
    it(`refuses ${problem}`, () => expect(build).to.throw(words))
})
