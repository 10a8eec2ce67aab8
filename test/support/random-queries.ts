// Random queries over a table with a field of every kind.
import fc from 'fast-check'
import { sql } from 'kysely'
import { NOW } from './agreement.js'
import type { Engine } from './engines.js'
import { everyKind, KINDS, type Kind, TEXTS } from './every-kind.js'

const ALIASES = ['a', 'b'] as const
type Alias = (typeof ALIASES)[number]

/** A query, for builders of what a person sees and for those of a database. `from` is the table that is selected from. */
export interface Asked {
  readonly text: string
  build(queries: any, from: string, engine: Engine): { execute(): Promise<unknown[]> }
}

type Test = (eb: any, engine: Engine) => unknown
const alias = fc.constantFrom<Alias>(...ALIASES)
const kind = fc.constantFrom<Kind>(...KINDS)
const columnOf = (one: Kind) => fc.constantFrom(`${one}A`, `${one}B`)
const VALUES: { readonly [K in Kind]: fc.Arbitrary<unknown> } = {
  text: fc.constantFrom(...TEXTS.filter((text) => !text.includes('\0'))),
  integer: fc.integer({ min: -3, max: 3 }),
  number: fc.constantFrom(0, -1, 0.5, 2, 1e9),
  boolean: fc.boolean(),
  time: fc.integer({ min: -2, max: 2 }).map((days) => new Date(NOW + days * 86_400_000)),
}

const encoded = (engine: Engine, column: string, value: unknown) =>
  engine.dialect.codec.encode(everyKind.model.types.thing?.fields[column] as never, value)

const valueTest = kind.chain((of) =>
  fc
    .record({
      on: alias,
      column: columnOf(of),
      op: fc.constantFrom(...(of === 'boolean' ? ['='] : ['=', '<', '>=', '<>'])),
      value: VALUES[of],
    })
    .map(
      ({ on, column, op, value }): Test =>
        (eb, engine) =>
          eb(`${on}.${column}`, op, encoded(engine, column, value)),
    ),
)
const presenceTest = fc.record({ on: alias, of: kind, op: fc.constantFrom('is', 'is not') }).map(
  ({ on, of, op }): Test =>
    (eb) =>
      eb(`${on}.${of}A`, op, null),
)
const pairTest = kind.map(
  (of): Test =>
    (eb) =>
      eb(`a.${of}A`, '=', eb.ref(`b.${of}B`)),
)

/** Expressions that no row makes fail, but that are not known not to: the visible rows are found before. */
const plainExpressions: readonly Test[] = [
  (eb) => eb(eb.fn('lower', ['a.textA']), '=', 'ab'),
  (eb) => eb(eb.fn('length', ['b.textB']), '>', 1),
  (eb) => eb('a.textA', 'like', 'a%'),
  (eb) => eb(sql`coalesce(${sql.ref('a.booleanA')}, ${sql.ref('b.booleanB')})`, 'is not', null),
]
/** Expressions that some rows make fail. */
const failingExpressions: readonly Test[] = [
  (eb) => eb(eb(eb.cast('a.integerA', 'decimal'), '/', eb.ref('a.integerB')), '>', 0),
  (eb) => eb(eb(eb.val(1), '/', eb.ref('b.integerA')), '>', 0),
  (eb) => eb(eb.cast('a.textA', sql`decimal`), '>', 0),
  (eb) => eb(eb.cast('b.textB', 'date'), 'is not', null),
  (eb) => eb(eb('a.integerA', '*', 9_000_000_000_000_000), '>', 5),
  (eb) => eb(eb.fn('substr', ['a.textA', eb.lit(1), 'a.integerA']), '=', 'a'),
  (eb) => eb(eb.fn('json_extract', ['a.textA', eb.val('$.a')]), '=', 1),
  (eb) => eb(eb.fn('abs', [eb('a.integerA', '-', 9_007_199_254_740_991)]), '>', 1),
  (eb) => eb(sql`cast(${sql.ref('a.textB')} as json)`, 'is not', null),
]

const testsOf = (expressions: readonly Test[]): fc.Arbitrary<Test> => {
  const leaf = fc.oneof(
    { weight: 4, arbitrary: valueTest },
    { weight: 1, arbitrary: presenceTest },
    { weight: 1, arbitrary: pairTest },
    { weight: 2, arbitrary: fc.constantFrom(...expressions) },
  )
  const inner = fc.record({ column: kind.chain(columnOf), test: leaf }).map(
    ({ column, test }): Test =>
      (eb, engine) =>
        eb.exists(
          eb
            .selectFrom(`${FROM} as b`)
            .select('b.id')
            .whereRef(`b.${column}`, '=', `a.${column}`)
            .where((inside: any) => test(inside, engine)),
        ),
  )
  const some = fc.oneof({ weight: 5, arbitrary: leaf }, { weight: 1, arbitrary: inner })
  return fc.oneof(
    { weight: 2, arbitrary: some },
    {
      weight: 1,
      arbitrary: fc.tuple(some, some).map(
        ([one, other]): Test =>
          (eb, engine) =>
            eb.and([one(eb, engine), other(eb, engine)]),
      ),
    },
    {
      weight: 1,
      arbitrary: fc.tuple(some, some).map(
        ([one, other]): Test =>
          (eb, engine) =>
            eb.or([one(eb, engine), other(eb, engine)]),
      ),
    },
    {
      weight: 1,
      arbitrary: some.map(
        (one): Test =>
          (eb, engine) =>
            eb.not(one(eb, engine)),
      ),
    },
  )
}

// The table that subqueries select from, while a query is built.
let FROM = 'thing'

const FORMS = ['page', 'join', 'outer', 'sums', 'window', 'part', 'union', 'distinct'] as const

/** Random queries with such expressions. */
function queriesOf(expressions: readonly Test[]): fc.Arbitrary<Asked> {
  return fc
    .record({
      form: fc.constantFrom(...FORMS),
      test: testsOf(expressions),
      on: testsOf(expressions),
      of: kind,
      by: kind,
      descending: fc.boolean(),
    })
    .map(({ form, test, on, of, by, descending }) => ({
      text: `${form} ${of} ${by}`,
      build(queries, from, engine) {
        FROM = from
        const direction = descending ? 'desc' : 'asc'
        const where = (eb: any) => test(eb, engine)
        const crossed = queries
          .selectFrom(`${from} as a`)
          .innerJoin(`${from} as b`, (join: any) => (descending ? join.onTrue() : join.onRef(`a.${by}A`, '=', `b.${by}A`)))
        const ordered = (query: any) => query.orderBy(`a.${of}A`, direction).orderBy('a.id').orderBy('b.id')
        switch (form) {
          case 'page':
            return ordered(crossed.selectAll('a').where(where)).limit(4)
          case 'join':
            return crossed.select(['a.id', 'b.id as other', `b.${of}B as value`]).where(where)
          case 'outer':
            return queries
              .selectFrom(`${from} as a`)
              .leftJoin(`${from} as b`, (join: any) => join.onRef(`a.${by}A`, '=', `b.${by}B`).on((eb: any) => on(eb, engine)))
              .select(['a.id', 'b.id as other', `b.${of}A as value`])
              .where(where)
          case 'sums':
            return crossed
              .select(({ fn }: any) => [
                `a.${by}A as by`,
                fn.countAll().as('n'),
                fn.count(`b.${of}A`).as('m'),
                fn.max('a.integerA').as('most'),
              ])
              .where(where)
              .groupBy(`a.${by}A`)
              .having(({ fn }: any) => fn.countAll(), '>', descending ? 0 : 1)
          case 'window':
            return crossed
              .select(({ fn }: any) => [
                'a.id',
                'b.id as other',
                fn
                  .agg('row_number')
                  .over((over: any) => over.partitionBy(`a.${of}A`).orderBy('a.id', direction).orderBy('b.id'))
                  .as('at'),
              ])
              .where(where)
          case 'part':
            return queries
              .with('few', (inner: any) =>
                inner
                  .selectFrom(`${from} as a`)
                  .select(['a.id', `a.${of}A as value`])
                  .where('a.id', '<>', 't-1'),
              )
              .selectFrom('few')
              .innerJoin(`${from} as a`, 'a.id', 'few.id')
              .innerJoin(`${from} as b`, 'b.id', 'few.id')
              .select(['few.value', 'a.id', 'b.parent'])
              .where(where)
          case 'union':
            return crossed
              .select(['a.id', `b.${of}A as value`])
              .where(where)
              .union(queries.selectFrom(`${from} as a`).select(['a.id', `a.${of}B as value`]))
          case 'distinct':
            return crossed
              .select([`a.${of}A as value`, `b.${by}B as other`])
              .distinct()
              .where(where)
        }
      },
    }))
}

export const safeQueries = queriesOf(plainExpressions)
export const anyQueries = queriesOf([...plainExpressions, ...failingExpressions])
