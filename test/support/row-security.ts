// Whether row security shows the rows on which a condition holds.
import { expect } from 'chai'
import fc from 'fast-check'
import { type Kysely, sql } from 'kysely'
import type { ConditionNode, Row } from 'pachter/condition'
import { layoutOf, readLayout, rowSecurity } from 'pachter/sql'
import { AT_ONCE, cases, fill, held, holdable, keyed, NOW } from './agreement.js'
import { everyKind } from './conditions.js'
import type { Engine } from './engines.js'
import { addMicroseconds, OWN_NAMES, ownDialect, ownLayout, prepareOwn, withUuids } from './own-schema.js'

/** The schema that the tests make their tables in. */
export const TABLES = `pachter_test_${process.pid}`
export const ROLE = 'pachter_test_reports'
export const FUNCTIONS = `pachter_test_rules_${process.pid}`

/** Runs the statements of a script, on one connection. */
export async function script(db: Kysely<any>, text: string): Promise<void> {
  await db.connection().execute(async (connection) => {
    // Within the bodies of functions, no line begins so.
    for (const statement of text.split(/;\n(?=--|begin;|commit;|do |grant |revoke |create |alter |drop )/))
      await sql.raw(statement).execute(connection)
  })
}

/** Rows, policies and functions come and go here, and a server may leave what is gone lying until it has slowed everything down. */
export async function tidy(db: Kysely<any>, table: string): Promise<void> {
  await sql`vacuum ${sql.table(table)}, pg_proc, pg_policy, pg_depend, pg_shdepend, pg_attribute, pg_class, pg_namespace`.execute(db)
}

/** The role that is looked through: it may do nothing but what it is given. */
export async function makeRole(db: Kysely<any>): Promise<void> {
  const { rows } = await sql`select from pg_roles where rolname = ${ROLE}`.execute(db)
  if (rows.length === 0) await sql`create role ${sql.id(ROLE)}`.execute(db)
}

/** Does something as somebody whose claims are set, and takes it back. */
export async function seenAs<T>(db: Kysely<any>, me: unknown, now: number, work: (db: Kysely<any>) => Promise<T>): Promise<T> {
  let result: T | undefined
  const undo = new Error('undo')
  await db
    .transaction()
    .execute(async (trx) => {
      await sql`set local role ${sql.id(ROLE)}`.execute(trx)
      const claims = me === null ? '' : JSON.stringify(me)
      await sql`select set_config('pachter.me', ${claims}, true), set_config('pachter.now', ${new Date(now).toISOString()}, true)`.execute(
        trx,
      )
      result = await work(trx)
      throw undo
    })
    .catch((error: unknown) => {
      if (error !== undo) throw error
    })
  return result as T
}

/** A rulebook by which whoever fits the condition reads. */
export function readBy(node: ConditionNode) {
  const clause = { title: 'fits', when: node, who: node, provided: [] }
  const thing = everyKind.model.types.thing
  const none = { create: [], update: [], delete: [] }
  const rules = { gates: {}, vetoes: [], may: { read: [clause], ...none }, messages: {}, stamps: { create: {}, update: {} } }
  return { model: { ...everyKind.model, types: { thing: { ...thing, rules } } } } as never
}

// JSON holds no halves of surrogate pairs, and the database's none with NUL.
const UNHEARD = /\\u0000|\\ud[89a-f]/i

/** Asks a database for the answers to random conditions, by policies. @throws where they are not those in memory. */
export async function agreesInRowSecurity(engine: Engine, runs: number, seed?: number, own = false): Promise<void> {
  const { dialect } = engine
  const db = await engine.open(
    everyKind,
    own ? { dialect: ownDialect(dialect), layout: ownLayout(dialect), before: (one) => prepareOwn(one, dialect) } : {},
  )
  const layout = own ? await readLayout(db, dialect, everyKind, OWN_NAMES) : layoutOf(everyKind)
  const table = layout.tables.thing?.name as string
  await makeRole(db)
  const same = fc.asyncProperty(...cases, async (nodes, given, unkeyed) => {
    const me = own ? withUuids(given, dialect) : given
    fc.pre(!UNHEARD.test(JSON.stringify(me)))
    const rows = keyed(unkeyed).map((row) => (own ? withUuids(holdable(engine, row), dialect) : holdable(engine, row)))
    await fill(db, dialect, rows, layout, own ? () => addMicroseconds(db, dialect) : undefined)
    for (const one of nodes) {
      const node = own ? withUuids(one, dialect) : one
      const { up, down } = rowSecurity(readBy(node), { layout, schema: TABLES, role: ROLE, functions: FUNCTIONS })
      await script(db, up)
      try {
        const found = await seenAs(db, me, NOW, (trx) => trx.selectFrom(table).select('id').orderBy('id').execute()).catch(
          (error: unknown) => {
            // Nobody may read who could in no case: the role is given nothing then.
            if (/permission denied/.test(String(error))) return []
            throw error
          },
        )
        const heard = JSON.parse(JSON.stringify(me ?? null)) as Row | null
        expect(
          found.map(({ id }) => id),
          `${JSON.stringify(node)}\nfor ${JSON.stringify(me)}\nof ${JSON.stringify(rows)}\n`,
        ).to.deep.equal(held(rows, node, heard))
      } finally {
        await script(db, down)
      }
    }
  })
  await fc.assert(same, { numRuns: Math.ceil(runs / AT_ONCE), ...(seed === undefined ? {} : { seed }) })
}
