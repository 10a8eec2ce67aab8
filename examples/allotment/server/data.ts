// The records of Marsh Lane: the demo data, in SQLite within this process or in a PostgreSQL that you name.
import { Kysely, PostgresDialect, sql } from 'kysely'
import { overKysely } from 'pachter/kysely'
import { createTables, postgres, sqlite, sqlJsDialect } from 'pachter/sql'
import { openStore } from 'pachter/store'
import pg from 'pg'
import initSqlJs from 'sql.js'
import { recordsOf, today } from '../../world/open.js'
import { book } from '../../world/rulebook.js'

/** Where the example keeps its tables in PostgreSQL, apart from everything else there. */
const SCHEMA = 'marsh_lane'
const DAY = 24 * 60 * 60 * 1000

export type Data = Awaited<ReturnType<typeof openData>>

/** Opens the records, filled with the demo data where there are none yet. */
export async function openData(url?: string) {
  const { db, dialect } = url === undefined ? await inMemory() : await inPostgres(url)
  const store = openStore(book, overKysely(db, dialect))
  const tables = await db.introspection.getTables()
  if (!tables.some(({ name, schema }) => name === 'plot' && (url === undefined || schema === SCHEMA))) {
    await createTables(db, book, dialect)
    const system = store.asSystem('fill the example')
    for (const type of Object.keys(book.model.types))
      for (const record of movedToToday(type)) await system.create(type as 'plot', record as never)
  }
  return { store, dialect: dialect.name, close: () => db.destroy() }
}

async function inMemory() {
  const { Database } = await initSqlJs()
  return { db: new Kysely<any>({ dialect: sqlJsDialect(new Database()) }), dialect: sqlite }
}

async function inPostgres(url: string) {
  if (!/^postgres(ql)?:\/\//.test(url)) throw new Error(`--db needs postgres://user@host/database, not ${url}`)
  const pool = new pg.Pool({ connectionString: url, options: `-c search_path=${SCHEMA}` })
  // A connection that is lost while nobody uses it is no reason to end: the next call makes another.
  pool.on('error', () => undefined)
  const db = new Kysely<any>({ dialect: new PostgresDialect({ pool }) })
  await sql`create schema if not exists ${sql.ref(SCHEMA)}`.execute(db)
  return { db, dialect: postgres }
}

/** The demo data is written for a fixed day. Here it is moved by whole days to today. */
function movedToToday(type: string) {
  const days = Math.floor((Date.now() - today.getTime()) / DAY)
  const fields = Object.entries(book.model.types[type as 'plot']?.fields ?? {})
  const times = fields.filter(([, field]) => field.type === 'time').map(([name]) => name)
  return recordsOf(type as 'plot').map((record) => {
    const moved: Record<string, unknown> = { ...record }
    for (const name of times)
      if (typeof moved[name] === 'string') moved[name] = new Date(Date.parse(moved[name]) + days * DAY).toISOString()
    return moved as typeof record
  })
}
