import { type Kysely, sql } from 'kysely'
import type { Model } from '../rulebook/index.js'
import type { Dialect } from './dialect.js'

/**
 * Creates a table for each record type of a rulebook, named as the type, with a column for each field.
 * For tests, demonstrations and embedded databases; an application's own migrations usually do this.
 */
export async function createTables(db: Kysely<any>, book: { readonly model: Model }, dialect: Dialect): Promise<void> {
  for (const type of Object.values(book.model.types)) {
    let table = db.schema.createTable(type.name)
    for (const [name, field] of Object.entries(type.fields)) {
      table = table.addColumn(name, sql.raw(dialect.columnType(field)) as never, (column) => {
        if (name === type.key) return column.primaryKey().notNull()
        return field.optional ? column : column.notNull()
      })
    }
    await table.execute()
  }
}
