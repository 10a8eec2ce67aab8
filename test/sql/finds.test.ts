import { expect } from 'chai'
import fc from 'fast-check'
import { type Kysely, sql } from 'kysely'
import { type ConditionNode, type Row, simplify } from 'pachter/condition'
import { anyOfNode } from 'pachter/internal/condition'
import { compile, layoutOf, readLayout } from 'pachter/sql'
import { cases, fill, held, holdable, keyed, NOW } from '../support/agreement.js'
import { everyKind } from '../support/conditions.js'
import { engines } from '../support/engines.js'
import { addMicroseconds, OWN_NAMES, ownDialect, ownLayout, prepareOwn, withUuids } from '../support/own-schema.js'
import { tries } from '../support/tries.js'

const text = (path: string, type = 'text') => ({ kind: 'field', of: 'record', path: [path], type, optional: true })
const literal = (value: unknown, list?: true) => ({ kind: 'literal', type: 'text', value, ...(list ? { list } : {}) })
/** Linked records, of the type itself, that hold the value; reached by the record's own field. */
const some = (by: [to: object, from: object][], value: string) => ({
  kind: 'some',
  each: 1,
  over: { kind: 'records', type: 'thing', by: by.map(([to, from]) => ({ to, from })) },
  of: { kind: 'compare', by: 'is', left: { ...text('textA'), of: 1 }, right: literal(value) },
})
const id = { path: ['id'], type: 'id' }
const values = fc.constantFrom('a', 'A', 'ab', 'É', 'a ', 't-0', 't-1', '', ' ', '%')
/** Parts by which rows are found, so that a database may make a union of keys of them. */
const part = fc.oneof(
  values.map((value) => ({ kind: 'compare', by: 'is', left: text('textA'), right: literal(value) })),
  values.map((value) => ({ kind: 'compare', by: 'is', left: literal(value), right: text('textB') })),
  fc.array(values).map((list) => ({ kind: 'compare', by: 'isOneOf', left: text('textA'), right: literal(list, true) })),
  fc.array(values).map((list) => ({ kind: 'compare', by: 'has', left: literal(list, true), right: text('parent', 'id') })),
  values.map((value) => some([[{ path: ['parent'], type: 'id' }, text('id', 'id')]], value)),
  values.map((value) => some([[id, text('parent', 'id')]], value)),
  values.map((value) => some([[{ path: ['textB'], type: 'text' }, text('textA')]], value)),
) as fc.Arbitrary<unknown> as fc.Arbitrary<ConditionNode>
const parts = fc.array(part, { minLength: 2, maxLength: 4 })
/** Which of them are taken to hold on many rows. */
const broad = fc.array(fc.boolean(), { maxLength: 8 })

describe('finding rows', () => {
  for (const engine of engines)
    for (const own of [false, true])
      it(`gives the same in ${engine.name}${own ? ', in tables of other names and types' : ''}, however they are found`, async () => {
        const { dialect } = engine
        const how = own
          ? { dialect: ownDialect(dialect), layout: ownLayout(dialect), before: (one: Kysely<any>) => prepareOwn(one, dialect) }
          : {}
        const db = await engine.open(everyKind, how)
        const layout = await readLayout(db, dialect, everyKind, own ? OWN_NAMES : {})
        const table = layout.tables.thing?.name as string
        const key = { ref: sql.ref(`${table}.id`), ...layout.tables.thing?.columns.id }
        await fc.assert(
          fc.asyncProperty(parts, parts, cases[2], broad, async (some, others, unkeyed, broad) => {
            const rows = keyed(unkeyed).map((row) => (own ? withUuids(holdable(engine, row), dialect) : holdable(engine, row)))
            await fill(db, dialect, rows, layout, own ? () => addMicroseconds(db, dialect) : undefined)
            const either = own ? withUuids(anyOfNode(some), dialect) : anyOfNode(some)
            const both: ConditionNode = { kind: 'allOf', of: [either, own ? withUuids(anyOfNode(others), dialect) : anyOfNode(others)] }
            for (const node of [either, both])
              for (const finds of ['rows', 'row'] as const) {
                const where = compile(simplify(node), {
                  dialect,
                  now: NOW,
                  table,
                  type: 'thing',
                  layout,
                  key: [{ path: ['id'], type: 'id' }],
                  finds,
                  broad,
                })
                const query = db
                  .selectFrom(table)
                  .select(sql<string>`${dialect.expressions.column(key, [], 'id')}`.as('id'))
                  .where(where)
                const found = (await query.execute()).map((row) => (row as Row).id as string).sort()
                expect(found, `${finds} ${JSON.stringify(node)}\nof ${JSON.stringify(rows)}\n`).to.deep.equal(held(rows, node, null))
              }
          }),
          { numRuns: engine.name === 'SQLite' ? tries(30, 150) : tries(20, 60) },
        )
      })

  it('is a union of keys in MariaDB, where an OR would look at every row', () => {
    const either = anyOfNode([
      fc.sample(part, { numRuns: 1, seed: 1 })[0],
      some([[{ path: ['parent'], type: 'id' }, text('id', 'id')]], 'a'),
    ] as never)
    const options = { now: NOW, table: 'thing', type: 'thing', layout: layoutOf(everyKind), key: [{ path: ['id'], type: 'id' as const }] }
    for (const { dialect } of engines) {
      const written = JSON.stringify(compile(either, { ...options, dialect, finds: 'rows' }).toOperationNode())
      expect(/ union /.test(written), dialect.name).to.equal(dialect.name === 'mariadb')
    }
  })
})
