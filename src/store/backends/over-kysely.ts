import type { Kysely } from 'kysely'
import { type Dialect, type Layout, type LayoutOptions, readLayout } from '../../sql/index.js'
import type { Backend } from '../tables.js'
import { Breadth } from './breadth.js'
import { KyselyTables } from './kysely.js'
import { Plans } from './plans.js'
import { checkColumnNames } from './tables-placed.js'

/** Where the records are kept. */
export interface KyselyOptions extends LayoutOptions {
  /** What `layoutOf` or `readLayout` gave. Default: the database is asked before the first call, and the other options name what is named otherwise. */
  readonly layout?: Layout
}

/**
 * Stores records in a database through Kysely: one table for each record type, one column for each field. Before its first call it reads
 * the columns and their types from the database. Rules become part of each query.
 * @throws LayoutError at the first call, where a table or column is not there or cannot hold the field.
 * @example
 * import { overKysely } from 'pachter/kysely'
 * const store = openStore(book, overKysely(db, postgres, { names: 'snake_case' }))
 */
export function overKysely(db: Kysely<any>, dialect: Dialect, { layout, ...options }: KyselyOptions = {}): Backend {
  return (model) => {
    checkColumnNames(model)
    let known: Promise<Layout> | undefined = layout && Promise.resolve(layout)
    // Inside a transaction of the application's own it is read there, because there may be no other connection.
    const read = (from: Kysely<any>) => {
      known ??= readLayout(from, dialect, { model }, options).catch((error: unknown) => {
        // Not cached after a failure: the table may be created in the meantime.
        known = undefined
        throw error
      })
      return known
    }
    return new KyselyTables(db, dialect, model, read, { plans: new Plans(), breadth: new Breadth(dialect) })
  }
}
