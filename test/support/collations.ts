// Tables in collations under which different texts are the same, as most databases have them by default: keys and texts that differ by
// letter case, accents, trailing blanks or width, with an index on every column.
import { expect } from 'chai'
import fc from 'fast-check'
import { type Kysely, sql } from 'kysely'
import { type ConditionNode, type Row, simplify } from 'pachter/condition'
import { allOfNode, anyOfNode, compareNode, type FieldNode, notNode, type Scalar, someNode } from 'pachter/internal/condition'
import type { Catalog } from 'pachter/internal/sql'
import { compile, type Dialect, type Layout, mariadb, postgres, readLayout } from 'pachter/sql'
import { AT_ONCE, cases, fill, held, holdable, keyed, NOW } from './agreement.js'
import { everyKind } from './conditions.js'
import type { Engine } from './engines.js'

/** Collations that applications have, by dialect; the first is what the database does of itself. */
const ON_MARIADB = [
  '',
  'collate utf8mb4_general_ci',
  'collate utf8mb4_unicode_520_ci',
  'collate uca1400_swedish_ai_ci',
  'collate utf8mb4_unicode_nopad_ci',
  'collate utf8mb4_bin',
]
const ON_POSTGRES = ['', 'collate "en-US-x-icu"', 'collate public.pachter_loose', 'collate public.pachter_base', 'collate "C"']

/** Texts that some collation takes for each other. */
const TEXTS = ['red', 'RED', 'Red', 'réd', 'red ', 'ｒｅｄ', 're\u0301d', 'blue', 'BLUE', 'blue ', 'ß', 'ss', '', ' ']
const KEYS = ['t-0', 'T-0', 't-0 ', 'ｔ-0', 't-1', 'T-1', 'ţ-1', 't-1 ', 't-2', 'T-2', 't-3', '', ' ']

/** How every column of text is declared, for one table. */
export function collated(dialect: Dialect, chosen: number): Dialect {
  const collations = dialect === mariadb ? ON_MARIADB : dialect === postgres ? ON_POSTGRES : ['collate nocase']
  const type = dialect === mariadb ? 'varchar(60)' : 'text'
  let at = chosen
  const catalog: Catalog = {
    ...dialect.catalog,
    columnType(field, holdsKeys, as) {
      if (field.list || field.type !== 'text') return dialect.catalog.columnType(field, holdsKeys, as)
      // A table has more than one of them sometimes: keys in another than names.
      const collation = collations[(chosen < collations.length ? chosen : at++) % collations.length] as string
      return `${type} ${dialect === mariadb && collation !== '' ? 'character set utf8mb4 ' : ''}${collation}`.trim()
    },
  }
  return { ...dialect, catalog }
}

/** As many ways there are to declare the columns of a table: each collation by itself, and mixtures. */
export function waysOf({ name, dialect }: Engine): number {
  // The embedded PostgreSQL has no ICU.
  if (name === 'PGlite') return 1
  return dialect === mariadb ? ON_MARIADB.length + 2 : dialect === postgres ? ON_POSTGRES.length + 2 : 1
}

/** What has to be there before the tables. */
export async function prepareCollations(db: Kysely<any>, engine: Engine): Promise<void> {
  if (engine.dialect !== postgres || engine.name === 'PGlite') return
  for (const [name, locale] of [
    ['pachter_loose', 'und-u-ks-level2'],
    ['pachter_base', 'und-u-ks-level1'],
  ])
    await sql`create collation if not exists public.${sql.id(name as string)} (provider = icu, locale = ${sql.lit(locale)}, deterministic = false)`.execute(
      db,
    )
}

/** An empty table whose columns are declared in one of the ways, and what the database says of it. */
export async function openCollated(engine: Engine, way: number): Promise<{ readonly db: Kysely<any>; readonly layout: Layout }> {
  const { dialect } = engine
  const db = await engine.open(everyKind, {
    dialect: collated(dialect, way),
    before: (one) => prepareCollations(one, engine),
  })
  for (const name of ['textA', 'textB', 'parent'])
    await sql`create index ${sql.id(`${name}_index`)} on thing (${sql.id(name)})`.execute(db).catch(() => undefined)
  return { db, layout: await readLayout(db, dialect, everyKind) }
}

/** The same with texts that are alike: in rows, claims and what conditions compare with. */
export function alike<T>(value: T): T {
  const text = (one: string, name: string) => {
    const hash = [...one].reduce((sum, letter) => (sum * 31 + (letter.codePointAt(0) as number)) % 9973, 7)
    if (name === 'id') return one
    const pool = name === 'parent' ? KEYS : TEXTS
    return pool[hash % pool.length] as string
  }
  return mapped(value, text) as T
}

function mapped(value: unknown, map: (text: string, name: string) => string, name = ''): unknown {
  if (typeof value === 'string') return map(value, name)
  if (Array.isArray(value)) return value.map((one) => mapped(one, map, name))
  if (typeof value !== 'object' || value === null || value instanceof Date) return value
  return Object.fromEntries(Object.entries(value).map(([key, inner]) => [key, mapped(inner, map, key)]))
}

/** A condition in which what is compared with is mapped; names of fields and kinds of nodes stay as they are. */
export function alikeNode(node: ConditionNode): ConditionNode {
  const walk = (part: unknown): unknown => {
    if (Array.isArray(part)) return part.map(walk)
    if (typeof part !== 'object' || part === null) return part
    const { kind, type, value } = part as { kind?: unknown; type?: unknown; value?: unknown }
    if (kind === 'literal') return type === 'text' || type === 'id' ? { ...part, value: alike(value) } : part
    return Object.fromEntries(Object.entries(part).map(([name, inner]) => [name, walk(inner)]))
  }
  return walk(node) as ConditionNode
}

const field = (of: FieldNode['of'], name: string, type: Scalar): FieldNode => ({ kind: 'field', of, path: [name], type, optional: true })
const text = fc.constantFrom('textA', 'textB', 'parent')
const kindOf = (name: string): Scalar => (name === 'parent' ? 'id' : 'text')

/** A link whose condition names a field of the record besides: nothing but a lookup for each row answers it. */
const correlated: fc.Arbitrary<ConditionNode> = fc
  .tuple(
    text,
    fc.constantFrom('textA', 'textB', 'id', 'parent'),
    fc.constantFrom('isAtMost', 'isAtLeast', 'none'),
    fc.constantFrom(...TEXTS),
  )
  .map(([from, to, by, known]) => {
    const compared = compareNode(
      field(1, 'integerA', 'integer'),
      by === 'none' ? 'isAtLeast' : (by as 'isAtMost'),
      field('record', 'integerB', 'integer'),
    )
    const own = compareNode(field(1, 'textB', 'text'), 'is', { kind: 'literal', type: 'text', value: known })
    const toType: Scalar = to === 'id' || to === 'parent' ? 'id' : 'text'
    return someNode(
      1,
      { kind: 'records', type: 'thing', by: [{ to: { path: [to], type: toType }, from: field('record', from, kindOf(from)) }] },
      by === 'none' ? own : anyOfNode([compared, own]),
    )
  })

const plain = fc
  .tuple(text, fc.constantFrom(...TEXTS))
  .map(([name, value]) => compareNode(field('record', name, kindOf(name)), 'is', { kind: 'literal', type: 'text', value }))

/** The shapes that rules have: an owner or a grant, and the complement of them. */
export const shapes = fc.oneof(
  fc.tuple(plain, correlated).map(anyOfNode),
  fc.tuple(correlated, correlated).map(anyOfNode),
  fc.tuple(plain, correlated, plain).map(([a, b, c]) => allOfNode([anyOfNode([a, b]), notNode(c)])),
  fc.tuple(plain, correlated).map(([a, b]) => allOfNode([notNode(a), notNode(b)])),
  fc.tuple(plain, correlated).map(([a, b]) => notNode(anyOfNode([a, b]))),
  correlated,
)

/** Whether conditions find the same rows in every collation, on each path that a query has. */
export async function agreesInCollations(engine: Engine, runs: number, seed?: number): Promise<void> {
  const { dialect } = engine
  const ways = waysOf(engine)
  for (let way = 0; way < ways; way++) {
    const { db, layout } = await openCollated(engine, way)
    const [conditions, claims, rows] = cases
    const same = fc.asyncProperty(
      conditions,
      fc.array(shapes, { minLength: AT_ONCE, maxLength: AT_ONCE }),
      claims,
      rows,
      async (nodes, shaped, me, unkeyed) => {
        const stored = keyed(unkeyed.map(alike)).map((row) => holdable(engine, row))
        await fill(db, dialect, stored, layout)
        const all = [...nodes.slice(0, AT_ONCE / 2).map(alikeNode), ...shaped.slice(0, AT_ONCE / 2)]
        for (const node of all) await findsSame(db, dialect, layout, simplify(node, alike(me)), stored)
      },
    )
    await fc.assert(same, { numRuns: Math.ceil(runs / ways), ...(seed === undefined ? {} : { seed: seed + way }) })
  }
}

async function findsSame(db: Kysely<any>, dialect: Dialect, layout: Layout, node: ConditionNode, rows: readonly Row[]): Promise<void> {
  const wanted = held(rows, node, null).sort()
  const about = { dialect, now: NOW, table: 'thing', type: 'thing', layout }
  const flagged = sql<number>`case when ${compile(node, about)} then 1 else 0 end`.as('flag')
  const answers = await db.selectFrom('thing').select(['id', flagged]).orderBy('id').execute()
  const say = (path: string) => `${path}: ${JSON.stringify(node)}\nof ${JSON.stringify(rows)}\n`
  expect(
    answers
      .filter(({ flag }) => flag === 1)
      .map(({ id }) => id)
      .sort(),
    say('as a flag'),
  ).to.deep.equal(wanted)
  for (const finds of ['rows', 'row'] as const) {
    const where = compile(node, { ...about, finds, key: [{ path: ['id'], type: 'id' }] })
    const found = await db.selectFrom('thing').select('id').where(where).execute()
    expect(found.map(({ id }) => id).sort(), say(`finding ${finds}`)).to.deep.equal(wanted)
  }
}
