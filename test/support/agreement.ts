// Whether conditions have the same answers in a database as in memory.
import { expect } from 'chai'
import fc from 'fast-check'
import { type Kysely, sql } from 'kysely'
import { type ConditionNode, linkedRecords, newCourse, predicate, type Row, simplify } from 'pachter/condition'
import { compile, type Dialect, mariadb, postgres } from 'pachter/sql'
import { claims, condition, everyKind, record } from './conditions.js'
import type { Engine } from './engines.js'

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
  const env = { me: who, now: NOW, links: linksOf(rows), course: newCourse() }
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
  const db = await engine.open(everyKind, careless(engine))
  const same = fc.asyncProperty(...cases, async (nodes, me, unkeyed) => {
    const rows = keyed(unkeyed).map((row) => holdable(engine, row))
    await fill(db, engine.dialect, rows)
    const specials = nodes.map((node) => simplify(node, me))
    const answers = await ask(db, engine.dialect, specials)
    for (const [at, special] of specials.entries()) expect(answers[at], JSON.stringify(special)).to.deep.equal(held(rows, special, null))
  })
  await fc.assert(same, { numRuns: runs, ...(seed === undefined ? {} : { seed }) })
}

/** Columns that ignore letter case by themselves, where that is easily had: rules compare exactly all the same. */
function careless({ dialect }: Engine): Dialect {
  const careless = (type: string) => type.replace(/^text$/, 'text collate nocase').replace('utf8mb4_nopad_bin', 'utf8mb4_general_ci')
  return { ...dialect, columnType: (field, holdsKeys) => careless(dialect.columnType(field, holdsKeys)) }
}

/** A row as the engine can hold it: PostgreSQL has no NUL in a text, MariaDB no infinity. */
function holdable({ dialect }: Engine, row: Row): Row {
  if (dialect === postgres) return mapped(row, (value) => (typeof value === 'string' ? value.replaceAll('\0', '') : value))
  if (dialect === mariadb) return mapped(row, (value) => (Math.abs(value as number) === Number.POSITIVE_INFINITY ? null : value))
  return row
}

function mapped<T>(value: T, map: (value: unknown) => unknown): T {
  if (Array.isArray(value)) return value.map((one) => mapped(one, map)) as T
  if (typeof value !== 'object' || value === null || value instanceof Date) return map(value) as T
  return Object.fromEntries(Object.entries(value).map(([name, inner]) => [name, mapped(inner, map)])) as T
}

async function fill(db: Kysely<any>, dialect: Dialect, rows: readonly Row[]): Promise<void> {
  await db.deleteFrom('thing').execute()
  const encoded = rows.map((row) =>
    Object.fromEntries(Object.entries(fields).map(([name, field]) => [name, dialect.encode(field, row[name])])),
  )
  await db.insertInto('thing').values(encoded).execute()
}

/** The keys that each condition selects: all of them by one query. */
async function ask(db: Kysely<any>, dialect: Dialect, nodes: readonly ConditionNode[]): Promise<unknown[][]> {
  const found = await db
    .selectFrom('thing')
    .select('id')
    .select(
      nodes.map((node, at) =>
        sql<number>`case when ${compile(node, { dialect, now: NOW, table: 'thing' })} then 1 else 0 end`.as(`c${at}`),
      ),
    )
    .orderBy('id')
    .execute()
  return nodes.map((_, at) => found.filter((row) => (row as Row)[`c${at}`] === 1).map(({ id }) => id))
}
