// Records of the person that a link to many leads to, such as memberships: they are read with the claims, and rules are decided by them.
import { expect } from 'chai'
import { allOf, not, rulebook, toMany, toOne } from 'pachter'
import { pageView } from 'pachter/client'
import { type LiveEvent, liveLists, routes } from 'pachter/http'
import { rulebookFromJson, rulebookToJson } from 'pachter/json'
import { inMemory, openStore } from 'pachter/store'
import { z } from 'zod'
import { backends } from '../support/backends.js'
import { codeOf, fill } from '../support/filling.js'

const id = z.string()
const role = z.enum(['head', 'teacher', 'porter'])
const shapes = {
  me: z.object({ id, schoolId: id }),
  records: {
    membership: z.object({ id, accountId: id, schoolId: id, role, gradeId: id, endedAt: z.date().nullable(), rating: z.number() }),
    grade: z.object({ id, active: z.boolean() }),
    lesson: z.object({ id, schoolId: id, title: z.string() }),
    report: z.object({ id, schoolId: id }),
  },
}
const begin = () =>
  rulebook({
    me: {
      shape: shapes.me,
      key: 'id',
      links: { memberships: toMany('membership', { accountId: 'id' }) },
      roles: (me) => me.memberships.where((one) => allOf(one.schoolId.is(me.schoolId), one.grade.active.is(true))).role,
    },
    records: {
      membership: { shape: shapes.records.membership, key: 'id', removal: 'endedAt', links: { grade: toOne('grade', 'gradeId') } },
      grade: { shape: shapes.records.grade, key: 'id' },
      lesson: { shape: shapes.records.lesson, key: 'id' },
      report: { shape: shapes.records.report, key: 'id' },
    },
  })
const book = begin()
  .privileges({ openOffice: ({ role }) => [role('head')] })
  .rules({
    membership: (membership, { me, anyone, role }) => ({
      may: { read: [anyone.provided(membership.accountId.is(me.id)).except('rating')], delete: [role('head')] },
    }),
    lesson: (lesson, { me, anyone, role }) => ({
      may: {
        read: [anyone.provided(me.memberships.some((one) => one.schoolId.is(lesson.schoolId)))],
        update: [role('teacher').provided(lesson.schoolId.is(me.schoolId)).only('title')],
      },
    }),
    report: (_, { me, anyone }) => ({
      may: { read: [anyone.provided(me.memberships.some(), not(me.memberships.some((one) => one.role.is('porter'))))] },
    }),
  })

const base = { endedAt: null, rating: 3, gradeId: 'full' }
const data = {
  grade: [
    { id: 'full', active: true },
    { id: 'paused', active: false },
  ],
  membership: [
    { ...base, id: 'm1', accountId: 'ada', schoolId: 's1', role: 'teacher' },
    { ...base, id: 'm2', accountId: 'ada', schoolId: 's2', role: 'head' },
    { ...base, id: 'm3', accountId: 'bo', schoolId: 's1', role: 'teacher', gradeId: 'paused' },
    { ...base, id: 'm4', accountId: 'cy', schoolId: 's1', role: 'porter' },
    { ...base, id: 'm5', accountId: 'di', schoolId: 's1', role: 'head', endedAt: new Date(0) },
  ],
  lesson: ['s1', 's2', 's3'].map((schoolId) => ({ id: `l-${schoolId}`, schoolId, title: 'Scales' })),
  report: [{ id: 'r1', schoolId: 's1' }],
}
for (const [where, open] of Object.entries(backends(book))) {
  describe(`own rows, ${where}`, () => {
    const filled = async () => {
      const store = openStore(book, await open())
      await fill(store, data)
      return store
    }

    it('decide lists, roles and privileges, in the tenant of the session', async () => {
      const store = await filled()
      const ada = (schoolId: string) => store.for({ id: 'ada', schoolId })
      const keys = async (me: ReturnType<typeof ada>, type: 'lesson' | 'report') =>
        (await me.list(type))
          .map((one) => one.id)
          .sort()
          .join(' ')
      expect(await keys(ada('s1'), 'lesson')).to.equal('l-s1 l-s2')
      expect(await codeOf(ada('s1').update('lesson', 'l-s1', { title: 'Chords' }))).to.equal('done')
      expect(await codeOf(ada('s2').update('lesson', 'l-s2', { title: 'Chords' }))).to.equal('REFUSED')
      expect([await ada('s1').has('openOffice'), await ada('s2').has('openOffice')]).to.deep.equal([false, true])
      // A role counts only with an active grade, and a removed membership is none.
      expect(await codeOf(store.for({ id: 'bo', schoolId: 's1' }).update('lesson', 'l-s1', { title: 'Duets' }))).to.equal('REFUSED')
      expect(await keys(store.for({ id: 'di', schoolId: 's1' }), 'lesson')).to.equal('')
      expect(await store.for({ id: 'di', schoolId: 's1' }).has('openOffice')).to.equal(false)
      expect(await keys(ada('s1'), 'report')).to.equal('r1')
      expect(await keys(store.for({ id: 'cy', schoolId: 's1' }), 'report')).to.equal('')
      expect(await keys(store.for(null) as never, 'lesson')).to.equal('')
    })

    it('are never taken from the client', async () => {
      const store = await filled()
      const spoofed = { id: 'eve', schoolId: 's1', memberships: [{ ...base, id: 'm9', accountId: 'eve', schoolId: 's1', role: 'head' }] }
      expect(await store.for(spoofed as never).list('lesson')).to.deep.equal([])
      expect(await store.for(spoofed as never).has('openOffice')).to.equal(false)
      // What they have themselves counts all the same.
      const both = store.for({ ...spoofed, id: 'ada' } as never)
      expect([(await both.list('lesson')).map((one: any) => one.id).sort(), await both.has('openOffice')]).to.deep.equal([
        ['l-s1', 'l-s2'],
        false,
      ])
    })

    it('count as they are at each call, and in one write to its end', async () => {
      const store = await filled()
      const cy = store.for({ id: 'cy', schoolId: 's1' })
      expect(await cy.list('report')).to.deep.equal([])
      await store.asSystem('promotion').update('membership', 'm4', { role: 'teacher' })
      expect(await cy.list('report')).to.have.length(1)
      expect(await codeOf(cy.update('lesson', 'l-s1', { title: 'Bass' }))).to.equal('done')
      await store.asSystem('end').delete('membership', 'm4')
      expect(await codeOf(cy.update('lesson', 'l-s1', { title: 'More bass' }))).to.equal('NOT_FOUND')
    })

    it('are looked for in the database if there are very many', async () => {
      const store = await filled()
      for (let at = 0; at < 101; at++)
        await store
          .asSystem('fill')
          .create('membership', { ...base, id: `x${at}`, accountId: 'max', schoolId: at === 100 ? 's3' : `t${at}`, role: 'porter' })
      const max = store.for({ id: 'max', schoolId: 's3' })
      expect((await max.list('lesson')).map((one) => one.id)).to.deep.equal(['l-s3'])
      expect(await max.may('read', 'lesson')).to.equal('depending')
    })
  })
}

describe('own rows', () => {
  const view = (who: string, schoolId: string) => book.for({ id: who, schoolId }, { records: data as never })

  it('leave nothing to look for: always, never, or a comparison of the record', () => {
    expect(view('ada', 's1').may('read', 'report')).to.equal('always')
    expect(view('cy', 's1').may('read', 'report')).to.equal('never')
    expect(view('di', 's1').may('read', 'lesson')).to.equal('never')
    expect(JSON.stringify(view('ada', 's1').condition('read', 'lesson'))).not.to.include('some')
    expect(
      view('ada', 's1')
        .filter('lesson', data.lesson)
        .map((one) => one.id),
    ).to.deep.equal(['l-s1', 'l-s2'])
  })

  it('change live lists when one comes or goes', async () => {
    const live = liveLists({ tick: 10_000 })
    const store = openStore(book, inMemory(data))
    const events: string[] = []
    await live.watch(store as never, { id: 'ada', schoolId: 's1' }, 'lesson', {}, (event: LiveEvent) => {
      if ('key' in event) events.push(`${event.event} ${event.key}`)
    })
    const since = async () => {
      await live.settled()
      return events.splice(0)
    }
    await since()
    const system = store.asSystem('change')
    const { id: key } = await system.create('membership', { ...base, accountId: 'ada', schoolId: 's3', role: 'porter' })
    expect(await since()).to.deep.equal(['appeared l-s3'])
    await system.update('membership', key, { schoolId: 's2' })
    expect(await since()).to.deep.equal(['gone l-s3'])
    await system.delete('membership', 'm1')
    expect(await since()).to.deep.equal(['gone l-s1'])
    await system.create('membership', { ...base, accountId: 'bo', schoolId: 's1', role: 'porter' })
    expect(await since()).to.deep.equal([])
    await live.close()
  })

  const graded = begin().rules({
    lesson: (_, { me, anyone, role }) => ({
      may: {
        read: [role('teacher')],
        // A membership with a grade that is paused, and another one at the same school.
        update: [
          anyone.provided(
            me.memberships.some((one) =>
              allOf(
                one.grade.active.is(false),
                not(me.memberships.some((two) => allOf(two.schoolId.is(one.schoolId), two.role.is('porter')))),
              ),
            ),
          ),
        ],
      },
    }),
    membership: (membership, { me, anyone }) => ({ may: { read: [anyone.provided(membership.accountId.is(me.id))] } }),
  })

  const grades = graded.rules({ grade: (_, { anyone }) => ({ may: { read: [anyone] } }) })

  it('are decided with the records that their links lead to, and with each other', async () => {
    const may = (who: string, records: object = data) => {
      const seen = grades.for({ id: who, schoolId: 's1' }, { records: records as never })
      return [seen.may('read', 'lesson'), seen.may('update', 'lesson')]
    }
    expect([may('ada'), may('bo'), may('cy'), may('eve')]).to.deep.equal([
      ['always', 'never'],
      ['never', 'never'],
      ['never', 'never'],
      ['never', 'never'],
    ])
    const more = { ...data, membership: [...data.membership, { ...base, id: 'm6', accountId: 'bo', schoolId: 's1', role: 'porter' }] }
    expect(may('bo', more)).to.deep.equal(['never', 'never'])
    for (const [where, open] of Object.entries(backends(grades))) {
      const store = openStore(grades, await open())
      await fill(store, data)
      const asks = (who: string) => {
        const me = store.for({ id: who, schoolId: 's1' })
        return Promise.all([me.may('read', 'lesson'), me.may('update', 'lesson'), me.count('lesson')])
      }
      expect([await asks('ada'), await asks('bo')], where).to.deep.equal([
        ['always', 'never', 3],
        ['never', 'never', 0],
      ])
      await store.asSystem('pause').update('grade', 'full', { active: false })
      await store.asSystem('start').update('grade', 'paused', { active: true })
      expect([await asks('ada'), await asks('bo')], where).to.deep.equal([
        ['never', 'never', 0],
        ['always', 'never', 3],
      ])
    }
  })

  it('change live lists when a record changes that their links lead to', async () => {
    const live = liveLists({ tick: 10_000 })
    const store = openStore(grades, inMemory(data))
    const events: string[] = []
    await live.watch(store as never, { id: 'ada', schoolId: 's1' }, 'lesson', {}, (event: LiveEvent) => {
      if ('key' in event) events.push(`${event.event} ${event.key}`)
    })
    const changing = async (id: string, active: boolean) => {
      await store.asSystem('change').update('grade', id, { active })
      await live.settled()
      return events.splice(0).sort().join()
    }
    await live.settled()
    events.splice(0)
    expect(await changing('paused', true)).to.equal('')
    expect(await changing('full', false)).to.equal('gone l-s1,gone l-s2,gone l-s3')
    expect(await changing('full', true)).to.equal('appeared l-s1,appeared l-s2,appeared l-s3')
    await live.close()
  })

  it('are told to a page with the records that their links lead to, if the person sees these too', async () => {
    const told = async (book: typeof grades) => {
      const asked = routes(book, openStore(book, inMemory(data)), { identity: async () => ({ id: 'ada', schoolId: 's1' }), insecure: true })
      return pageView((await (await asked(new Request('https://school.example/my-rules'))).json()) as never)
    }
    expect((await told(grades)).may('read', 'lesson')).to.equal('always')
    expect((await told(graded as never)).may('read', 'lesson')).to.equal('depending')
  })

  it('mean the same from JSON', () => {
    const json = rulebookToJson(book)
    const again = rulebookFromJson(json, shapes)
    expect(rulebookToJson(again)).to.deep.equal(json)
    const found = again.for({ id: 'ada', schoolId: 's1' }, { records: data as never }).filter('lesson', data.lesson)
    expect(found).to.deep.equal(view('ada', 's1').filter('lesson', data.lesson))
    const odd = JSON.parse(JSON.stringify(json))
    odd.types.lesson.rules.may.read[0].provided[0].over.name = 'members'
    expect(() => rulebookFromJson(odd, shapes)).to.throw('me has no such link "members" to many membership')
  })

  it('are told to a page only as far as the person sees them', async () => {
    const asked = routes(book, openStore(book, inMemory(data)), { identity: async () => ({ id: 'ada', schoolId: 's1' }), insecure: true })
    const rules = await (await asked(new Request('https://school.example/my-rules'))).text()
    const head = routes(book, openStore(book, inMemory(data)), { identity: async () => ({ id: 'ada', schoolId: 's2' }), insecure: true })
    const headsRules = await (await head(new Request('https://school.example/my-rules'))).json()
    expect([JSON.parse(rules).privileges, (headsRules as { privileges: unknown }).privileges]).to.deep.equal([[], ['openOffice']])
    // The rating of a membership is hidden, so nothing of these rows is told.
    expect(rules).not.to.include('s2')
    const page = pageView(JSON.parse(rules) as never)
    expect(page.verdict('read', 'lesson', data.lesson[0] as object).outcome).to.equal('ask the server')
    const open = begin().rules({
      membership: (membership, { me, anyone }) => ({ may: { read: [anyone.provided(membership.accountId.is(me.id))] } }),
      lesson: (lesson, { me, anyone }) => ({
        may: { read: [anyone.provided(me.memberships.some((one) => one.schoolId.is(lesson.schoolId)))] },
      }),
    })
    const told = routes(open, openStore(open, inMemory(data)), { identity: async () => ({ id: 'ada', schoolId: 's1' }), insecure: true })
    const view = pageView((await (await told(new Request('https://school.example/my-rules'))).json()) as never)
    expect(data.lesson.map((lesson) => view.verdict('read', 'lesson', lesson).allowed)).to.deep.equal([true, true, false])
  })

  it('may have roles that are whole numbers, in rows or in claims', async () => {
    const membership = z.object({ accountId: id, roleId: z.int() })
    const numbered = rulebook({
      me: {
        shape: z.object({ id }),
        key: 'id',
        links: { memberships: toMany('membership', 'accountId') },
        roles: (me) => me.memberships.where().roleId,
      },
      records: { membership: { shape: membership, key: ['accountId', 'roleId'] }, note: { shape: z.object({ id }), key: 'id' } },
    }).rules({ note: (_, { role }) => ({ may: { read: [role(3, 4)], update: [role(4)] } }) })
    const rows = [
      { accountId: 'ada', roleId: 3 },
      { accountId: 'bo', roleId: 5 },
    ]
    const store = openStore(numbered, inMemory({ membership: rows, note: [{ id: 'n' }] }))
    expect([await store.for({ id: 'ada' }).may('read', 'note'), await store.for({ id: 'ada' }).may('update', 'note')]).to.deep.equal([
      'always',
      'never',
    ])
    expect(await store.for({ id: 'bo' }).may('read', 'note')).to.equal('never')
    const json = JSON.parse(JSON.stringify(rulebookToJson(numbered)))
    const own = { me: numbered.model.me.shape, records: { membership, note: z.object({ id }) } }
    expect(rulebookToJson(rulebookFromJson(json, own))).to.deep.equal(json)
    expect(() => numbered.privileges({ odd: ({ role }) => [role('3' as never)] })).to.throw(/roles are whole numbers here/)
    const claimed = rulebook({
      me: { shape: z.object({ id, roles: z.array(z.int()) }), key: 'id', roles: (me) => me.roles },
      records: { note: { shape: z.object({ id }), key: 'id' } },
    }).rules({ note: (_, { role }) => ({ may: { read: [role(7)] } }) })
    const may = (roles: number[]) => claimed.for({ id: 'a', roles }).may('read', 'note')
    expect([may([6, 7]), may([8])]).to.deep.equal(['always', 'never'])
  })

  const roles = (given: (me: any) => unknown) => () =>
    rulebook({
      me: { shape: shapes.me, key: 'id', links: { memberships: toMany('membership', { accountId: 'id' }) }, roles: given as never },
      records: { membership: { shape: shapes.records.membership, key: 'id' } },
    })
  for (const [problem, build, words] of [
    ['rows themselves', roles((me) => me.memberships.where()), 'must return a claim'],
    ['a fraction', roles((me) => me.memberships.where().rating), 'roles have to be texts or whole numbers'],
    [
      'a condition that is not used',
      roles((me) => me.memberships.where((one: any) => one.role.is('head') && one.id.is('x')).role),
      'never used',
    ],
    ['an unknown role', () => book.privileges({ odd: ({ role }) => [role('haed' as 'head')] }), 'Did you mean "head"?'],
  ] as const)
    it(`refuse ${problem} as roles`, () => expect(build).to.throw(words))
})
