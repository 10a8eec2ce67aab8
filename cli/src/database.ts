import { existsSync, readFileSync } from 'node:fs'
import { resolve } from 'node:path'
import type { Kysely } from 'kysely'
import type { Dialect } from 'pachter/internal/sql'
import { UsageError } from './errors.js'

/** An open database. */
export interface OpenDatabase {
  readonly db: Kysely<any>
  readonly dialect: Dialect
}

const EXAMPLES = 'postgres://user@host/database, mysql://user@host/database, or sqlite:file'

/**
 * Opens a database by its URL for reading only, and closes it when the work is done.
 * @throws UsageError if the URL is not valid, the driver is not installed, or the database cannot be reached.
 */
export async function withDatabase<T>(url: string, work: (database: OpenDatabase) => Promise<T>): Promise<T> {
  const [, scheme] = /^([a-z][a-z\d+]*):/i.exec(url) ?? []
  const opened = await open(scheme?.toLowerCase(), url)
  try {
    return await work(opened)
  } catch (error) {
    const code = (error as { code?: unknown } | null)?.code
    if (typeof code === 'string' && UNREACHED.test(code))
      throw new UsageError(`${shownUrl(url)} cannot be reached: ${(error as Error).message || code}`)
    throw error
  } finally {
    await opened.db.destroy()
  }
}

// Error codes of drivers and the system: refused, unknown host, timed out; wrong password or database (SQLSTATE 28 and 3D, and MariaDB's
// own).
const UNREACHED = /^(ECONNREFUSED|ENOTFOUND|ETIMEDOUT|EHOSTUNREACH|ECONNRESET|28\w{3}|3D000|ER_ACCESS_DENIED_ERROR|ER_BAD_DB_ERROR)$/

/** The URL without its password. */
export function shownUrl(url: string): string {
  return url.replace(/:[^:@/]*@/, '@')
}

async function open(scheme: string | undefined, url: string): Promise<OpenDatabase> {
  const { Kysely, MysqlDialect, PostgresDialect } = await needed('kysely', () => import('kysely'))
  const { mariadb, postgres, sqlite, sqlJsDialect } = await import('pachter/sql')
  switch (scheme) {
    case 'postgres':
    case 'postgresql': {
      const { default: pg } = await needed('pg', () => import('pg'))
      // JIT compilation takes longer than these queries.
      const pool = new pg.Pool({ connectionString: url, max: 1, options: '-c default_transaction_read_only=on -c jit=off' })
      // Losing an idle connection must not end the process.
      pool.on('error', () => undefined)
      return { db: new Kysely<any>({ dialect: new PostgresDialect({ pool }) }), dialect: postgres }
    }
    case 'mysql':
    case 'mariadb': {
      const { createPool } = await needed('mysql2', () => import('mysql2'))
      const pool = createPool({ uri: url.replace(/^mariadb:/i, 'mysql:'), connectionLimit: 1 })
      pool.on('connection', (connection) => connection.query('set session transaction read only'))
      return { db: new Kysely<any>({ dialect: new MysqlDialect({ pool }) }), dialect: mariadb }
    }
    case 'sqlite': {
      const file = resolve(url.slice('sqlite:'.length).replace(/^\/\//, ''))
      if (!existsSync(file)) throw new UsageError(`the file ${file} does not exist`)
      const { default: initSqlJs } = await needed('sql.js', () => import('sql.js'))
      const SQL = await initSqlJs()
      // A copy in memory: the file stays unchanged.
      return { db: new Kysely<any>({ dialect: sqlJsDialect(new SQL.Database(readFileSync(file))) }), dialect: sqlite }
    }
    default:
      throw new UsageError(`${JSON.stringify(shownUrl(url))} is not the URL of a database. Use ${EXAMPLES}.`)
  }
}

async function needed<T>(name: string, load: () => Promise<T>): Promise<T> {
  try {
    return await load()
  } catch (error) {
    if ((error as { code?: unknown }).code === 'ERR_MODULE_NOT_FOUND')
      throw new UsageError(`this needs the package ${name}: npm install ${name}`)
    throw error
  }
}
