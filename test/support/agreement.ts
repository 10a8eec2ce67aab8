// Whether conditions have the same answers in a database as in memory.
import { expect } from 'chai'
import fc from 'fast-check'
import { type Kysely, sql } from 'kysely'
import { type ConditionNode, linkedRecords, newContext, predicate, type Row, simplify } from 'pachter/condition'
import type { Catalog, TablePlace } from 'pachter/internal/sql'
import { compile, type Dialect, type Layout, layoutOf, mariadb, postgres, readLayout } from 'pachter/sql'
import { claims, condition, everyKind, record } from './conditions.js'
import type { Engine } from './engines.js'
import { addMicroseconds, OWN_NAMES, ownDialect, ownLayout, prepareOwn, withUuids } from './own-schema.js'

/** The instant of every question. */
export const NOW = 1_700_000_000_000
/** As many conditions are asked of the same records at once. */
export const AT_ONCE = 20

const fields = everyKind.model.types.thing?.fields ?? {}
/** Conditions, claims, and records without their keys. */
export const cases = [
  fc.array(condition, { minLength: AT_ONCE, maxLength: AT_ONCE }),
  claims,
  fc.array(record, { minLength: 1, maxLength: 6 }),
] as const

/** Those of the rows on which a condition holds, by the one evaluator. */
export function held(rows: readonly Row[], node: ConditionNode, who: Row | null): unknown[] {
  const test = predicate(node)
  const env = { me: who, now: NOW, links: linksOf(rows), context: newContext() }
  return rows.filter((row) => test(row, env)).map(({ id }) => id)
}

/** Finds linked records among the rows. */
export function linksOf(rows: readonly Row[]) {
  return linkedRecords(
    () => rows,
    () => expect.fail(),
  )
}

/** The records, each with a key. */
export function keyed(unkeyed: readonly object[]): Row[] {
  return unkeyed.map((row, at) => ({ ...row, id: `t-${at}` }))
}

/** Asks a database `runs` times for the answers to random conditions. @throws where they are not those in memory, with the shrunk case. */
export async function agrees(engine: Engine, runs: number, seed?: number): Promise<void> {
  const db = await engine.open(everyKind, { dialect: careless(engine) })
  const same = fc.asyncProperty(...cases, async (nodes, me, unkeyed) => {
    const rows = keyed(unkeyed).map((row) => holdable(engine, row))
    await isSame(db, engine.dialect, { nodes, me, rows }, layoutOf(everyKind))
  })
  await fc.assert(same, { numRuns: runs, ...(seed === undefined ? {} : { seed }) })
}

/** Asks a database these conditions of these records, which have keys. @throws where the answers are not those in memory */
export async function agreesOn(engine: Engine, nodes: readonly ConditionNode[], rows: readonly Row[]): Promise<void> {
  const db = await engine.open(everyKind, { dialect: careless(engine) })
  const held = rows.map((row) => holdable(engine, row))
  // A query has so many columns at most.
  for (let from = 0; from < nodes.length; from += 300)
    await isSame(db, engine.dialect, { nodes: nodes.slice(from, from + 300), me: null, rows: held }, layoutOf(everyKind))
}

/** The same over tables as an application may have them. */
export async function agreesInOwnSchema(engine: Engine, runs: number, seed?: number): Promise<void> {
  const { dialect } = engine
  const db = await engine.open(everyKind, {
    dialect: ownDialect(dialect),
    layout: ownLayout(dialect),
    before: (db) => prepareOwn(db, dialect),
  })
  const layout = await readLayout(db, dialect, everyKind, OWN_NAMES)
  const same = fc.asyncProperty(...cases, async (nodes, me, unkeyed) => {
    const rows = keyed(unkeyed).map((row) => withUuids(holdable(engine, row), dialect))
    const asked = { nodes: withUuids(nodes, dialect), me: withUuids(me, dialect), rows }
    await isSame(db, dialect, asked, layout, () => addMicroseconds(db, dialect))
  })
  await fc.assert(same, { numRuns: runs, ...(seed === undefined ? {} : { seed }) })
}

/** Columns that ignore letter case by themselves, where that is easily had: rules compare exactly all the same. */
function careless({ dialect }: Engine): Dialect {
  const careless = (type: string) => type.replace(/^text$/, 'text collate nocase').replace('utf8mb4_nopad_bin', 'utf8mb4_general_ci')
  const columnType: Catalog['columnType'] = (field, holdsKeys, as) => careless(dialect.catalog.columnType(field, holdsKeys, as))
  return { ...dialect, catalog: { ...dialect.catalog, columnType } }
}

/** A row as the engine can hold it: PostgreSQL has no NUL in a text, MariaDB no infinity. */
export function holdable({ dialect }: Engine, row: Row): Row {
  if (dialect === postgres) return mapped(row, (value) => (typeof value === 'string' ? value.replaceAll('\0', '') : value))
  if (dialect === mariadb) return mapped(row, (value) => (Math.abs(value as number) === Number.POSITIVE_INFINITY ? null : value))
  return row
}

function mapped<T>(value: T, map: (value: unknown) => unknown): T {
  if (Array.isArray(value)) return value.map((one) => mapped(one, map)) as T
  if (typeof value !== 'object' || value === null || value instanceof Date) return map(value) as T
  return Object.fromEntries(Object.entries(value).map(([name, inner]) => [name, mapped(inner, map)])) as T
}

/** Puts the records into the table in place of those that are there. */
export async function fill(
  db: Kysely<any>,
  dialect: Dialect,
  rows: readonly Row[],
  layout: Layout,
  filled?: () => Promise<void>,
): Promise<void> {
  const { name, columns } = layout.tables.thing as TablePlace
  await db.deleteFrom(name).execute()
  const encoded = rows.map((row) =>
    Object.fromEntries(
      Object.entries(fields).map(([field, model]) => [columns[field]?.name, dialect.codec.encode(model, row[field], columns[field]?.as)]),
    ),
  )
  await db.insertInto(name).values(encoded).execute()
  await filled?.()
}

async function isSame(
  db: Kysely<any>,
  dialect: Dialect,
  { nodes, me, rows }: { readonly nodes: readonly ConditionNode[]; readonly me: Row | null; readonly rows: readonly Row[] },
  layout: Layout,
  filled?: () => Promise<void>,
): Promise<void> {
  const { name, columns } = layout.tables.thing as TablePlace
  await fill(db, dialect, rows, layout, filled)
  const specials = nodes.map((node) => simplify(node, me))
  // All conditions by one query.
  const found = await db
    .selectFrom(name)
    .select(sql<string>`${dialect.expressions.column({ ref: sql.ref('id'), ...columns.id }, [], 'id')}`.as('id'))
    .select(
      specials.map((node, at) =>
        sql<number>`case when ${compile(node, { dialect, now: NOW, table: name, type: 'thing', layout })} then 1 else 0 end`.as(`c${at}`),
      ),
    )
    .orderBy('id')
    .execute()
  for (const [at, special] of specials.entries()) {
    const answer = found.filter((row) => (row as Row)[`c${at}`] === 1).map(({ id }) => id)
    expect(answer, `${JSON.stringify(special)}\nof ${JSON.stringify(rows)}\n`).to.deep.equal(held(rows, special, null))
  }
}
