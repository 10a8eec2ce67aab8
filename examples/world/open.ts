// Opens the demo world: its records in SQLite, in memory, behind the rulebook.
import { readFileSync } from 'node:fs'
import { Kysely } from 'kysely'
import { overKysely } from 'pachter/kysely'
import { createTables, sqlite, sqlJsDialect } from 'pachter/sql'
import { openStore } from 'pachter/store'
import initSqlJs from 'sql.js'
import config from './pachter.config.js'
import { book } from './rulebook.js'

/** The day of the demo. */
export const today = config.now as Date

/** The records of a type from the data folder. */
export function recordsOf(type: keyof typeof book.model.types): { id: string }[] {
  return JSON.parse(readFileSync(new URL(`./data/${type}.json`, import.meta.url), 'utf8'))
}

/** A store over a fresh copy of the data. */
export async function openWorld() {
  const SQL = await initSqlJs()
  const db = new Kysely<any>({ dialect: sqlJsDialect(new SQL.Database()) })
  await createTables(db, book, sqlite)
  const store = openStore(book, overKysely(db, sqlite), { now: today })
  const system = store.asSystem('fill the demo world')
  for (const type of Object.keys(book.model.types)) {
    for (const record of recordsOf(type)) await system.create(type as 'plot', record as never)
  }
  return { store, db }
}
