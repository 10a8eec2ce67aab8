// A condition on every record of every type.
import { expect } from 'chai'
import { not, rulebook, toOne } from 'pachter'
import { rulebookFromJson, rulebookToJson } from 'pachter/json'
import { openStore } from 'pachter/store'
import { z } from 'zod'
import { backends } from '../support/backends.js'
import { fill } from '../support/filling.js'

const text = z.string()
const shapes = {
  me: z.object({ id: text, schoolId: text }),
  records: {
    school: z.object({ id: text, name: text }),
    room: z.object({ id: text, schoolId: text, name: text }),
    piano: z.object({ id: text, schoolId: text, roomId: text }),
  },
}
const bare = rulebook({
  me: { shape: shapes.me, key: 'id' },
  records: {
    school: { shape: shapes.records.school, key: 'id' },
    room: { shape: shapes.records.room, key: 'id', actions: ['book'] },
    piano: { shape: shapes.records.piano, key: 'id', links: { room: toOne('room', 'roomId') } },
  },
})
const except = ['school'] as const
const message = 'Of your own school only.'
const ruled = <B extends typeof bare>(book: B) =>
  book.rules({
    school: (_, { anyone }) => ({ may: { read: [anyone] } }),
    room: (room, { signedIn }) => ({
      gate: { delete: room.name.is('Attic') },
      may: { read: [signedIn], create: [signedIn.overriding('id')], update: [signedIn], delete: [signedIn], book: [signedIn] },
    }),
    piano: (_, { signedIn }) => ({ may: { read: [signedIn], update: [signedIn.only('roomId')] } }),
  })
const tenant = <B extends typeof bare>(book: B) =>
  book.everyRecord(({ record, me }) => record.schoolId.is(me.schoolId), { except, message })
const before = ruled(tenant(bare) as unknown as typeof bare)
const after = tenant(ruled(bare) as unknown as typeof bare)

const data = {
  school: [{ id: 's1', name: 'One' }],
  room: [
    { id: 'r1', schoolId: 's1', name: 'Attic' },
    { id: 'r2', schoolId: 's2', name: 'Attic' },
  ],
  piano: [
    { id: 'p1', schoolId: 's1', roomId: 'r1' },
    { id: 'p2', schoolId: 's2', roomId: 'r2' },
  ],
}
const ada = { id: 'ada', schoolId: 's1' }

describe('a condition on every record', () => {
  it('is the same before and after the rules of the types', () => {
    expect(after.model.types.room?.rules).to.deep.equal(before.model.types.room?.rules)
  })

  for (const [where, open] of Object.entries(backends(before))) {
    it(`${where}: counts for each type and action, but not for the exception`, async () => {
      const store = openStore(before, await open())
      await fill(store, data)
      const mine = store.for(ada)
      const keys = async (type: 'room' | 'piano' | 'school') => (await mine.list(type)).map(({ id }) => id)
      expect([await keys('room'), await keys('piano'), await keys('school')]).to.deep.equal([['r1'], ['p1'], ['s1']])
      expect(await store.for(null).list('room')).to.deep.equal([])
      const refused = async (work: Promise<unknown>) =>
        work.then(
          () => 'done',
          (error) => error.message,
        )
      expect(await refused(mine.update('room', 'r2', { name: 'Cellar' }))).to.match(/^There is no such/)
      expect(await refused(mine.update('room', 'r1', { schoolId: 's2' }))).to.include(message)
      expect(await refused(mine.create('room', { id: 'r3', schoolId: 's2', name: 'Hall' }))).to.include(message)
      expect(await refused(mine.delete('room', 'r2'))).to.match(/^There is no such/)
      expect(await refused(mine.delete('piano', 'p2'))).to.match(/^There is no such/)
      expect(await refused(mine.create('room', { id: 'r4', schoolId: 's1', name: 'Hall' }))).to.equal('done')
      // The type's own gate counts besides.
      expect(await refused(mine.delete('room', 'r4'))).to.not.equal('done')
    })
  }

  it('counts for actions that a type names', () => {
    const [mine, other] = data.room.map((room) => before.for(ada).verdict('book', 'room', room).allowed)
    expect([mine, other]).to.deep.equal([true, false])
  })

  it('holds together with those of further calls', () => {
    const closed = before.everyRecord(({ record }) => record.id.isOneOf(['p1']))
    expect(closed.for(ada).filter('room', data.room)).to.deep.equal([])
    expect(closed.for(ada).filter('piano', data.piano)).to.deep.equal([data.piano[0]])
  })

  it('is kept in the JSON form, also for types that have no rules yet', () => {
    for (const book of [before, tenant(bare), after]) {
      const json = rulebookToJson(book)
      expect(rulebookToJson(rulebookFromJson(json, shapes))).to.deep.equal(json)
    }
    const later = ruled(rulebookFromJson(rulebookToJson(tenant(bare)), shapes) as unknown as typeof bare)
    expect(later.for(ada).filter('room', data.room)).to.deep.equal([data.room[0]])
    const json = JSON.parse(JSON.stringify(rulebookToJson(before)))
    json.types.piano.rules.gates = {}
    expect(() => rulebookFromJson(json, shapes)).to.throw('rules of piano, gates.read: lacks a condition of everyRecord')
  })

  for (const [problem, given, words] of [
    ['no function', [true], 'everyRecord: needs a function'],
    ['a forgotten type', [({ record, me }: any) => record.schoolId.is(me.schoolId)], "except: ['school']"],
    ['an unknown exception', [({ record, me }: any) => record.schoolId.is(me.schoolId), { except: ['shcool'] }], 'Did you mean "school"?'],
    ['an unknown option', [({ signedIn }: any) => signedIn, { omit: [] }], 'there is no word "omit"'],
    ['an empty message', [({ signedIn }: any) => signedIn, { message: ' ' }], 'add the message'],
    ['a condition that is not used', [({ signedIn, record }: any) => signedIn && record.id.is('x') && signedIn], 'never used'],
    ['a missing value that would allow more', [({ me }: any) => not(me.schoolId.is('s9'))], 'missing data must never grant access'],
  ] as const) {
    it(`refuses ${problem}`, () => {
      expect(() => (bare.everyRecord as (...all: unknown[]) => unknown)(...given)).to.throw(words)
    })
  }
})
