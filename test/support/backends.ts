import type { Rulebook } from 'pachter'
import { overKysely } from 'pachter/kysely'
import { createTables, sqlite } from 'pachter/sql'
import { type Backend, inMemory } from 'pachter/store'
import { openSqlite } from './sqlite.js'

/** Every place where records can be kept, empty, by name: what holds in one has to hold in all. */
export function backends(book: Pick<Rulebook, 'model'>): Record<string, () => Promise<Backend>> {
  return {
    'in memory': async () => inMemory(),
    'in SQLite': async () => {
      const db = openSqlite()
      await createTables(db, book, sqlite)
      return overKysely(db, sqlite)
    },
  }
}
