import { Kysely } from 'kysely'
import { sqlJsDialect } from 'pachter/sql'
import initSqlJs from 'sql.js'

const SQL = await initSqlJs()

/** A fresh SQLite database in memory. */
export function openSqlite(): Kysely<any> {
  return new Kysely<any>({ dialect: sqlJsDialect(new SQL.Database()) })
}
