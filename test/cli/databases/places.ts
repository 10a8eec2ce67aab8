// Databases to draft from, and folders to draft into.
import { spawnSync } from 'node:child_process'
import { mkdirSync, mkdtempSync, symlinkSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { Kysely, MysqlDialect, PostgresDialect, sql } from 'kysely'
import { createPool } from 'mysql2'
import { type Dialect, mariadb, postgres, sqlite, sqlJsDialect } from 'pachter/sql'
import pg from 'pg'
import initSqlJs from 'sql.js'
import { root } from '../../support/command.js'

export const folder = mkdtempSync(join(tmpdir(), 'pachter-init-'))
const SQL = await initSqlJs()

export interface Place {
  readonly url: string
  readonly db: Kysely<any>
  readonly dialect: Dialect
  /** Makes it readable by its URL, once it is filled. */
  finish(): void
}

export const named = (name: string) => `pachter_init_${process.pid}_${name.replaceAll(/\W/g, '_')}`

/** A new database of an engine. */
export const PLACES: { readonly [engine: string]: (name: string) => Promise<Place> } = {
  SQLite: async (name) => {
    const database = new SQL.Database()
    // Another file of tests in this process may have removed it.
    mkdirSync(folder, { recursive: true })
    const file = join(folder, `${named(name)}.sqlite`)
    return {
      url: `sqlite:${file}`,
      db: new Kysely<any>({ dialect: sqlJsDialect(database) }),
      dialect: sqlite,
      finish: () => writeFileSync(file, database.export()),
    }
  },
  ...(process.env.PACHTER_TEST_POSTGRES === undefined
    ? {}
    : {
        PostgreSQL: async (name: string) => {
          const url = new URL(process.env.PACHTER_TEST_POSTGRES as string)
          const admin = new pg.Client(url.href)
          await admin.connect()
          await admin.query(`drop database if exists ${named(name)}`)
          await admin.query(`create database ${named(name)}`)
          await admin.end()
          url.pathname = `/${named(name)}`
          const db = new Kysely<any>({ dialect: new PostgresDialect({ pool: new pg.Pool({ connectionString: url.href }) }) })
          return { url: url.href, db, dialect: postgres, finish: () => undefined }
        },
      }),
  ...(process.env.PACHTER_TEST_MARIADB === undefined
    ? {}
    : {
        MariaDB: async (name: string) => {
          const url = new URL(process.env.PACHTER_TEST_MARIADB as string)
          const admin = createPool({ uri: url.href, connectionLimit: 1 }).promise()
          await admin.query(`drop database if exists ${named(name)}`)
          await admin.query(`create database ${named(name)}`)
          await admin.end()
          url.pathname = `/${named(name)}`
          const db = new Kysely<any>({ dialect: new MysqlDialect({ pool: createPool({ uri: url.href, connectionLimit: 2 }) }) })
          return { url: url.href, db, dialect: mariadb, finish: () => undefined }
        },
      }),
}

export async function drop({ db, dialect }: Place, name: string): Promise<void> {
  if (dialect === mariadb) await sql`drop database ${sql.id(named(name))}`.execute(db)
  await db.destroy()
  if (dialect !== postgres) return
  const admin = new pg.Client(process.env.PACHTER_TEST_POSTGRES)
  await admin.connect()
  await admin.query(`drop database ${named(name)} with (force)`)
  await admin.end()
}

/** A folder in which the draft finds the packages that it imports. */
export function project(name: string): string {
  const at = join(folder, name)
  mkdirSync(join(at, 'node_modules'), { recursive: true })
  symlinkSync(root, join(at, 'node_modules/pachter'))
  for (const one of ['zod', 'pachter-cli']) symlinkSync(join(root, 'node_modules', one), join(at, 'node_modules', one))
  writeFileSync(join(at, 'package.json'), '{ "type": "module" }')
  return at
}

/** Whether projects compile, strictly: what the compiler complains of. */
export function complaintsOf(configurations: readonly string[]): string {
  const tsc = join(root, 'node_modules/typescript-7/bin/tsc')
  const options = '--ignoreConfig --noEmit --strict --module nodenext --target es2022 --skipLibCheck'.split(' ')
  const { stdout, status } = spawnSync(process.execPath, [tsc, ...options, ...configurations], { cwd: root, encoding: 'utf8' })
  return status === 0 ? '' : stdout
}
