import { expect } from 'chai'
import type { Kysely } from 'kysely'
import { overKysely } from 'pachter/kysely'
import { sqlite } from 'pachter/sql'
import { openStore } from 'pachter/store'
import { recordsOf, today } from '../../examples/world/open.js'
import { people } from '../../examples/world/people.js'
import { book } from '../../examples/world/rulebook.js'
import { engines } from '../support/engines.js'
import { NODES, plots, type Queries, RAW } from '../support/hostile-queries.js'

describe('own queries refuse, and ask nothing', () => {
  const engine = engines.find(({ dialect }) => dialect === sqlite) as (typeof engines)[number]
  const failures: string[] = []
  let queries: Queries
  let asked: string[]
  let db: Kysely<any>
  before(async () => {
    db = await engine.open(book as never)
    const store = openStore(book, overKysely(db, sqlite), { now: today })
    for (const type of ['member', 'site', 'plot'] as const)
      for (const record of recordsOf(type)) await store.asSystem('fill').create(type as 'plot', record as never)
    queries = await store.for(people.ines).queries<any>({ failed: (error) => failures.push(String(error)) })
    asked = []
    const executor = db.getExecutor()
    const run = executor.executeQuery.bind(executor)
    executor.executeQuery = (compiled) => {
      asked.push(compiled.sql)
      return run(compiled)
    }
  })
  beforeEach(() => asked.splice(0))

  for (const [name, ask, says] of [...RAW, ...NODES])
    it(name, async () => {
      const said = await (async () => (ask(queries) as { execute(): Promise<unknown> }).execute())().then(
        (rows) => `answered ${JSON.stringify(rows)}`,
        (error) => `${error.code}: ${error.message}`,
      )
      expect(said).to.match(says)
      expect(said).to.match(/^OWN_QUERY: own queries: /)
      expect(asked, 'nothing was asked').to.deep.equal([])
    })

  it('plans, streams and connections', async () => {
    const query = plots(queries).selectAll()
    const said = (work: () => Promise<unknown>) =>
      work().then(
        () => 'done',
        (error) => `${error.code}: ${error.message}`,
      )
    expect(await said(() => query.explain())).to.match(/^OWN_QUERY: .*no EXPLAIN/)
    expect(
      await said(async () => {
        for await (const _ of query.stream()) break
      }),
    ).to.match(/^OWN_QUERY: .*not streamed/)
    expect(await said(async () => queries.insertInto('plot'))).to.match(/insertInto is not a function/)
    expect(asked).to.deep.equal([])
  })

  it('says what is wrong with options', async () => {
    const mine = openStore(book, overKysely(db, sqlite)).for(null)
    for (const [options, says] of [
      [{ function: ['x'] }, /there is no option "function"/],
      [null, /its options are an object/],
      [{ functions: ['x y'] }, /"x y" cannot be the name/],
    ] as const)
      expect(await mine.queries<any>(options as never).catch((error) => error.message)).to.match(says)
  })
})
