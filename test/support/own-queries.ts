// Random queries over what a person sees: whether they answer as over tables that hold nothing else, and whether what the person does not see
// changes any answer.
import { expect } from 'chai'
import fc from 'fast-check'
import type { Kysely } from 'kysely'
import { isPachterError, rulebook as rulebookOf, toOne } from 'pachter'
import type { ConditionNode, Row } from 'pachter/condition'
import { TRUE } from 'pachter/internal/condition'
import { overKysely } from 'pachter/kysely'
import { createTables, type Layout, layoutOf } from 'pachter/sql'
import { type GuardedStore, openStore } from 'pachter/store'
import { z } from 'zod'
import { fill, holdable, keyed, NOW } from './agreement.js'
import type { Engine } from './engines.js'
import { everyKind, KINDS, type Kind, record, thingShape } from './every-kind.js'
import { type Asked, anyQueries, safeQueries } from './random-queries.js'
import { FIELDS, people, rulebook } from './rulebooks.js'

/** How many queries a person asks of the same records, and how many all people do. */
const QUERIES_AT_ONCE = 10
export const ASKED_AT_ONCE = 3 * QUERIES_AT_ONCE
const MIRROR = layoutOf(everyKind, { prefix: 'seen_' })

/** The answer of a query, or how it failed. */
async function answerOf(asked: Asked, queries: unknown, from: string, engine: Engine): Promise<unknown> {
  const query = asked.build(queries, from, engine)
  try {
    const rows = (await query.execute()) as object[]
    return rows.map((row) => JSON.stringify(Object.entries(row).sort())).sort()
  } catch (error) {
    if (isPachterError(error, 'QUERY_FAILED')) return `failed ${(error as unknown as { sqlState?: string }).sqlState}`
    if (isPachterError(error)) throw error
    return `failed ${(error as { sqlState?: string }).sqlState ?? (error as { code?: string }).code}`
  }
}

async function openMirror(engine: Engine): Promise<{ readonly db: Kysely<any>; readonly layout: Layout }> {
  const layout = layoutOf(everyKind)
  const db = await engine.open(everyKind, { layout, before: (fresh) => createTables(fresh, everyKind, engine.dialect, MIRROR) })
  return { db, layout }
}

const present = (field: string, type: Kind): ConditionNode => ({
  kind: 'presence',
  present: true,
  term: { kind: 'field', of: 'record', path: [field], type },
})
const openings = fc.array(
  fc.record({
    when: fc.constantFrom(
      TRUE,
      present('textA', 'text'),
      present('integerB', 'integer'),
      present('booleanA', 'boolean'),
      present('timeA', 'time'),
    ),
    fields: fc.option(fc.subarray(FIELDS, { minLength: 1 }), { nil: undefined }),
  }),
  { minLength: 1, maxLength: 2 },
)
type Drafted = { readonly model: { readonly types: { readonly thing: { readonly rules: { readonly may: { readonly read: object[] } } } } } }

/** Rulebooks of which more is seen: those of any conditions let people see little. */
const opened = fc.tuple(rulebook, openings, fc.boolean()).map(([book, more, isGated]) => {
  const { model } = book as Drafted
  const { thing } = model.types
  const also = more.map(({ when, fields }, at) => ({
    who: when,
    when,
    provided: [],
    title: `opening ${at}`,
    ...(fields ? { fields } : {}),
  }))
  const rules = {
    ...thing.rules,
    ...(isGated ? {} : { gates: {}, vetoes: [] }),
    may: { ...thing.rules.may, read: [...thing.rules.may.read, ...also] },
  }
  return { model: { ...model, ...(isGated ? {} : { gate: undefined }), types: { thing: { ...thing, rules } } } }
})

/** A rulebook whose rules are slower to ask than what a query may add, so that a database begins with the query. */
const slow = rulebookOf({
  me: { shape: z.object({ id: z.string() }), key: 'id' },
  records: { thing: { shape: thingShape, key: 'id', links: { above: toOne('thing', 'parent') } } },
}).rules({
  thing: (thing, { anyone }) => {
    const { booleanA, textA } = thing.above as any
    return { may: { read: [anyone.provided(booleanA.is(true), textA.isPresent())] } }
  },
})

const world = (queries: fc.Arbitrary<Asked>, books: fc.Arbitrary<unknown> = opened) =>
  [
    books,
    people,
    fc.array(record, { minLength: 1, maxLength: 6 }),
    fc.array(queries, { minLength: QUERIES_AT_ONCE, maxLength: QUERIES_AT_ONCE }),
  ] as const

type Mine = GuardedStore & { queries(): Promise<unknown> }
const mineOf = (book: unknown, db: Kysely<any>, engine: Engine, layout: Layout, me: unknown) =>
  openStore(book as never, overKysely(db, engine.dialect, { layout }), { now: new Date(NOW) }).for(me as never) as unknown as Mine

const seed = (given: number | undefined) => (given === undefined ? {} : { seed: given })

/** The answer of every random query equals that over a table of what lists show, on this engine. */
export async function ownQueriesAgree(
  engine: Engine,
  runs: number,
  from?: number,
): Promise<{ readonly asked: number; readonly rows: number }> {
  const { db, layout } = await openMirror(engine)
  const count = { asked: 0, rows: 0 }
  const law = fc.asyncProperty(...world(safeQueries), async (book, who, unkeyed, queries) => {
    await fill(
      db,
      engine.dialect,
      keyed(unkeyed).map((row) => holdable(engine, row)),
      layout,
    )
    for (const [name, me] of Object.entries(who)) {
      const mine = mineOf(book, db, engine, layout, me)
      const shown = (await mine.list('thing')) as Row[]
      await db.deleteFrom('seen_thing').execute()
      if (shown.length > 0) await fill(db, engine.dialect, shown, MIRROR)
      const own = await mine.queries()
      for (const query of queries) {
        const [given, expected] = [await answerOf(query, own, 'thing', engine), await answerOf(query, db, 'seen_thing', engine)]
        expect(given, `${query.text} for ${name} ${JSON.stringify(me)} of ${JSON.stringify(shown)}`).to.deep.equal(expected)
        count.asked += 1
        if (Array.isArray(given)) count.rows += given.length
      }
    }
  })
  await fc.assert(law, { numRuns: runs, ...seed(from) })
  return count
}

// What the records of `slow` are under.
const UPPER = [{ booleanA: true, textA: 'a' }, { booleanA: false }]
// What makes expressions fail.
const NASTY: { readonly [K in Kind]: readonly unknown[] } = {
  text: ['12x', '', '{', 'not a date'],
  integer: [0, -4, 9_007_199_254_740_991],
  number: [0, -1, 1e300],
  boolean: [true, false],
  time: [new Date(0)],
}

/** Whatever the records hold that a person does not see, every random query gives the same answer or the same failure. */
export async function ownQueriesTellNothing(
  engine: Engine,
  runs: number,
  from?: number,
): Promise<{ readonly asked: number; readonly failed: number }> {
  const { db, layout } = await openMirror(engine)
  const count = { asked: 0, failed: 0 }
  const changes = fc.array(fc.record({ row: fc.nat(5), of: fc.constantFrom(...KINDS), b: fc.boolean(), at: fc.nat(3) }), {
    minLength: 2,
    maxLength: 8,
  })
  const law = fc.asyncProperty(
    ...world(anyQueries, fc.oneof(opened, fc.constant(slow))),
    changes,
    async (book, who, unkeyed, queries, hidden) => {
      const rows = keyed(unkeyed).map((row, n) => holdable(engine, book === slow ? { ...row, parent: `t-${n % 2}`, ...UPPER[n] } : row))
      const fillWith = (those: readonly Row[]) => fill(db, engine.dialect, those, layout)
      const answers = async (mine: Mine) => {
        const own = await mine.queries()
        const all: unknown[] = []
        for (const query of queries) all.push(await answerOf(query, own, 'thing', engine))
        return all
      }
      for (const me of Object.values(who)) {
        const mine = mineOf(book, db, engine, layout, me)
        await fillWith(rows)
        const shown = new Map(((await mine.list('thing')) as Row[]).map((row) => [row.id, row]))
        const others = rows.map((row, n) => {
          const seen = shown.get(row.id)
          const changed = hidden
            .filter((one) => one.row % rows.length === n)
            .map(({ of, b, at }) => [`${of}${b ? 'B' : 'A'}`, NASTY[of][at % NASTY[of].length]] as const)
          // A visible field stays as it is.
          return {
            ...row,
            ...Object.fromEntries(
              changed.filter(
                ([field]) => seen === undefined || (seen[field] === undefined && row[field] !== undefined && row[field] !== null),
              ),
            ),
          }
        })
        const before = await answers(mine)
        await fillWith(others)
        // Some changes show: a rule may depend on what was changed.
        if (JSON.stringify((await mine.list('thing')) as Row[]) !== JSON.stringify([...shown.values()])) continue
        const after = await answers(mine)
        for (const [at, query] of queries.entries()) {
          expect(
            after[at],
            `${query.text} for ${JSON.stringify(me)} of ${JSON.stringify(rows)} and ${JSON.stringify(others)}`,
          ).to.deep.equal(before[at])
          count.asked += 1
          if (typeof before[at] === 'string') count.failed += 1
        }
      }
    },
  )
  await fc.assert(law, { numRuns: runs, ...seed(from) })
  return count
}
