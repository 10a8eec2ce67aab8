// The databases that the tests run on: those within this process always, servers where the environment names them.
import { PGlite } from '@electric-sql/pglite'
import { Kysely, MysqlDialect, PostgresDialect, sql } from 'kysely'
import { createPool } from 'mysql2'
import { createTables, type Dialect, type Layout, mariadb, pgliteDialect, postgres, sqlite } from 'pachter/sql'
import pg from 'pg'
import { openSqlite } from './sqlite.js'

type Book = Parameters<typeof createTables>[1]

/** How tables are made, if not in the dialect's own way. */
export interface How {
  readonly dialect?: Dialect
  readonly layout?: Layout
  readonly before?: (db: Kysely<any>) => Promise<void>
}

/** A database to test on. */
export interface Engine {
  readonly name: string
  readonly dialect: Dialect
  /** A database with empty tables for the rulebook; whatever was opened before on this engine is gone. */
  open(book: Book, how?: How): Promise<Kysely<any>>
}

/** How to reach a server: a variable of the environment, with what it usually is. */
export const SERVERS = {
  PACHTER_TEST_POSTGRES: { name: 'PostgreSQL', usual: 'postgres://postgres@127.0.0.1:5432/test' },
  PACHTER_TEST_MARIADB: { name: 'MariaDB', usual: 'mysql://root@127.0.0.1:3306/test' },
} as const

const inProcess: Engine = {
  name: 'SQLite',
  dialect: sqlite,
  async open(book, { dialect = sqlite, layout, before } = {}) {
    const db = openSqlite()
    await before?.(db)
    await createTables(db, book, dialect, layout)
    return db
  },
}

/** Ways to end connections to servers, for the hook that runs after the tests of a file. What is opened afterwards begins anew. */
const closings: (() => Promise<void>)[] = []
Object.assign(globalThis, { pachterClosings: closings })

/** Keeps one database for all tests of this process, and gives it out empty. */
function reused(
  name: string,
  dialect: Dialect,
  connect: () => Promise<Kysely<any>>,
  reset: (db: Kysely<any>) => Promise<unknown>,
  isServer = true,
): Engine {
  let db: Promise<Kysely<any>> | undefined
  let last: { readonly book: Book; readonly how: How } | undefined
  if (isServer)
    closings.push(async () => {
      await (await db)?.destroy()
      db = undefined
      last = undefined
    })
  return {
    name,
    dialect,
    async open(book, how = {}) {
      db ??= connect()
      const opened = await db
      if (last?.book === book && last.how.dialect === how.dialect && JSON.stringify(last.how.layout) === JSON.stringify(how.layout)) {
        const tables = await tablesOf(opened, dialect)
        for (const { name: table } of tables) await opened.deleteFrom(table).execute()
      } else {
        await reset(opened)
        await how.before?.(opened)
        await createTables(opened, book, how.dialect ?? dialect, how.layout)
        last = { book, how }
      }
      return opened
    },
  }
}

/** The tables of this process. Others make and drop theirs meanwhile, over which a look at all of them would stumble. */
async function tablesOf(db: Kysely<any>, dialect: Dialect): Promise<readonly { readonly name: string }[]> {
  if (dialect !== postgres) return (await db.introspection.getTables()).filter(({ schema }) => schema === undefined || schema === SCHEMA)
  return (await sql<{ name: string }>`select tablename as name from pg_tables where schemaname = ${SCHEMA}`.execute(db)).rows
}

const SCHEMA = `pachter_test_${process.pid}`

async function freshSchema(db: Kysely<any>): Promise<void> {
  await sql`drop schema if exists ${sql.ref(SCHEMA)} cascade`.execute(db)
  await sql`create schema ${sql.ref(SCHEMA)}`.execute(db)
}

const embedded = reused(
  'PGlite',
  postgres,
  async () => {
    const database = await PGlite.create()
    await database.exec(`create schema ${SCHEMA}; set search_path to ${SCHEMA}; set timezone to 'Asia/Kathmandu'`)
    return new Kysely<any>({ dialect: pgliteDialect(database) })
  },
  freshSchema,
  false,
)

async function overPg(url: string): Promise<Kysely<any>> {
  // A time zone of its own: instants are the same everywhere.
  const options = `-c search_path=${SCHEMA} -c timezone=Asia/Kathmandu -c synchronous_commit=off -c jit=off`
  const pool = new pg.Pool({ connectionString: url, options, allowExitOnIdle: true, max: 8 })
  const db = new Kysely<any>({ dialect: new PostgresDialect({ pool }) })
  await dropLeftovers(db)
  return db
}

/** Earlier processes leave their schemas behind. */
async function dropLeftovers(db: Kysely<any>): Promise<void> {
  const { rows } = await sql<{ name: string }>`select nspname as name from pg_namespace where nspname like 'pachter\\_test\\_%'`.execute(db)
  for (const { name } of rows)
    if (!isRunning(Number(name.split('_').at(-1)))) await sql`drop schema if exists ${sql.ref(name)} cascade`.execute(db).catch(gone)
}

// Another process of these tests may be about the same.
const gone = () => undefined

function isRunning(pid: number): boolean {
  try {
    process.kill(pid, 0)
    return true
  } catch {
    return false
  }
}

async function overMysql2(uri: string): Promise<Kysely<any>> {
  const connect = (database: string) => {
    // The session's time zone is one of its own: instants are the same everywhere.
    const pool = createPool({ uri, database, connectionLimit: 8, idleTimeout: 500, maxIdle: 0 })
    pool.on('connection', (connection) => connection.query("set time_zone = '+05:45'"))
    return new Kysely<any>({ dialect: new MysqlDialect({ pool }) })
  }
  const any = connect('test')
  const { rows } = await sql<{
    name: string
  }>`select schema_name as name from information_schema.schemata where schema_name like 'pachter\\_test\\_%'`.execute(any)
  for (const { name } of rows)
    if (!isRunning(Number(name.split('_').at(-1)))) await sql`drop database if exists ${sql.ref(name)}`.execute(any).catch(gone)
  await sql`create database if not exists ${sql.ref(SCHEMA)}`.execute(any)
  await any.destroy()
  return connect(SCHEMA)
}

async function dropTables(db: Kysely<any>): Promise<void> {
  for (const { name } of await db.introspection.getTables()) await db.schema.dropTable(name).execute()
}

const { PACHTER_TEST_POSTGRES, PACHTER_TEST_MARIADB } = process.env
const servers = [
  ...(PACHTER_TEST_POSTGRES ? [reused('PostgreSQL', postgres, () => overPg(PACHTER_TEST_POSTGRES), freshSchema)] : []),
  ...(PACHTER_TEST_MARIADB ? [reused('MariaDB', mariadb, () => overMysql2(PACHTER_TEST_MARIADB), dropTables)] : []),
]

/** Every database that there is to test on. */
export const everyEngine: readonly Engine[] = [inProcess, embedded, ...servers]

/** PGlite is a PostgreSQL, and takes its time: where there is a server of that kind, it is tested in long runs only, as CI's is. */
export const IS_PGLITE_LEFT_OUT = Boolean(PACHTER_TEST_POSTGRES) && process.env.PACHTER_TEST_LONG === undefined

const named = process.env.PACHTER_TEST_ENGINES?.split(',')

/** The databases that this run tests on: those that are named, or all. */
export const engines = everyEngine.filter((engine) => named?.includes(engine.name) ?? (engine !== embedded || !IS_PGLITE_LEFT_OUT))
