import { expect } from 'chai'
import { rulebook, toOne } from 'pachter'
import { overKysely } from 'pachter/kysely'
import { postgres, readLayout, rowSecurity } from 'pachter/sql'
import { openStore } from 'pachter/store'
import { z } from 'zod'
import { book } from '../../examples/world/rulebook.js'
import { engines } from '../support/engines.js'
import { FUNCTIONS, makeRole, ROLE, script, seenAs, TABLES } from '../support/row-security.js'

describe('a gate that speaks of the record', () => {
  for (const engine of engines.filter(({ dialect }) => dialect === postgres))
    it(`holds of what it becomes as well, by row security in ${engine.name}`, async () => {
      const schools = rulebook({
        me: { shape: z.object({ id: z.string(), schoolId: z.string(), admin: z.boolean() }), key: 'id' },
        records: { room: { shape: z.object({ id: z.string(), schoolId: z.string(), name: z.string() }), key: 'id' } },
      }).rules({
        room: (room, { me, anyone, signedIn }) => ({
          gate: { all: room.schoolId.is(me.schoolId) },
          may: {
            read: [signedIn],
            create: [anyone.provided(me.admin.is(true)).overriding('id')],
            update: [anyone.provided(me.admin.is(true))],
          },
        }),
      })
      const own = await engine.open(schools)
      const system = openStore(schools, overKysely(own, postgres)).asSystem('fill')
      for (const [id, schoolId] of [
        ['r1', 's1'],
        ['r2', 's2'],
      ] as const)
        await system.create('room', { id, schoolId, name: 'x' })
      await makeRole(own)
      const { up, down } = rowSecurity(schools, {
        schema: TABLES,
        role: ROLE,
        functions: FUNCTIONS,
        layout: await readLayout(own, postgres, schools),
      })
      await script(own, up)
      const ada = { id: 'ada', schoolId: 's1', admin: true }
      const update = (id: string, set: object) =>
        seenAs(own, ada, 0, async (trx) =>
          Number((await trx.updateTable('room').set(set).where('id', '=', id).executeTakeFirst()).numUpdatedRows),
        ).catch((error: Error) => error.message)
      try {
        expect(await update('r1', { name: 'y' })).to.equal(1)
        expect(await update('r1', { schoolId: 's2' })).to.match(/row-level security/)
        expect(await update('r2', { schoolId: 's1' })).to.equal(0)
        const made = await seenAs(own, ada, 0, (trx) =>
          trx.insertInto('room').values({ id: 'r3', schoolId: 's2', name: 'z' }).execute(),
        ).catch((error: Error) => error.message)
        expect(made).to.match(/row-level security/)
      } finally {
        await script(own, down)
      }
    })
})

describe('improper claims', () => {
  for (const engine of engines.filter(({ dialect }) => dialect === postgres))
    it(`equal nothing by row security in ${engine.name}, also as an alternative of others`, async () => {
      const part = z.object({ size: z.number() })
      const sizes = rulebook({
        me: { shape: z.object({ id: z.string(), sizes: z.array(z.int()).optional() }), key: 'id' },
        records: { tool: { shape: z.object({ id: z.string(), part }), key: 'id' } },
      }).rules({
        tool: (tool, { me, anyone }) => ({ may: { read: [anyone.provided(tool.part.size.isOneOf(me.sizes.orElse([7])))] } }),
      })
      const own = await engine.open(sizes)
      const system = openStore(sizes, overKysely(own, postgres)).asSystem('fill')
      for (const size of [0.5, 1, 7]) await system.create('tool', { id: `t-${size}`, part: { size } })
      await makeRole(own)
      const layout = await readLayout(own, postgres, sizes)
      const { up, down } = rowSecurity(sizes, { schema: TABLES, role: ROLE, functions: FUNCTIONS, layout })
      await script(own, up)
      const seen = (me: object) =>
        seenAs(own, { id: 'ada', ...me }, 0, async (trx) => (await trx.selectFrom('tool').select('id').execute()).map((row) => row.id))
      try {
        expect(await seen({ sizes: [0.5, 1, 2 ** 60] })).to.deep.equal(['t-1'])
        expect(await seen({ sizes: 'no list' })).to.deep.equal([])
        expect(await seen({})).to.deep.equal(['t-7'])
      } finally {
        await script(own, down)
      }
    })
})

describe('records that are removed', () => {
  for (const engine of engines.filter(({ dialect }) => dialect === postgres))
    it(`are not there by row security in ${engine.name}, and nobody deletes them`, async () => {
      const id = z.string()
      const school = rulebook({
        me: { shape: z.object({ id }), key: 'id', links: { teacher: toOne('teacher', 'id') } },
        records: {
          teacher: { shape: z.object({ id, office: z.boolean(), leftAt: z.date().nullable() }), key: 'id', removal: 'leftAt' },
          lesson: { shape: z.object({ id, teacherId: id, gone: z.date().nullable() }), key: 'id', removal: 'gone' },
          note: { shape: z.object({ id, lessonId: id }), key: 'id', links: { lesson: toOne('lesson', 'lessonId') } },
        },
      }).rules({
        lesson: (lesson, { me, anyone }) => ({
          may: {
            read: [anyone.provided(lesson.teacherId.is(me.id)), anyone.provided(me.teacher.office.is(true)).includingRemoved()],
            delete: [anyone.provided(lesson.teacherId.is(me.id))],
          },
        }),
        note: (note, { me, anyone }) => ({ may: { read: [anyone.provided(note.lesson.teacherId.is(me.id))] } }),
      })
      const own = await engine.open(school)
      const system = openStore(school, overKysely(own, postgres)).asSystem('fill')
      const gone = new Date(0)
      for (const [key, office] of [
        ['ada', false],
        ['cy', true],
        ['di', true],
      ] as const)
        await system.create('teacher', { id: key, office, leftAt: key === 'di' ? gone : null })
      for (const [key, at] of [
        ['l1', null],
        ['l2', gone],
      ] as const) {
        await system.create('lesson', { id: key, teacherId: 'ada', gone: at })
        await system.create('note', { id: `n${key}`, lessonId: key })
      }
      await makeRole(own)
      const layout = await readLayout(own, postgres, school)
      const { up, down, left } = rowSecurity(school, { schema: TABLES, role: ROLE, functions: FUNCTIONS, layout })
      expect(left.lesson?.join()).to.match(/delete: refused, because records are removed/)
      await script(own, up)
      const seen = (who: string, table: string) =>
        seenAs(own, { id: who }, 0, async (trx) =>
          (await trx.selectFrom(table).select('id').orderBy('id').execute()).map((row) => row.id).join(' '),
        )
      try {
        const all = await Promise.all(['ada', 'cy', 'di'].flatMap((who) => [seen(who, 'lesson'), seen(who, 'note')]))
        expect(all).to.deep.equal(['l1', 'nl1', 'l1 l2', '', '', ''])
        const deleted = await seenAs(own, { id: 'ada' }, 0, (trx) => trx.deleteFrom('lesson').executeTakeFirst()).catch(
          (error: Error) => error.message,
        )
        expect(deleted).to.match(/permission denied/)
      } finally {
        await script(own, down)
      }
    })
})

describe('row security that cannot be written', () => {
  it('is refused for a key that is withheld, or a field that is none', () => {
    expect(() => rowSecurity(book, { role: 'reports', withhold: ['plot.id'] })).to.throw('always visible')
    expect(() => rowSecurity(book, { role: 'reports', withhold: ['plot.rent'] })).to.throw('rentDue')
  })

  it('allows creating by a clause for every field', () => {
    const shape = z.object({ id: z.string(), holderId: z.string(), state: z.string() })
    const creating = (...fields: ('holderId' | 'state')[]) =>
      rowSecurity(
        rulebook({ me: { shape: z.object({ id: z.string() }), key: 'id' }, records: { plot: { shape, key: 'id' } } }).rules({
          plot: (plot, { me, anyone }) => ({
            may: {
              read: [anyone.provided(plot.holderId.is(me.id))],
              create: [anyone.provided(plot.holderId.is(me.id)).only(...(fields as ['holderId']))],
            },
          }),
        }),
        { role: 'reports' },
      )
    expect(creating('holderId', 'state').up).to.match(/for insert/)
    const { up, left } = creating('holderId')
    expect(up).not.to.match(/for insert/)
    expect(left.plot?.join()).to.match(/create: .*allows some fields only/)
  })

  it('lists what is left to the application, and the database refuses it', () => {
    const small = rulebook({
      me: { shape: z.object({ id: z.string() }), key: 'id' },
      records: { plot: { shape: z.object({ id: z.string(), holderId: z.string(), helperId: z.string(), state: z.string() }), key: 'id' } },
    })
      .standings({ plot: (plot, { me }) => ({ holder: plot.holderId.is(me.id), helper: plot.helperId.is(me.id) }) })
      .rules({
        plot: (_plot, { standing: { holder, helper }, after }) => ({
          may: { read: [holder, helper], update: [holder, helper], delete: [holder] },
          vetoes: [{ actions: ['update'], provided: after.state.is('let'), message: 'No.' }],
        }),
      })
    const { up, left } = rowSecurity(small, { role: 'reports' })
    expect(left.plot?.join()).to.match(/update: refused, since a gate or a veto compares/)
    expect(up)
      .to.match(/for delete/)
      .and.not.to.match(/for update/)
    const two = rowSecurity(small.without('plot', small.model.types.plot?.rules?.vetoes[0]?.title as string), { role: 'reports' })
    expect(two.left.plot?.join()).to.match(/update: helper: .*before and after/)
  })
})
