import { writeFileSync } from 'node:fs'
import { Kysely } from 'kysely'
import { overKysely } from 'pachter/kysely'
import { createTables, sqlite, sqlJsDialect } from 'pachter/sql'
import { openStore } from 'pachter/store'
import initSqlJs from 'sql.js'
import { recordsOf, today } from '../../examples/world/open.js'
import { book as world } from '../../examples/world/rulebook.js'

const SQL = await initSqlJs()

/** A fresh SQLite database in memory. */
export function openSqlite(): Kysely<any> {
  return new Kysely<any>({ dialect: sqlJsDialect(new SQL.Database()) })
}

/** The demo world as a file of SQLite. */
export async function worldFile(file: string): Promise<string> {
  const database = new SQL.Database()
  const db = new Kysely<any>({ dialect: sqlJsDialect(database) })
  await createTables(db, world, sqlite)
  const system = openStore(world, overKysely(db, sqlite), { now: today }).asSystem('fill')
  for (const type of Object.keys(world.model.types) as 'plot'[])
    for (const record of recordsOf(type)) await system.create(type, record as never)
  writeFileSync(file, database.export())
  return file
}
