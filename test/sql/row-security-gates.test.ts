import { expect } from 'chai'
import { rulebook } from 'pachter'
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
