// Records that are removed, not deleted: a deletion stamps them, and from then on they are not there.
import { expect } from 'chai'
import { not, rulebook, toMany, toOne } from 'pachter'
import { routes } from 'pachter/http'
import { rulebookFromJson, rulebookToJson } from 'pachter/json'
import { inMemory, openStore } from 'pachter/store'
import { z } from 'zod'
import { backends } from '../support/backends.js'
import { codeOf, fill } from '../support/filling.js'

const id = z.string()
const shapes = {
  me: z.object({ id }),
  records: {
    teacher: z.object({ id, office: z.boolean(), leftAt: z.date().nullable() }),
    lesson: z.object({
      id,
      teacherId: id,
      title: z.string(),
      afterId: id.nullable(),
      deletedAt: z.date().nullable(),
      deletedById: id.nullable(),
    }),
    note: z.object({ id, lessonId: id, text: z.string() }),
    booking: z.object({ id, lessonId: id, by: id, gone: z.date().optional() }),
  },
}
const book = rulebook({
  me: { shape: shapes.me, key: 'id', links: { teacher: toOne('teacher', 'id') } },
  records: {
    teacher: { shape: shapes.records.teacher, key: 'id', removal: 'leftAt', links: { lessons: toMany('lesson', 'teacherId') } },
    lesson: {
      shape: shapes.records.lesson,
      key: 'id',
      removal: 'deletedAt',
      links: {
        teacher: toOne('teacher', 'teacherId'),
        notes: toMany('note', 'lessonId'),
        after: toOne('lesson', 'afterId', { target: 'any' }),
      },
    },
    note: { shape: shapes.records.note, key: 'id', links: { lesson: toOne('lesson', 'lessonId') } },
    booking: {
      shape: shapes.records.booking,
      key: 'id',
      removal: 'gone',
      links: { lesson: toOne('lesson', 'lessonId', { onDelete: 'delete' }) },
    },
  },
})
  .standings({
    lesson: (lesson, { me }) => ({ own: lesson.teacherId.is(me.id), office: me.teacher.office.is(true) }),
    booking: (booking, { me }) => ({ booker: booking.by.is(me.id) }),
  })
  .rules({
    teacher: (teacher, { me, signedIn, anyone }) => ({
      // Those who teach something.
      may: { read: [anyone.provided(teacher.lessons.some())], delete: [signedIn.provided(me.teacher.office.is(true))] },
    }),
    lesson: (lesson, { me, standing: { own, office }, anyone }) => ({
      may: {
        read: [own, office.includingRemoved(), anyone.provided(lesson.ancestors('after').some((one) => one.teacherId.is(me.id)))],
        create: [own.overriding('id')],
        update: [own, office.includingRemoved().only('deletedAt', 'deletedById').titled('restores')],
        delete: [own],
      },
      stamps: { delete: { deletedById: me.id } },
    }),
    note: (note, { me, standing: _, anyone }) => ({
      may: {
        read: [note.lesson.standing.own, anyone.provided(not(note.lesson.isPresent()), me.teacher.office.is(true))],
        create: [note.lesson.standing.own],
      },
    }),
    booking: (_, { standing: { booker }, signedIn }) => ({ may: { read: [signedIn], create: [booker], delete: [booker] } }),
  })

const blank = { afterId: null, deletedAt: null, deletedById: null }
const data = {
  teacher: [
    { id: 'ada', office: false, leftAt: null },
    { id: 'bo', office: false, leftAt: null },
    { id: 'cy', office: true, leftAt: null },
  ],
  lesson: [
    { ...blank, id: 'l1', teacherId: 'ada', title: 'Scales' },
    { ...blank, id: 'l2', teacherId: 'bo', title: 'Chords', afterId: 'l1' },
    { ...blank, id: 'l3', teacherId: 'bo', title: 'Duets', afterId: 'l2' },
    { ...blank, id: 'l4', teacherId: 'cy', title: 'Bass' },
  ],
  note: [{ id: 'n1', lessonId: 'l1', text: 'Slowly.' }],
  booking: [{ id: 'b1', lessonId: 'l2', by: 'bo' }],
}

async function filled(open: () => Promise<Parameters<typeof openStore>[1]>) {
  const store = openStore(book, await open())
  await fill(store, data)
  return store
}

for (const [where, open] of Object.entries(backends(book))) {
  describe(`removed records, ${where}`, () => {
    const keysFor = async (store: Awaited<ReturnType<typeof filled>>, who: string, type: 'lesson' | 'note' | 'teacher' | 'booking') =>
      (await store.for({ id: who }).list(type)).map(({ id: key }) => key).join(' ')

    it('are stamped, and not there, except for clauses that include them', async () => {
      const store = await filled(open)
      const ada = store.for({ id: 'ada' })
      expect(await keysFor(store, 'ada', 'lesson')).to.equal('l1 l2 l3')
      await ada.delete('lesson', 'l1')
      // Neither the record itself, nor what is above it in a chain.
      expect(await keysFor(store, 'ada', 'lesson')).to.equal('')
      expect(await codeOf(ada.get('lesson', 'l1'))).to.equal('NOT_FOUND')
      expect(await codeOf(ada.delete('lesson', 'l1'))).to.equal('NOT_FOUND')
      expect(await codeOf(ada.update('lesson', 'l1', { title: 'Back' }))).to.equal('NOT_FOUND')
      expect(await codeOf(ada.update('lesson', 'l1', { deletedAt: null }))).to.equal('NOT_FOUND')
      expect(await codeOf(ada.create('lesson', { ...blank, id: 'l1', teacherId: 'ada', title: 'Again' }))).to.be.oneOf([
        'REFUSED',
        'INVALID',
      ])
      const kept = await store.asSystem('look').get('lesson', 'l1')
      expect(kept.deletedAt).to.be.instanceOf(Date)
      expect(kept.deletedById).to.equal('ada')
      // Through links.
      expect(await keysFor(store, 'ada', 'note')).to.equal('')
      expect(await keysFor(store, 'cy', 'note')).to.equal('n1')
      expect(await codeOf(ada.create('note', { lessonId: 'l1', text: 'Late.' }))).to.be.oneOf(['REFUSED', 'INVALID'])
      expect(await keysFor(store, 'visitor', 'teacher')).to.equal('bo cy')
      expect(await store.for({ id: 'cy' }).get('lesson', 'l1')).to.include({ title: 'Scales' })
    })

    it('are brought back by the people that a clause allows, and by nobody else', async () => {
      const store = await filled(open)
      await store.for({ id: 'ada' }).delete('lesson', 'l1')
      const cy = store.for({ id: 'cy' })
      // Only the stamp: the clause names its fields.
      expect(await codeOf(cy.update('lesson', 'l1', { title: 'Mine' }))).to.equal('REFUSED')
      expect((await cy.update('lesson', 'l1', { deletedAt: null, deletedById: null })).deletedAt).to.equal(null)
      expect(await keysFor(store, 'ada', 'lesson')).to.equal('l1 l2 l3')
      expect(await keysFor(store, 'ada', 'note')).to.equal('n1')
    })

    it('are never made by an update or a creation', async () => {
      const store = await filled(open)
      const at = new Date('2026-01-01')
      const [ada, cy] = [store.for({ id: 'ada' }), store.for({ id: 'cy' })]
      expect(await codeOf(ada.update('lesson', 'l1', { deletedAt: at }))).to.equal('REFUSED')
      expect(await codeOf(ada.updateMany('lesson', { keys: ['l1'] }, { deletedAt: at }))).to.equal('IN_THE_WAY')
      expect(await codeOf(cy.update('lesson', 'l1', { deletedAt: at }))).to.equal('REFUSED')
      expect(await codeOf(ada.create('lesson', { ...blank, id: 'l9', teacherId: 'ada', title: 'Gone', deletedAt: at }))).to.equal('REFUSED')
      await ada.delete('lesson', 'l1')
      expect(await codeOf(cy.update('lesson', 'l1', { deletedAt: at }))).to.equal('REFUSED')
    })

    it('take along what their links say, and leave alone what they say nothing about', async () => {
      const store = await filled(open)
      // b1 belongs to bo, who may delete it; it is stamped too.
      await store.for({ id: 'bo' }).delete('lesson', 'l2')
      const system = store.asSystem('look')
      expect((await system.get('booking', 'b1')).gone).to.be.instanceOf(Date)
      // The chain from l3 to l1 went through l2.
      expect((await system.get('lesson', 'l3')).afterId).to.equal('l2')
      expect(await keysFor(store, 'ada', 'lesson')).to.equal('l1')
      expect(await keysFor(store, 'bo', 'booking')).to.equal('')
      // Notes of a removed lesson stay.
      await store.for({ id: 'ada' }).delete('lesson', 'l1')
      expect((await system.get('note', 'n1')).lessonId).to.equal('l1')
    })

    it('are removed by bulk deletions, one by one', async () => {
      const store = await filled(open)
      const { done } = await store.for({ id: 'bo' }).deleteMany('lesson', { where: (lesson) => lesson.teacherId.is('bo') })
      expect(done).to.have.members(['l2', 'l3'])
      const all = await store.asSystem('look').list('lesson')
      expect(all.filter(({ deletedAt }) => deletedAt !== null).map((lesson) => lesson.id)).to.have.members(['l2', 'l3'])
    })

    it('count as missing where they belong to the person', async () => {
      const store = await filled(open)
      expect(await keysFor(store, 'cy', 'lesson')).to.equal('l1 l2 l3 l4')
      await store.for({ id: 'cy' }).delete('teacher', 'cy')
      expect(await keysFor(store, 'cy', 'lesson')).to.equal('l4')
      expect(await keysFor(store, 'cy', 'teacher')).to.equal('ada bo')
    })

    it('are deleted for good by trusted code only', async () => {
      const store = await filled(open)
      const system = store.asSystem('retention')
      expect(await codeOf((store.for({ id: 'ada' }) as typeof system).purge('lesson', 'l1'))).to.equal('BAD_QUERY')
      expect(await codeOf(system.purge('note', 'n1'))).to.equal('BAD_QUERY')
      // A note holds its key.
      expect(await codeOf(system.purge('lesson', 'l1'))).to.equal('REFUSED')
      await system.delete('lesson', 'l2')
      const { deletedAt } = await system.get('lesson', 'l2')
      await system.delete('lesson', 'l2')
      expect((await system.get('lesson', 'l2')).deletedAt).to.deep.equal(deletedAt)
      await system.purge('lesson', 'l3')
      await system.purge('lesson', 'l2')
      expect(await codeOf(system.get('lesson', 'l2'))).to.equal('NOT_FOUND')
      expect(await codeOf(system.get('booking', 'b1'))).to.equal('NOT_FOUND')
    })
  })
}

describe('removal in a rulebook', () => {
  const gone = { ...(data.lesson[0] as (typeof data.lesson)[number]), deletedAt: new Date('2026-01-01') }
  const records = { ...data, lesson: [gone, ...data.lesson.slice(1)] }

  it('says so in memory, and why', () => {
    const view = book.for({ id: 'ada' }, { records })
    expect(view.filter('lesson', records.lesson).map((lesson) => lesson.id)).to.deep.equal([])
    const [trace] = view.why('read', 'lesson', gone).clauses.map((clause) => JSON.stringify(clause.trace))
    expect(trace).to.include('not removed')
    expect(book.for({ id: 'cy' }, { records }).verdict('delete', 'lesson', gone).outcome).to.equal('refused')
  })

  it('is kept in JSON, and means the same', () => {
    const json = rulebookToJson(book)
    const again = rulebookFromJson(json, shapes)
    expect(rulebookToJson(again)).to.deep.equal(json)
    const keys = (of: typeof book) => of.for({ id: 'ada' }, { records }).filter('lesson', records.lesson)
    expect(keys(again as unknown as typeof book)).to.deep.equal(keys(book))
  })

  it('is what DELETE does, and what the documents say', async () => {
    const store = openStore(book, inMemory(data))
    const asked = routes(book, store, { identity: async () => ({ id: 'ada' }), insecure: true })
    const response = await asked(
      new Request('https://school.example/lesson/l1', { method: 'DELETE', headers: { authorization: 'Bearer x' } }),
    )
    expect(response.status).to.equal(204)
    expect((await asked(new Request('https://school.example/lesson/l1'))).status).to.equal(404)
    expect((await store.asSystem('look').get('lesson', 'l1')).deletedById).to.equal('ada')
  })

  const base = { me: { shape: shapes.me, key: 'id' } } as const
  const lesson = { shape: shapes.records.lesson, key: 'id' } as const
  const make = (records: object) => () => rulebook({ ...base, records } as never)
  for (const [problem, build, words] of [
    ['an unknown field', make({ lesson: { ...lesson, removal: 'deletedAr' } }), 'Did you mean "deletedAt"?'],
    ['a field without an instant', make({ lesson: { ...lesson, removal: 'title' } }), '"title" holds no instant'],
    [
      'a field that is always there',
      make({ note: { shape: z.object({ id, at: z.date() }), key: 'id', removal: 'at' } }),
      'every record would be removed',
    ],
    [
      'a removal along with a deletion',
      make({
        note: { shape: shapes.records.note, key: 'id' },
        booking: {
          shape: shapes.records.booking,
          key: 'id',
          removal: 'gone',
          links: { note: toOne('note', { id: 'lessonId' }, { onDelete: 'follow' }) },
        },
      }),
      'would hold the key of a deleted note',
    ],
  ] as const)
    it(`refuses ${problem}`, () => expect(build).to.throw(words))

  const ruled = (rules: object) => () =>
    rulebook({ ...base, records: { lesson: { ...lesson, removal: 'deletedAt' }, note: { shape: shapes.records.note, key: 'id' } } }).rules(
      rules as never,
    )
  for (const [problem, build, words] of [
    [
      'removed ones where nothing is removed',
      ruled({ note: (_: any, { anyone }: any) => ({ may: { read: [anyone.includingRemoved()] } }) }),
      'has no removal',
    ],
    [
      'to create removed ones',
      ruled({ lesson: (_: any, { anyone }: any) => ({ may: { create: [anyone.includingRemoved()] } }) }),
      'nobody creates',
    ],
    [
      'to delete removed ones',
      ruled({ lesson: (_: any, { anyone }: any) => ({ may: { delete: [anyone.includingRemoved()] } }) }),
      'deleted already',
    ],
    ['a stamp of the time of removal', ruled({ lesson: () => ({ stamps: { create: { deletedAt: new Date() } } }) }), 'a deletion sets it'],
    [
      'a stamp of a deletion that leaves nothing',
      ruled({ note: () => ({ stamps: { delete: { text: 'x' } } }) }),
      'nothing is left to stamp',
    ],
  ] as const)
    it(`refuses ${problem}`, () => expect(build).to.throw(words))
})

it('removes a record that is older than its shape, and changes nothing else of it', async () => {
  const shape = z.object({ id, title: z.string().min(3), goneAt: z.date().nullable() })
  const old = rulebook({ me: { shape: shapes.me, key: 'id' }, records: { lesson: { shape, key: 'id', removal: 'goneAt' } } }).rules({
    lesson: (_, { signedIn }) => ({ may: { read: [signedIn.includingRemoved()], update: [signedIn], delete: [signedIn] } }),
  })
  const mine = openStore(old, inMemory({ lesson: [{ id: 'l1', title: 'x', goneAt: null }] })).for({ id: 'ada' })
  expect(await codeOf(mine.update('lesson', 'l1', { title: 'y' }))).to.equal('INVALID')
  await mine.delete('lesson', 'l1')
  const { title, goneAt } = await mine.get('lesson', 'l1')
  expect([title, goneAt instanceof Date]).to.deep.equal(['x', true])
})
