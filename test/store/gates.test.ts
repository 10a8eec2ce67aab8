// Gates that speak of the record: they hold of it as it is, and as it becomes.
import { expect } from 'chai'
import { rulebook, toOne } from 'pachter'
import { pageView } from 'pachter/client'
import { routes } from 'pachter/http'
import { rulebookFromJson, rulebookToJson } from 'pachter/json'
import { inMemory, openStore } from 'pachter/store'
import { z } from 'zod'
import { backends } from '../support/backends.js'
import { fill } from '../support/filling.js'

const id = z.string()
const shapes = {
  me: z.object({ id, schoolId: id, admin: z.boolean() }),
  records: {
    school: z.object({ id, name: z.string(), openTo: z.string() }),
    room: z.object({ id, schoolId: id, name: z.string() }),
    locker: z.object({ id, roomId: id, label: z.string() }),
  },
}
const book = rulebook({
  me: { shape: shapes.me, key: 'id' },
  records: {
    school: { shape: shapes.records.school, key: 'id' },
    room: { shape: shapes.records.room, key: 'id', links: { school: toOne('school', 'schoolId', { target: 'any' }) } },
    locker: { shape: shapes.records.locker, key: 'id', links: { room: toOne('room', 'roomId', { target: 'any' }) } },
  },
}).rules({
  room: (room, { me, anyone, signedIn }) => ({
    gate: { all: { provided: room.schoolId.is(me.schoolId), message: 'Of your own school only.' } },
    may: {
      read: [signedIn],
      create: [anyone.provided(me.admin.is(true)).overriding('id')],
      update: [anyone.provided(me.admin.is(true))],
      delete: [],
    },
  }),
  // The gate follows a link: where it leads to afterwards counts as well.
  locker: (locker, { me, signedIn }) => ({
    gate: { update: locker.room.schoolId.is(me.schoolId) },
    may: { read: [signedIn], update: [signedIn] },
  }),
})

const admin = { id: 'ada', schoolId: 's1', admin: true }
const data = {
  school: [
    { id: 's1', name: 'One', openTo: '' },
    { id: 's2', name: 'Two', openTo: '' },
  ],
  room: [
    { id: 'r1', schoolId: 's1', name: 'Red' },
    { id: 'r2', schoolId: 's2', name: 'Blue' },
  ],
  locker: [{ id: 'l1', roomId: 'r1', label: 'A' }],
}

describe('a gate that speaks of the record', () => {
  for (const [where, open] of Object.entries(backends(book))) {
    it(`${where}: holds of a record that is updated as it is and as it becomes`, async () => {
      const store = openStore(book, await open())
      await fill(store, data)
      const mine = store.for(admin)
      await mine.update('room', 'r1', { name: 'Crimson' })
      for (const move of [
        () => mine.update('room', 'r1', { schoolId: 's2' }),
        () => mine.update('room', 'r1', { schoolId: 's2', name: 'Taken away' }),
        () => mine.updateMany('room', { where: (room) => room.schoolId.is('s1') }, { schoolId: 's2' }),
        () => mine.update('locker', 'l1', { roomId: 'r2' }),
      ]) {
        const error = await move().then(
          () => undefined,
          (one: unknown) => one as { code: string },
        )
        expect(error?.code).to.be.oneOf(['REFUSED', 'IN_THE_WAY'])
      }
      const verdict = await mine.verdict('update', 'room', 'r1', { schoolId: 's2' })
      expect(verdict).to.include({ outcome: 'refused', message: 'Of your own school only.' })
      await mine.create('room', { id: 'r9', schoolId: 's2', name: 'Elsewhere' }).then(
        () => expect.fail(),
        (error: { message: string }) => expect(error.message).to.equal('Of your own school only.'),
      )
      expect((await mine.update('locker', 'l1', { label: 'B' })).label).to.equal('B')
      const rooms = await store.asSystem('look').list('room')
      expect(rooms.map((room) => `${room.id} ${room.schoolId} ${room.name}`)).to.deep.equal(['r1 s1 Crimson', 'r2 s2 Blue'])
      expect((await store.asSystem('look').get('locker', 'l1')).roomId).to.equal('r1')
    })
  }

  it('does so in memory, in a page, and when one asks why', async () => {
    const view = book.for(admin, { records: data })
    const [room] = data.room
    expect(view.verdict('update', 'room', room as never, { ...room, schoolId: 's2' } as never)).to.include({
      outcome: 'refused',
      message: 'Of your own school only.',
    })
    expect(view.verdict('update', 'room', room as never, { ...room, name: 'New' } as never).allowed).to.equal(true)
    const [withheld] = view.why('update', 'room', room as never, { ...room, schoolId: 's2' } as never).withheldBy
    expect(withheld).to.include({ kind: 'gate', afterwards: true })
    const asked = routes(book, openStore(book, inMemory(data)), { identity: async () => admin, insecure: true })
    const page = pageView((await (await asked(new Request('https://school.example/my-rules'))).json()) as never)
    expect(page.verdict('update', 'room', room as object, { changes: { schoolId: 's2' } })).to.include({
      outcome: 'refused',
      message: 'Of your own school only.',
    })
    expect(page.verdict('update', 'room', room as object, { changes: { name: 'New' }, whole: true }).allowed).to.equal(true)
  })

  it('keeps its words in JSON, and where it is a gate of the whole rulebook', async () => {
    const gated = book.gate(({ me }) => me.admin.is(true), { message: 'For administrators.' })
    const again = rulebookFromJson(rulebookToJson(gated), shapes)
    expect(again.model.gateMessages).to.deep.equal(gated.model.gateMessages)
    expect(again.model.types.room?.rules?.gateMessages).to.deep.equal(gated.model.types.room?.rules?.gateMessages)
    const pupil = { ...admin, admin: false }
    expect(gated.for(pupil).verdict('create', 'room', { id: 'r3', schoolId: 's1', name: 'x' }).message).to.equal('For administrators.')
  })

  for (const [what, gate] of [
    ['no words', { provided: undefined, message: ' ' }],
    ['another word', { provided: undefined, message: 'No.', unless: 1 }],
  ] as const)
    it(`is refused with ${what}`, () => {
      expect(() =>
        rulebook({ me: { shape: shapes.me, key: 'id' }, records: { school: { shape: shapes.records.school, key: 'id' } } }).rules({
          school: (_, { signedIn }) => ({ gate: { all: { ...gate, provided: signedIn } as never }, may: { read: [signedIn] } }),
        }),
      ).to.throw(/gate\.all/)
    })
})
