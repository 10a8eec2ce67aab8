import { expect } from 'chai'
import fc from 'fast-check'
import { isPachterError, rulebook } from 'pachter'
import { conditionFromJson, describe as inWords, predicate, type Row, simplify } from 'pachter/condition'
import { bindAfter, bindRecord, type ListChangeNode, listChangeNode, negate, type Scalar } from 'pachter/internal/condition'
import { compile, createTables, sqlite } from 'pachter/sql'
import { z } from 'zod'
import { everyKind } from '../support/conditions.js'
import { openSqlite } from '../support/sqlite.js'
import { tries } from '../support/tries.js'

const VALUES = {
  text: ['a', 'A', 'é', '', '1'],
  integer: [0, 1, -1],
  number: [0, 0.5, 1],
  boolean: [true, false],
  time: [new Date(0), new Date(1)],
}
type Kind = keyof typeof VALUES
const change = fc.constantFrom(...(Object.keys(VALUES) as Kind[])).chain((kind) => {
  const value = fc.constantFrom(...(VALUES[kind] as unknown[]))
  const list = fc.oneof(
    { weight: 12, arbitrary: fc.array(value, { maxLength: 4 }) },
    { weight: 1, arbitrary: fc.constantFrom(undefined, [null], [null, null]) },
  )
  return fc.record({
    kind: fc.constant(kind),
    by: fc.constantFrom('adds' as const, 'removes' as const),
    before: list,
    // Often enough one value more or less, in another order.
    after: fc.oneof(
      list,
      value.map((one) => ['more', one] as const),
      fc.constant(['less'] as const),
    ),
    item: fc.oneof(
      value.map((one) => ({ known: one })),
      fc.constantFrom({ field: 'A' }, { field: 'B' }, { claim: true }),
    ),
    fields: fc.record({ A: fc.option(value, { nil: undefined }), B: fc.option(value, { nil: null }) }),
    claim: fc.option(value),
  })
})

describe('a list changes by one value', () => {
  const db = openSqlite()
  before(() => createTables(db, everyKind, sqlite))
  after(() => db.destroy())

  it('the same in memory, filled in, negated, and in SQLite, as counting says', async () => {
    await fc.assert(
      fc.asyncProperty(change, async ({ kind, by, before: old, after: wanted, item, fields, claim }) => {
        const made = (
          wanted?.[0] === 'more' ? [wanted[1], ...(old ?? [])] : wanted?.[0] === 'less' ? (old ?? []).slice(1).reverse() : wanted
        ) as unknown[] | undefined
        const type = kind as Scalar
        const place = { path: [`${kind}List`], type, list: true, optional: true } as const
        const written = (value: unknown) => (value instanceof Date ? value.toISOString() : value) as string
        const term =
          'known' in item
            ? ({ kind: 'literal', type, value: written(item.known) } as const)
            : 'field' in item
              ? ({ kind: 'field', of: 'record', path: [`${kind}${item.field}`], type, optional: true } as const)
              : ({ kind: 'claim', path: ['it'], type, optional: true } as const)
        const node: ListChangeNode = listChangeNode(
          by,
          { kind: 'field', of: 'after', ...place },
          { kind: 'field', of: 'record', ...place },
          term,
        )
        const record: Row = { id: 't', [`${kind}A`]: fields.A, [`${kind}B`]: fields.B, [`${kind}List`]: old, parent: null }
        const becomes: Row = { ...record, [`${kind}List`]: made }
        const me = { it: claim ?? undefined }
        const value = 'known' in item ? item.known : 'field' in item ? fields[item.field as 'A'] : (claim ?? undefined)
        const [more, less] = by === 'adds' ? [made, old] : [old, made]
        const sorted = (list: readonly unknown[]) => JSON.stringify(list.map((one) => JSON.stringify(one)).sort())
        const whole = !more?.includes(null) && !less?.includes(null)
        const expected =
          whole &&
          more !== undefined &&
          less !== undefined &&
          value !== undefined &&
          value !== null &&
          sorted(more) === sorted([...less, value])

        const env = { me, now: 0, after: becomes }
        expect(predicate(node)(record, env), 'in memory').to.equal(expected)
        expect(predicate(negate(node))(record, env), 'negated').to.equal(!expected)
        const special = simplify(node, me)
        expect(predicate(special)(record, { ...env, me: null }), 'specialised').to.equal(expected)
        expect(simplify(bindRecord(special, record, becomes)), 'filled in').to.deep.equal({ kind: 'constant', value: expected })
        expect(conditionFromJson(JSON.parse(JSON.stringify(node)))).to.deep.equal(node)
        await db.deleteFrom('thing').execute()
        const encoded = Object.entries(everyKind.model.types.thing?.fields ?? {}).map(([name, field]) => [
          name,
          sqlite.codec.encode(field, record[name]),
        ])
        await db.insertInto('thing').values(Object.fromEntries(encoded)).execute()
        const asked = compile(bindAfter(special, becomes), { dialect: sqlite, now: 0, table: 'thing' })
        expect(await db.selectFrom('thing').select('id').where(asked).execute(), 'in SQLite').to.have.length(expected ? 1 : 0)
      }),
      { numRuns: tries(300, 1000) },
    )
  })

  it('is said of a list as it becomes, compared with the same list as it is', () => {
    const Plot = z.object({ id: z.string(), helperIds: z.array(z.string()), tags: z.array(z.string()) })
    const begun = rulebook({ me: { shape: z.object({ id: z.string() }), key: 'id' }, records: { plot: { shape: Plot, key: 'id' } } })
    const build = (write: (words: any, plot: any) => unknown) =>
      (begun as any).rules({
        plot: (plot: any, words: any) => ({
          may: { read: [words.anyone], update: [words.anyone.provided(write(words, plot)).afterwards(words.anyone)] },
        }),
      })
    const book = build(({ after, me }, plot) => after.helperIds.removes(plot.helperIds, me.id))
    expect(inWords(book.model.types.plot.rules.may.update[0].when, { record: 'the plot' })).to.include(
      "the plot's helperIds afterwards are the same without my id",
    )
    const plot = { id: 'p', helperIds: ['a', 'b', 'b'], tags: [] }
    const may = (who: string, helperIds: string[]) => book.for({ id: who }).verdict('update', 'plot', plot, { ...plot, helperIds }).allowed
    expect([may('a', ['b', 'b']), may('a', ['b']), may('b', ['a', 'b']), may('b', ['a']), may('a', ['a', 'b', 'b'])]).to.deep.equal([
      true,
      false,
      true,
      false,
      false,
    ])
    const forgotten = () =>
      (begun as any).rules({
        plot: (one: any, { anyone, after }: any) => ({
          may: { read: [anyone], update: [anyone.provided(after.tags.adds(one.tags, 'x'))] },
        }),
      })
    expect(forgotten).to.throw('.afterwards(signedIn)')
    for (const wrong of [
      ({ after }: any, one: any) => after.helperIds.adds(one.tags, 'x'),
      (_words: any, one: any) => one.helperIds.adds(one.helperIds, 'x'),
      ({ after }: any, one: any) => after.helperIds.adds(one.helperIds, 5),
      ({ after }: any) => after.helperIds.adds(['x'], 'x'),
      ({ after }: any, one: any) => after.id.adds(one.id, 'x'),
    ]) {
      expect(() => build(wrong))
        .to.throw()
        .and.satisfy((error: unknown) => isPachterError(error, 'BAD_RULEBOOK'))
    }
  })
})
