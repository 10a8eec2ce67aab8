// Random rulebooks: gates, vetoes and clauses with limits, each of random conditions; and whether they mean the same everywhere.
import { expect } from 'chai'
import fc from 'fast-check'
import type { Kysely } from 'kysely'
import type { ConditionNode, Row } from 'pachter/condition'
import { allOfNode, FALSE, notRemoved, TRUE } from 'pachter/internal/condition'
import { verify } from 'pachter/kysely'
import { type Layout, layoutOf, postgres, rowSecurity } from 'pachter/sql'
import { z } from 'zod'
import { fill, holdable, keyed, NOW } from './agreement.js'
import { alike, alikeNode, openCollated, shapes, waysOf } from './collations.js'
import { claims, condition, everyKind, record } from './conditions.js'
import type { Engine } from './engines.js'
import { FUNCTIONS, makeRole, ROLE, script, TABLES, tidy } from './row-security.js'

const thing = everyKind.model.types.thing
/** Its fields, but for the key. */
export const FIELDS = Object.keys(thing?.fields ?? {}).filter((name) => name !== 'id')
const fields = fc.option(fc.subarray(FIELDS, { minLength: 1 }), { nil: undefined, freq: 3 })
const ACTIONS = ['read', 'update', 'delete'] as const

/** Rulebooks over one record type that has a field of every kind, of conditions such as these. */
function rulebooksOf(conditions: fc.Arbitrary<ConditionNode>) {
  const node = fc.oneof({ weight: 8, arbitrary: conditions }, { weight: 1, arbitrary: fc.constantFrom<ConditionNode>(TRUE, FALSE) })
  const clause = fc
    .record({ who: node, fields, isOfRemoved: fc.boolean() })
    .map(({ who, fields: limit, isOfRemoved }) => ({ who, provided: [], isOfRemoved, ...(limit ? { fields: limit } : {}) }))
  const clauses = fc.array(clause, { maxLength: 3 }).map((all) => all.map((one, at) => ({ ...one, title: `clause ${at}` })))
  const veto = fc.record({
    actions: fc.subarray([...ACTIONS], { minLength: 1 }),
    when: node,
    title: fc.constant('veto'),
    message: fc.constant('No.'),
  })
  return fc
    .record({
      // Some records are removed and not deleted.
      removal: fc.constantFrom('timeA', undefined, undefined, undefined),
      gate: fc.option(node, { nil: undefined }),
      gates: fc.record({ read: node, update: node }, { requiredKeys: [] }),
      vetoes: fc.array(veto, { maxLength: 2 }),
      read: clauses,
      update: clauses,
      // Deleting is of the whole record: such clauses have no fields.
      delete: clauses.map((all) => all.map(({ fields: _, ...one }) => one)),
    })
    .map(({ removal, gate, gates, vetoes, ...clausesOf }) => {
      const may = Object.fromEntries(
        Object.entries(clausesOf).map(([action, all]) => [action, all.map((one) => clauseOf(one, action, removal))]),
      )
      const rules = { gates, vetoes, may: { ...may, create: [] }, messages: {}, stamps: { create: {}, update: {} } }
      const me = { ...everyKind.model.me, shape: z.looseObject({ id: z.string() }) }
      return {
        model: {
          ...everyKind.model,
          me,
          types: { thing: { ...thing, rules, ...(removal ? { removal } : {}) } },
          ...(gate ? { gate } : {}),
        },
      } as never
    })
}

type Drafted = { readonly who: ConditionNode; readonly provided: readonly ConditionNode[]; readonly isOfRemoved: boolean }

/** A clause counts for records that are there, unless it includes removed ones. */
function clauseOf({ isOfRemoved, ...clause }: Drafted, action: string, removal: string | undefined): object {
  if (removal === undefined) return { ...clause, when: clause.who }
  if (isOfRemoved && action === 'read') return { ...clause, when: clause.who, includingRemoved: true }
  return { ...clause, when: allOfNode([clause.who, notRemoved({ path: [removal], type: 'time' }, 'record')]) }
}

/** A rulebook of conditions of every kind. */
export const rulebook = rulebooksOf(condition)
/** The same where texts are alike, and links lead to them. */
const alikeRulebook = rulebooksOf(fc.oneof(condition.map(alikeNode), shapes))
export const people = fc
  .tuple(claims, claims)
  .map(([one, other]) => ({ one: { id: 'm-1', ...one }, other: { id: 'm-2', ...other }, visitor: null }))

// JSON holds no halves of surrogate pairs, and the database's none with NUL; and no claim is a Date there.
const heard = (claim: Row | null) => {
  const text = JSON.stringify(claim)
  return /\\u0000|\\ud[89a-f]/i.test(text) ? null : (JSON.parse(text) as Row | null)
}

/** Compares for random rulebooks, people and records the rows by SQL, by evaluation and, in PostgreSQL, by row security. */
export async function agreesInRulebooks(engine: Engine, runs: number, seed?: number): Promise<void> {
  await agreesOver(engine, { db: await engine.open(everyKind), layout: layoutOf(everyKind) }, rulebook, runs, seed)
}

/** The same over tables in collations under which different texts are the same. */
export async function agreesInCollatedRulebooks(engine: Engine, runs: number, seed?: number): Promise<void> {
  const ways = waysOf(engine)
  for (let way = 0; way < ways; way++)
    await agreesOver(
      engine,
      await openCollated(engine, way),
      alikeRulebook,
      Math.ceil(runs / ways),
      seed === undefined ? undefined : seed + way,
      alike,
    )
}

async function agreesOver(
  engine: Engine,
  { db, layout }: { readonly db: Kysely<any>; readonly layout: Layout },
  books: typeof rulebook,
  runs: number,
  seed?: number,
  map: <T>(value: T) => T = (value) => value,
): Promise<void> {
  const { dialect } = engine
  const secured = dialect === postgres
  if (secured) await makeRole(db)
  let tried = 0
  const law = fc.asyncProperty(books, people, fc.array(record, { minLength: 1, maxLength: 8 }), async (book, given, unkeyed) => {
    const rows = keyed(map(unkeyed)).map((row) => holdable(engine, row))
    await fill(db, dialect, rows, layout)
    const who = Object.fromEntries(Object.entries(given).map(([name, me]) => [name, heard(map(me) as Row | null)]))
    const { up, down } = secured ? rowSecurity(book, { layout, schema: TABLES, role: ROLE, functions: FUNCTIONS }) : { up: '', down: '' }
    if (secured) await script(db, up)
    try {
      const { differences, compared } = await verify(book, db, dialect, {
        people: who,
        now: new Date(NOW),
        batch: 3,
        layout,
        ...(secured ? { role: ROLE } : {}),
      })
      const { gate, types } = (book as { model: { gate?: ConditionNode; types: { thing: { rules: unknown } } } }).model
      const what = `${JSON.stringify(differences[0])}\nby ${JSON.stringify({ gate, rules: types.thing.rules })}`
      expect(differences, `${what}\nfor ${JSON.stringify(who)}\nof ${JSON.stringify(rows)}\n`).to.deep.equal([])
      // Nobody is shown by a policy what the rules do not let them read.
      for (const { memory, rowSecurity: security } of compared) if (security) expect(security.shown).to.be.at.most(memory)
    } finally {
      if (secured) await script(db, down)
      if (secured && ++tried % 100 === 0) await tidy(db, 'thing')
    }
  })
  await fc.assert(law, { numRuns: runs, ...(seed === undefined ? {} : { seed }) })
}
