import { expect } from 'chai'
import fc from 'fast-check'
import { conditionFromJson, negate, predicate, pushNot, type Row, simplify } from 'pachter/condition'
import { compile, createTables, type Dialect, sqlite } from 'pachter/sql'
import { claims, condition, everyKind, record } from '../support/conditions.js'
import { openSqlite } from '../support/sqlite.js'

const NOW = 1_700_000_000_000
const RUNS = 1000
const CONDITIONS = 20

describe('a condition means the same everywhere', () => {
  const db = openSqlite()
  const fields = everyKind.model.types.thing?.fields ?? {}
  let cases = 0

  // Columns that ignore letter case by themselves: rules compare exactly all the same.
  const careless: Dialect = { ...sqlite, columnType: (field) => sqlite.columnType(field).replace(/^text$/, 'text collate nocase') }

  before(() => createTables(db, everyKind, careless))
  after(() => db.destroy())

  it(`in memory, simplified, negated, read back from JSON and in SQLite: ${(RUNS * CONDITIONS).toLocaleString('en')} random conditions`, async () => {
    const conditions = fc.array(condition, { minLength: CONDITIONS, maxLength: CONDITIONS })
    const records = fc.array(record, { minLength: 1, maxLength: 6 })
    await fc.assert(
      fc.asyncProperty(conditions, claims, records, async (nodes, me, unkeyed) => {
        const rows = unkeyed.map((row, at) => ({ ...row, id: `t-${at}` })) as Row[]
        await db.deleteFrom('thing').execute()
        await db
          .insertInto('thing')
          .values(
            rows.map((row) => Object.fromEntries(Object.entries(fields).map(([name, field]) => [name, sqlite.encode(field, row[name])]))),
          )
          .execute()
        for (const node of nodes) {
          cases += 1
          const ids = (of: typeof node, who: Row | null) =>
            rows.filter((row) => predicate(of)(row, { me: who, now: NOW })).map(({ id }) => id)
          const answer = ids(node, me)
          const special = simplify(node, me)
          expect(ids(special, null), 'specialised').to.deep.equal(answer)
          expect(ids(simplify(node), me), 'simplified for everybody').to.deep.equal(answer)
          expect(ids(pushNot(node), me), 'with not at the leaves').to.deep.equal(answer)
          expect(ids(negate(node), me), 'negated').to.deep.equal(rows.map(({ id }) => id).filter((id) => !answer.includes(id)))
          expect(conditionFromJson(JSON.parse(JSON.stringify(node))), 'from JSON').to.deep.equal(JSON.parse(JSON.stringify(node)))
          const found = await db
            .selectFrom('thing')
            .select('id')
            .where(compile(special, { dialect: sqlite, now: NOW }))
            .orderBy('id')
            .execute()
          expect(
            found.map(({ id }) => id),
            `in SQLite: ${JSON.stringify(special)}`,
          ).to.deep.equal(answer)
        }
      }),
      { numRuns: RUNS },
    )
    expect(cases).to.be.at.least(RUNS * CONDITIONS)
  })
})
