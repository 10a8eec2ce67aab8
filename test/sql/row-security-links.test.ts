// Row security along links: of the person by several steps, and to a record from the lists of others.
import { expect } from 'chai'
import { rulebook, toMany, toOne } from 'pachter'
import { overKysely } from 'pachter/kysely'
import { postgres, readLayout, rowSecurity } from 'pachter/sql'
import { openStore } from 'pachter/store'
import { z } from 'zod'
import { engines } from '../support/engines.js'
import { fill } from '../support/filling.js'
import { FUNCTIONS, makeRole, ROLE, script, seenAs, TABLES } from '../support/row-security.js'

const id = z.string()
const me = z.object({ id })
type Asked = (who: string, work: (db: any) => Promise<unknown>) => Promise<unknown>

async function secured(
  engine: (typeof engines)[number],
  book: any,
  data: { readonly [type: string]: readonly object[] },
  work: (as: Asked) => Promise<void>,
) {
  const db = await engine.open(book)
  await fill(openStore(book, overKysely(db, postgres)) as never, data)
  await makeRole(db)
  const { up, down } = rowSecurity(book, { schema: TABLES, role: ROLE, functions: FUNCTIONS, layout: await readLayout(db, postgres, book) })
  await script(db, up)
  await work((who, ask) => seenAs(db, { id: who }, 0, ask).catch((error: Error) => error.message)).finally(() => script(db, down))
}

for (const engine of engines.filter(({ dialect }) => dialect === postgres))
  describe(`row security along links, in ${engine.name}`, () => {
    it('reads what links of the person lead to by two steps, each from its own table', async () => {
      const book = rulebook({
        me: { shape: me, key: 'id', links: { worker: toOne('worker', 'id') } },
        records: {
          worker: {
            shape: z.object({ id, siteId: id, crewId: id }),
            key: 'id',
            links: { site: toOne('site', 'siteId'), crew: toOne('crew', 'crewId') },
          },
          site: { shape: z.object({ id, city: id }), key: 'id' },
          crew: { shape: z.object({ id, rank: z.int() }), key: 'id' },
          crane: { shape: z.object({ id, city: id, rank: z.int() }), key: 'id' },
        },
      }).rules({
        crane: (crane, { me, anyone }) => ({
          may: { read: [anyone.provided(crane.city.is(me.worker.site.city), me.worker.crew.rank.isAtLeast(crane.rank))] },
        }),
      })
      const data = {
        worker: [
          { id: 'ada', siteId: 's1', crewId: 'c2' },
          { id: 'bo', siteId: 's2', crewId: 'gone' },
        ],
        site: [
          { id: 's1', city: 'Gent' },
          { id: 's2', city: 'Bern' },
        ],
        crew: [
          { id: 'c1', rank: 1 },
          { id: 'c2', rank: 2 },
        ],
        crane: [
          { id: 'k1', city: 'Gent', rank: 1 },
          { id: 'k2', city: 'Gent', rank: 3 },
          { id: 'k3', city: 'Bern', rank: 1 },
        ],
      }
      await secured(engine, book, data, async (as) => {
        const seen = async (who: string) =>
          ((await as(who, (db) => db.selectFrom('crane').select('id').execute())) as { id: string }[]).map((row) => row.id)
        expect([await seen('ada'), await seen('bo'), await seen('eve')]).to.deep.equal([['k1'], [], []])
      })
    })

    it('keeps a record that a list of another one names', async () => {
      const book = rulebook({
        me: { shape: me, key: 'id' },
        records: {
          tool: { shape: z.object({ id, ownerId: id }), key: 'id' },
          job: { shape: z.object({ id, toolIds: z.array(id) }), key: 'id', links: { tools: toMany('tool', { id: 'toolIds' }) } },
        },
      }).rules({
        tool: (tool, { me, anyone }) => ({ may: { read: [anyone], delete: [anyone.provided(tool.ownerId.is(me.id))] } }),
      })
      const data = {
        tool: ['saw', 'axe', 'pot'].map((tool) => ({ id: tool, ownerId: tool === 'pot' ? 'bo' : 'ada' })),
        job: [{ id: 'j1', toolIds: ['rake', 'saw'] }],
      }
      await secured(engine, book, data, async (as) => {
        const removed = (tool: string) =>
          as('ada', async (db) => Number((await db.deleteFrom('tool').where('id', '=', tool).executeTakeFirst()).numDeletedRows))
        expect([await removed('saw'), await removed('axe'), await removed('pot')]).to.deep.equal([0, 1, 0])
      })
    })
  })
