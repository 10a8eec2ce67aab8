import type { Kysely } from 'kysely'
import { type Row, TRUE } from '../../condition/index.js'
import { type Key, type Model, typeModel } from '../../rulebook/index.js'
import { type Dialect, type Layout, readLayout } from '../../sql/index.js'
import type { Records } from './memory.js'
import { overKysely } from './over-kysely.js'

/** Which records to read, and how. */
export interface SnapshotOptions {
  /** The record types. Default: all. */
  readonly types?: readonly string[]
  /** Default: read from the database. */
  readonly layout?: Layout
  /** The number of records in one query. Default: 10,000. */
  readonly batch?: number
  /** Called with the progress. */
  readonly progress?: (type: string, done: number, all: number) => void
}

/**
 * Reads the records of a database at one moment, in one read-only transaction, so that matrices and expectations can use them in memory.
 * @example
 * const matrix = accessMatrix(book, 'plot', { people, records: await snapshot(book, db, postgres) })
 * @throws LayoutError where a table or column is not there, RowError where a row does not fit its record type
 */
export async function snapshot(
  book: { readonly model: Model },
  db: Kysely<any>,
  dialect: Dialect,
  { types = Object.keys(book.model.types), layout, batch = 10_000, progress }: SnapshotOptions = {},
): Promise<Records> {
  const begun = db.transaction()
  const apart = dialect.transactions.lock === undefined ? begun : begun.setIsolationLevel('repeatable read').setAccessMode('read only')
  return apart.execute(async (trx) => {
    const tables = overKysely(trx, dialect, { layout: layout ?? (await readLayout(trx, dialect, book)) })(book.model)
    const now = Date.now()
    const records: Record<string, Row[]> = {}
    for (const name of types) {
      const { keys } = typeModel(book.model, name)
      const sort = keys.map((field) => ({ field, descending: false }))
      const all = await tables.count(name, { where: TRUE, now })
      const rows: Row[] = []
      for (;;) {
        const after = rows.length === 0 ? {} : { after: keys.map((key) => rows.at(-1)?.[key] as Key) }
        const page = await tables.select(name, { where: TRUE, now, sort, limit: batch, ...after })
        for (const { row } of page) rows.push(row)
        progress?.(name, rows.length, all)
        if (page.length < batch) break
      }
      records[name] = rows
    }
    return records
  })
}
