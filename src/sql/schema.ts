import { type Kysely, sql } from 'kysely'
import { keysAreGiven, type Model } from '../rulebook/index.js'
import type { Dialect } from './dialect.js'

/**
 * The table of the keys that were removed, by record type: `type` and `key`, both text. It is needed where a clause lets
 * clients give keys, so that they cannot use one again that other records may still speak of.
 */
export const REMOVED_KEYS = 'pachter_removed_key'

/**
 * Creates a table for each record type of a rulebook, named as the type, with a column for each field; and where clients may
 * give keys, one for those that were removed.
 * For tests, demonstrations and embedded databases; an application's own migrations usually do this.
 */
export async function createTables(db: Kysely<any>, book: { readonly model: Model }, dialect: Dialect): Promise<void> {
  for (const type of Object.values(book.model.types)) {
    let table = db.schema.createTable(type.name)
    for (const [name, field] of Object.entries(type.fields)) {
      table = table.addColumn(name, sql.raw(dialect.columnType(field, type.ids.includes(name))) as never, (column) => {
        if (name === type.key) return column.primaryKey().notNull()
        return field.optional ? column : column.notNull()
      })
    }
    await table.execute()
  }
  if (!Object.values(book.model.types).some(keysAreGiven)) return
  const text = sql.raw(dialect.columnType({ type: 'text' }, true)) as never
  await db.schema
    .createTable(REMOVED_KEYS)
    .addColumn('type', text, (column) => column.notNull())
    .addColumn('key', text, (column) => column.notNull())
    .addPrimaryKeyConstraint(`${REMOVED_KEYS}_pk`, ['type', 'key'])
    .execute()
}
