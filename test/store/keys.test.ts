// Keys of several fields: who guards which student, and who sat where on which day.
import { expect } from 'chai'
import { anyOf, rulebook, toMany, toOne } from 'pachter'
import { liveLists, routes } from 'pachter/http'
import { rulebookFromJson, rulebookToJson } from 'pachter/json'
import { inMemory, openStore } from 'pachter/store'
import { z } from 'zod'
import { backends } from '../support/backends.js'
import { codeOf, fill } from '../support/filling.js'

const id = z.string()
const shapes = {
  me: z.object({ id, office: z.boolean() }),
  records: {
    student: z.object({ id, name: z.string() }),
    guardianship: z.object({ guardianId: id, studentId: id, note: z.string().optional() }),
    seat: z.object({ lesson: z.int(), day: z.iso.date(), name: z.string(), taken: z.boolean() }),
    consent: z.object({ id, guardianId: id, studentId: id.nullable(), text: z.string() }),
    letter: z.object({ id, guardianId: id.nullable(), studentId: id.nullable() }),
    stamp: z.object({ ownerId: id, number: z.int() }),
  },
}
const pair = { guardianId: 'guardianId', studentId: 'studentId' } as const
const book = rulebook({
  me: { shape: shapes.me, key: 'id', links: { guardianships: toMany('guardianship', { guardianId: 'id' }) } },
  records: {
    student: { shape: shapes.records.student, key: 'id', links: { guardianships: toMany('guardianship', 'studentId') } },
    guardianship: {
      shape: shapes.records.guardianship,
      key: ['guardianId', 'studentId'],
      links: { student: toOne('student', 'studentId', { onDelete: 'delete' }), letters: toMany('letter', pair, { onDelete: 'unlink' }) },
    },
    seat: { shape: shapes.records.seat, key: ['lesson', 'day', 'name'], days: ['day'] },
    consent: { shape: shapes.records.consent, key: 'id', links: { guardianship: toOne('guardianship', pair, { onDelete: 'delete' }) } },
    letter: { shape: shapes.records.letter, key: 'id' },
    stamp: { shape: shapes.records.stamp, key: ['ownerId', 'number'] },
  },
})
  .standings({ guardianship: (guardianship, { me }) => ({ own: guardianship.guardianId.is(me.id) }) })
  .rules({
    student: (student, { me, anyone }) => ({
      may: {
        read: [anyone.provided(student.guardianships.some((one) => one.guardianId.is(me.id))), anyone.provided(me.office.is(true))],
        delete: [anyone.provided(me.office.is(true))],
      },
    }),
    guardianship: (_, { me, standing: { own }, anyone }) => ({
      may: {
        read: [own, anyone.provided(me.office.is(true))],
        create: [anyone.provided(me.office.is(true)), own.only('guardianId', 'studentId')],
        update: [own.only('note')],
        delete: [own, anyone.provided(me.office.is(true))],
      },
    }),
    seat: (_, { signedIn }) => ({ may: { read: [signedIn], create: [signedIn], update: [signedIn], delete: [signedIn] } }),
    consent: (consent, { me, anyone }) => ({
      may: {
        read: [consent.guardianship.standing.own, anyone.provided(me.office.is(true))],
        delete: [consent.guardianship.standing.own, anyone.provided(me.office.is(true))],
      },
    }),
    letter: (letter, { me, anyone }) => ({
      may: {
        read: [anyone.provided(letter.guardianId.is(me.id)), anyone.provided(me.office.is(true))],
        update: [
          anyone.provided(letter.guardianId.is(me.id)).afterwards(letter.guardianId.isMissing()),
          anyone.provided(me.office.is(true)),
        ],
      },
    }),
    stamp: (stamp, { me, anyone }) => ({
      may: { read: [anyone.provided(stamp.ownerId.is(me.id))], create: [anyone.provided(stamp.ownerId.is(me.id))] },
      stamps: { create: { ownerId: me.id } },
    }),
  })

const GUARDIANSHIPS = [
  { guardianId: 'g-1', studentId: 's-1' },
  { guardianId: 'g-1', studentId: 's-2', note: 'aunt' },
  { guardianId: 'g-2', studentId: 's-1' },
  { guardianId: 'G-1', studentId: 's-3' },
  { guardianId: 'g~1', studentId: 's%7E, é' },
]
const DATA = {
  student: ['s-1', 's-2', 's-3', 's-4', 's%7E, é'].map((one) => ({ id: one, name: `Student ${one}` })),
  guardianship: GUARDIANSHIPS,
  consent: [
    { id: 'c-1', guardianId: 'g-1', studentId: 's-1', text: 'trip' },
    { id: 'c-2', guardianId: 'g-2', studentId: 's-1', text: 'trip' },
    { id: 'c-3', guardianId: 'g-1', studentId: null, text: 'none' },
  ],
  letter: [
    { id: 'l-1', guardianId: 'g-1', studentId: 's-2' },
    { id: 'l-2', guardianId: 'g-2', studentId: 's-2' },
  ],
  seat: [1, 2].flatMap((lesson) =>
    ['2026-05-31', '2026-06-01'].flatMap((day) => ['a', 'B', 'b~'].map((name) => ({ lesson, day, name, taken: lesson === 1 }))),
  ),
}
const [g1, office] = [
  { id: 'g-1', office: false },
  { id: 'o-1', office: true },
]

for (const [where, open] of Object.entries(backends(book)))
  describe(`keys of several fields, ${where}`, () => {
    async function begun() {
      const store = openStore(book, await open())
      await fill(store, DATA)
      return { store, mine: store.for(g1), theirs: store.for(office), system: store.asSystem('look') }
    }

    it('name a record as an object and as one text', async () => {
      const { mine, system } = await begun()
      for (const row of GUARDIANSHIPS) {
        const { guardianId, studentId } = row
        expect(await system.get('guardianship', { guardianId, studentId })).to.include(row)
      }
      expect(await mine.get('guardianship', 'g-1~s-2')).to.deep.equal(GUARDIANSHIPS[1])
      expect(await system.get('guardianship', 'g%7E1~s%257E, é')).to.include(GUARDIANSHIPS[4])
      expect(await system.get('seat', { lesson: 2, day: '2026-06-01', name: 'b~' })).to.deep.equal(
        await system.get('seat', '2~2026-06-01~b%7E'),
      )
      for (const odd of [
        'g-1',
        'g-1~s-2~',
        '~',
        'g-1~s-9',
        'G-1~s-1',
        { guardianId: 'g-1' },
        { ...GUARDIANSHIPS[1] },
        7,
        null,
        ['g-1', 's-2'],
      ])
        expect(await codeOf(system.get('guardianship', odd as never)), JSON.stringify(odd)).to.equal('NOT_FOUND')
      for (const odd of ['02~2026-06-01~a', '2~2026-06-01T00:00:00Z~a', '2~2026-6-1~a', '2.0~2026-06-01~a', '~~'])
        expect(await codeOf(system.get('seat', odd)), odd).to.equal('NOT_FOUND')
    })

    it('order lists and their pages, with no record twice or skipped', async () => {
      const { mine, theirs, system } = await begun()
      expect(await mine.list('guardianship')).to.have.deep.members(GUARDIANSHIPS.slice(0, 2))
      expect(await theirs.count('guardianship')).to.equal(5)
      for (const sort of [[], ['name'], ['-day'], ['taken', '-lesson']] as never[]) {
        const all = await system.list('seat', { sort })
        expect(new Set(all.map(({ lesson, day, name }) => `${lesson} ${day} ${name}`)).size).to.equal(12)
        const seen: object[] = []
        for (let after: string | undefined; ; ) {
          const page = await theirs.page('seat', { sort, size: 5, ...(after ? { after } : {}) })
          seen.push(...page.records)
          after = page.next
          if (after === undefined) break
        }
        expect(seen).to.deep.equal(all)
      }
    })

    it('find records over links from and to them, in an OR too', async () => {
      const { theirs } = await begun()
      const found = async (where: (one: any) => any) =>
        (await theirs.list('guardianship', { where })).map(({ guardianId, studentId }) => `${guardianId}~${studentId}`)
      expect(await found((one) => one.letters.some())).to.deep.equal(['g-1~s-2'])
      const either = (one: any) =>
        anyOf(
          one.letters.some((letter: any) => letter.id.is('l-1')),
          one.note.is('none'),
          one.student.name.is('Student s-3'),
        )
      expect(await found(either)).to.have.members(['g-1~s-2', 'G-1~s-3'])
      expect(await found((one) => anyOf(one.guardianId.is('g-2'), one.letters.some()))).to.have.members(['g-1~s-2', 'g-2~s-1'])
      expect(await theirs.count('letter', { where: (letter) => letter.guardianId.is('g-1') })).to.equal(1)
    })

    it('are sent and stamped when a record is created, and may come again', async () => {
      const { store, mine, theirs } = await begun()
      const made = { guardianId: 'g-1', studentId: 's-3' }
      expect(await codeOf(mine.create('guardianship', { ...made, guardianId: 'g-2' })), 'of somebody').to.equal('REFUSED')
      expect(await codeOf(mine.create('guardianship', { ...made, note: 'no' })), 'beyond its fields').to.equal('REFUSED')
      expect(await codeOf(theirs.create('guardianship', { guardianId: 'g-1', studentId: ' ' }))).to.equal('INVALID')
      expect(await codeOf(theirs.create('guardianship', { guardianId: 'g-1' } as never))).to.equal('INVALID')
      expect(await codeOf(theirs.create('guardianship', { guardianId: 'g-1', studentId: 's-9' })), 'no such student').to.equal('INVALID')
      expect(await codeOf(theirs.create('guardianship', { guardianId: 'g-1', studentId: 's-1' })), 'there already').to.equal('REFUSED')
      expect(await theirs.create('guardianship', { ...made, note: 'new' })).to.deep.equal({ ...made, note: 'new' })
      await theirs.delete('guardianship', made)
      expect(await theirs.create('guardianship', made)).to.deep.equal(made)
      expect(await mine.create('stamp', { number: 7 })).to.deep.equal({ ownerId: 'g-1', number: 7 })
      expect(await codeOf(mine.create('stamp', { number: 7 }))).to.equal('REFUSED')
      expect(await store.for(office).create('stamp', { number: 7 })).to.deep.equal({ ownerId: 'o-1', number: 7 })
      expect(await store.asSystem('x').ensure('stamp', { ownerId: 'g-9', number: 1 }, {})).to.deep.equal({ ownerId: 'g-9', number: 1 })
    })

    it('never change', async () => {
      const { mine } = await begun()
      const key = { guardianId: 'g-1', studentId: 's-1' }
      expect(await mine.update('guardianship', key, { note: 'father' })).to.deep.equal({ ...key, note: 'father' })
      expect(await codeOf(mine.update('guardianship', key, { studentId: 's-2' }))).to.equal('INVALID')
      expect(await codeOf(mine.update('guardianship', key, { ...key, note: 'same' }))).to.equal('done')
      const { fields } = await mine.verdict('update', 'guardianship', key)
      expect(fields).to.deep.equal(['note'])
    })

    it('are held by other records, which are deleted and unlinked along', async () => {
      const { mine, theirs, system } = await begun()
      await codeOf(mine.delete('guardianship', 'g-1~s-2'))
      expect(await system.get('letter', 'l-1')).to.deep.include({ guardianId: null, studentId: null })
      expect(await system.get('letter', 'l-2')).to.deep.include({ guardianId: 'g-2', studentId: 's-2' })
      expect(await mine.list('consent')).to.deep.equal([DATA.consent[0]])
      // The guardianships of the student, and what is consented by them, go along.
      expect(await codeOf(theirs.delete('student', 's-1'))).to.equal('done')
      expect((await system.list('guardianship')).map(({ guardianId }) => guardianId)).to.have.members(['G-1', 'g~1'])
      expect((await system.list('consent')).map((one) => one.id)).to.deep.equal(['c-3'])
    })

    it('are given once, however many create the record at the same time', async () => {
      const { theirs, system } = await begun()
      const made = { guardianId: 'g-9', studentId: 's-4' }
      const codes = await Promise.all(Array.from({ length: 12 }, () => codeOf(theirs.create('guardianship', made))))
      expect(codes.filter((code) => code === 'done')).to.have.length(1)
      expect(new Set(codes)).to.deep.equal(new Set(['done', 'REFUSED']))
      expect(await system.count('guardianship')).to.equal(6)
    })

    it('tell live lists which record came, changed and went', async () => {
      const { store, theirs } = await begun()
      const live = liveLists()
      const told: string[] = []
      await live.watch(store as never, g1 as never, 'guardianship', { name: 'mine' }, (event) => {
        told.push(
          'key' in event ? `${event.event} ${event.key}` : event.event === 'listed' ? `listed ${event.keys.join(' ')}` : event.event,
        )
      })
      await live.settled()
      const made = { guardianId: 'g-1', studentId: 's-4' }
      await theirs.create('guardianship', made)
      await live.settled()
      await store.for(g1).update('guardianship', made, { note: 'aunt' })
      await live.settled()
      await theirs.delete('guardianship', made)
      // What another guardian has concerns nobody else.
      await theirs.create('guardianship', { guardianId: 'g-2', studentId: 's-4' })
      await live.settled()
      expect(told).to.deep.equal(['listed g-1~s-1 g-1~s-2', 'appeared g-1~s-4', 'changed g-1~s-4', 'gone g-1~s-4'])
      await live.close?.()
    })

    it('name many records of a change, all or none', async () => {
      const { mine, theirs, system } = await begun()
      const keys = [{ guardianId: 'g-1', studentId: 's-1' }, 'g-1~s-2', 'g-2~s-1']
      const odd = await mine.deleteMany('guardianship', { keys }).catch((error) => error)
      expect(odd.refused.map(({ key }: { key: unknown }) => key)).to.deep.equal(['g-2~s-1'])
      expect(await system.count('guardianship')).to.equal(5)
      expect(await codeOf(mine.deleteMany('guardianship', { keys: ['g-1'] }))).to.equal('BAD_QUERY')
      const { done } = await theirs.deleteMany('guardianship', { where: (one) => one.guardianId.is('g-1') })
      expect(done).to.have.members(['g-1~s-1', 'g-1~s-2'])
    })
  })

describe('a rulebook with keys of several fields', () => {
  const two = { a: z.object({ x: id, y: id, flag: z.boolean(), list: z.array(id), maybe: id.optional(), at: z.date() }) }
  const made = (key: unknown, links: object = {}) =>
    rulebook({ me: { shape: shapes.me, key: 'id' }, records: { a: { shape: two.a, key, links } } } as never)

  const ODD: readonly [unknown, RegExp][] = [
    [['x'], /give one field as its name alone/],
    [[], /at least two fields/],
    [['x', 'x'], /"x" is named twice/],
    [['x', 'z'], /there is no field "z"|no field/],
    [['x', 'flag'], /"flag" holds boolean: a part of a key has to be text, a whole number or a day/],
    [['x', 'list'], /"list" holds a list/],
    [['x', 'maybe'], /"maybe" may be missing/],
    [['x', 'at'], /"at" holds time/],
  ]
  for (const [key, message] of ODD) it(`refuses ${JSON.stringify(key)}`, () => expect(() => made(key)).to.throw(message))

  it('needs the fields of a link that leads to such a key', () => {
    expect(() => made(['x', 'y'], { other: toOne('a', 'x') })).to.throw(
      /the key of a has several fields \(x, y\): name each, as in toOne\('a', \{ x: 'myField', y: 'myField' \}\)/,
    )
  })

  it('refuses stamps that would change a key', () => {
    const stamped = (when: string) =>
      (made(['x', 'y']) as never as { rules(of: object): unknown }).rules({ a: () => ({ may: {}, stamps: { [when]: { x: 'v' } } }) })
    expect(() => stamped('update')).to.throw(/stamped when a record is created only/)
    expect(() => stamped('create')).not.to.throw()
  })

  it('reads back from JSON', () => {
    const json = JSON.parse(JSON.stringify(rulebookToJson(book)))
    expect(json.types.guardianship.key).to.deep.equal(['guardianId', 'studentId'])
    expect(json.types.student.key).to.equal('id')
    expect(rulebookToJson(rulebookFromJson(json, shapes))).to.deep.equal(json)
  })

  it('has one address a record', async () => {
    const store = openStore(book, inMemory(DATA))
    const api = routes(book, store, {
      base: '/api',
      identity: async (request: Request) => (request.headers.get('x-me') === 'office' ? office : g1),
    })
    const ask = (path: string, { headers, ...init }: RequestInit = {}) =>
      api(new Request(`https://x/api/${path}`, { ...init, headers: { ...(headers as object), 'sec-fetch-site': 'same-origin' } }))
    expect(await (await ask('guardianship/g-1~s-2')).json()).to.deep.equal(GUARDIANSHIPS[1])
    for (const odd of ['guardianship/g-1', 'guardianship/g-2~s-1', 'guardianship/g-1~s-2~'])
      expect((await ask(odd)).status, odd).to.equal(404)
    const body = JSON.stringify({ guardianId: 'g-1', studentId: 's-3' })
    const created = await ask('guardianship', { method: 'POST', headers: { 'content-type': 'application/json', 'x-me': 'office' }, body })
    expect(created.status).to.equal(201)
    expect(created.headers.get('location')).to.equal('/api/guardianship/g-1~s-3')
    expect((await ask('guardianship/g-1~s-3', { method: 'DELETE' })).status).to.equal(204)
    const below = await (await ask('student/s-1/guardianships/g-1~s-1')).json()
    expect(below).to.deep.equal(GUARDIANSHIPS[0])
    expect((await ask('student/s-1/guardianships/g-1~s-2')).status).to.equal(404)
  })

  it('knows the standings of records that it reaches by such a key', () => {
    const view = book.for(g1, { records: DATA as never })
    expect(view.verdict('read', 'consent', DATA.consent[0] as never).allowed).to.equal(true)
    expect(view.verdict('read', 'consent', DATA.consent[2] as never).allowed).to.equal(false)
    expect(view.verdict('read', 'guardianship', GUARDIANSHIPS[2] as never)).to.include({ outcome: 'not found', key: 'g-2~s-1' })
  })
})
