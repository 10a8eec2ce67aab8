// Links by email address: letter case does not count where the link says so.
import { expect } from 'chai'
import { not, rulebook, toMany, toOne } from 'pachter'
import { liveLists } from 'pachter/http'
import { rulebookFromJson, rulebookToJson } from 'pachter/json'
import { overKysely, verify } from 'pachter/kysely'
import { layoutOf } from 'pachter/sql'
import { openStore } from 'pachter/store'
import { z } from 'zod'
import { backends } from '../support/backends.js'
import { engines } from '../support/engines.js'
import { codeOf, fill } from '../support/filling.js'

const id = z.string()
const shapes = {
  me: z.object({ sub: id, mail: z.string().optional() }),
  records: {
    member: z.object({ id, email: z.string(), boss: z.boolean() }),
    job: z.object({ id, assignee: z.string().nullable(), watchers: z.array(z.string()), notes: z.string().optional() }),
  },
}
const loose = { ignoringCase: true } as const
const book = rulebook({
  me: { shape: shapes.me, key: 'sub', links: { member: toOne('member', { email: 'mail' }, loose) } },
  records: {
    member: {
      shape: shapes.records.member,
      key: 'id',
      links: { jobs: toMany('job', { assignee: 'email' }, loose), watched: toMany('job', { watchers: 'email' }, loose) },
    },
    job: {
      shape: shapes.records.job,
      key: 'id',
      links: {
        member: toOne('member', { email: 'assignee' }, loose),
        watching: toMany('member', { email: 'watchers' }, loose),
        exact: toOne('member', { email: 'assignee' }, { target: 'any' }),
      },
    },
  },
})
  .standings({
    job: (job, { me }) => ({ mine: job.member.id.is(me.member.id), watcher: job.watching.some((one) => one.id.is(me.member.id)) }),
    member: (member, { me }) => ({ self: member.id.is(me.member.id) }),
  })
  .rules({
    member: (member, { standing: { self }, me, anyone }) => ({
      may: { read: [self, anyone.provided(me.member.boss.is(true)), anyone.provided(member.jobs.some((job) => job.notes.is('open')))] },
    }),
    job: (job, { standing: { mine, watcher }, me, anyone }) => ({
      may: {
        read: [
          mine,
          watcher,
          anyone.provided(me.member.boss.is(true)),
          anyone.provided(not(job.member.isPresent()), me.member.isPresent()),
        ],
        create: [anyone.provided(me.member.boss.is(true))],
        update: [mine.only('notes')],
      },
    }),
  })

const DATA = {
  member: [
    { id: 'ann', email: 'Ann@Farm.example', boss: false },
    { id: 'bo', email: 'bo@farm.example', boss: true },
    { id: 'cé', email: 'CÉ@farm.example', boss: false },
  ],
  job: [
    { id: 'j1', assignee: 'ANN@farm.example', watchers: ['BO@FARM.EXAMPLE', 'cé@farm.example'] },
    { id: 'j2', assignee: 'bo@farm.example', watchers: ['ann@farm.EXAMPLE'], notes: 'open' },
    { id: 'j3', assignee: null, watchers: [] },
    { id: 'j4', assignee: 'cé@farm.example', watchers: [] },
  ],
}
const person = (mail?: string) => ({ sub: `s-${mail}`, ...(mail === undefined ? {} : { mail }) })

for (const [where, open] of Object.entries(backends(book)))
  describe(`links that ignore case, ${where}`, () => {
    it('lead the person to their record, and records to each other', async () => {
      const store = openStore(book, await open())
      await fill(store, DATA)
      const seen = async (mail?: string) => [
        (await store.for(person(mail)).list('job')).map((job) => job.id).join(' '),
        (await store.for(person(mail)).list('member')).map((one) => one.id).join(' '),
      ]
      // A to Z only: "É" is another letter than "é". So j4 has no member, and is seen by everyone who is one.
      expect(await seen('ann@FARM.example')).to.deep.equal(['j1 j2 j3 j4', 'ann bo'])
      expect(await seen('CÉ@FARM.EXAMPLE')).to.deep.equal(['j3 j4', 'bo cé'])
      expect(await seen('Bo@farm.example')).to.deep.equal(['j1 j2 j3 j4', 'ann bo cé'])
      expect(await seen('nobody@farm.example')).to.deep.equal(['', 'bo'])
      expect(await seen()).to.deep.equal(['', 'bo'])
      const boss = store.for(person('BO@farm.example'))
      const [job] = await boss.list('job', { include: { member: true, watching: true, exact: true }, where: (one) => one.id.is('j1') })
      expect([job?.member?.id, job?.watching.map((one) => one.id), job?.exact]).to.deep.equal(['ann', ['bo'], undefined])
      const [ann] = await boss.list('member', { include: { jobs: true, watched: true }, where: (one) => one.id.is('ann') })
      expect([ann?.jobs.map((one) => one.id), ann?.watched.map((one) => one.id)]).to.deep.equal([['j1'], ['j2']])
      // The link has to lead to somebody whom one sees.
      expect(await codeOf(boss.create('job', { assignee: 'aNN@farm.example', watchers: [] }))).to.equal('done')
      expect(await codeOf(boss.create('job', { assignee: 'x@farm.example', watchers: [] }))).to.equal('INVALID')
      expect(await codeOf(store.for(person('ANN@FARM.EXAMPLE')).update('job', 'j1', { notes: 'mine' }))).to.equal('done')
      expect(await codeOf(store.for(person('ANN@FARM.EXAMPLE')).update('job', 'j2', { notes: 'mine' }))).to.equal('REFUSED')
    })

    it('keep live lists up to date, in whatever letters a person is written', async () => {
      const store = openStore(book, await open())
      await fill(store, DATA)
      const live = liveLists()
      const told: string[] = []
      await live.watch(store as never, person('ann@FARM.example') as never, 'job', { name: 'mine' }, (event) => {
        if ('key' in event) told.push(`${event.event} ${event.key}`)
      })
      await live.settled()
      const system = store.asSystem('change')
      await system.update('job', 'j1', { assignee: 'bo@farm.example' })
      await live.settled()
      await system.update('job', 'j1', { assignee: 'ANN@FARM.EXAMPLE' })
      await live.settled()
      await system.update('member', 'ann', { email: 'other@farm.example' })
      await live.settled()
      expect(told.slice(0, 2)).to.deep.equal(['gone j1', 'appeared j1'])
      expect(told.slice(2).sort()).to.deep.equal(['gone j1', 'gone j2', 'gone j3', 'gone j4'])
      await live.close()
    })
  })

describe('a rulebook with links that ignore case', () => {
  it('means the same in memory and in SQL', async () => {
    for (const { dialect, open } of engines) {
      const db = await open(book)
      await fill(openStore(book, overKysely(db, dialect)), DATA)
      const people = Object.fromEntries(['ann@farm.example', 'BO@farm.example', 'cé@farm.example'].map((mail) => [mail, person(mail)]))
      expect((await verify(book, db, dialect, { people, layout: layoutOf(book) })).differences).to.deep.equal([])
    }
  })

  it('reads back from JSON, and joins texts only', () => {
    const json = JSON.parse(JSON.stringify(rulebookToJson(book)))
    expect(rulebookToJson(rulebookFromJson(json, shapes))).to.deep.equal(json)
    expect(json.types.job.links.member.by[0].to.ignoringCase).to.equal(true)
    const shape = z.object({ id, number: z.int(), other: z.int(), names: z.array(id), more: z.array(id) })
    const made = (by: object) =>
      rulebook({
        me: { shape: shapes.me, key: 'sub' },
        records: { thing: { shape, key: 'id', links: { linked: toMany('thing', by as never, loose as never) } } },
      } as never)
    expect(() => made({ number: 'other' })).to.throw(/"other" and "number" have to be texts/)
    expect(() => made({ names: 'more' })).to.throw(/one of them at most a list/)
    expect(() => made({ names: 'id' })).not.to.throw()
  })
})
