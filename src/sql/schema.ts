import { type Kysely, type SchemaModule, sql } from 'kysely'
import { keysAreGiven, type Model, serverKey } from '../rulebook/index.js'
import type { Dialect } from './dialect.js'
import { LayoutError, layoutOf } from './layout.js'
import type { ColumnPlace, Layout, TablePlace } from './places.js'

/**
 * Creates a table for each record type of a rulebook, with a column for each field, and a table of deleted keys if clients may choose keys.
 * For tests, demos and embedded databases; applications usually have their own migrations. With a layout, names come from it; its schemas
 * must exist.
 * @throws LayoutError for a record type with fields that the database sets: their defaults are not known here.
 */
export async function createTables(
  db: Kysely<any>,
  book: { readonly model: Model },
  dialect: Dialect,
  layout: Layout = layoutOf(book),
): Promise<void> {
  for (const type of Object.values(book.model.types)) {
    if (type.generated !== undefined)
      throw new LayoutError(
        type.name,
        `${type.generated.join(', ')}: createTables does not know how the database sets these fields. Create this table by a migration.`,
      )
    const { schema, name: called, columns } = layout.tables[type.name] as TablePlace
    let table = inSchema(db, schema).createTable(called)
    for (const [name, field] of Object.entries(type.fields)) {
      const place = columns[name] as ColumnPlace
      const held = dialect.catalog.columnType(field, type.ids.includes(name), place.as)
      table = table.addColumn(place.name, sql.raw(held), (column) => {
        if (name === serverKey(type)) return column.primaryKey().notNull()
        return field.optional ? column : column.notNull()
      })
    }
    if (serverKey(type) === undefined)
      table = table.addPrimaryKeyConstraint(`${called}_pk`, type.keys.map((name) => (columns[name] as ColumnPlace).name) as never)
    await table.execute()
  }
  if (!Object.values(book.model.types).some(keysAreGiven)) return
  const text = sql.raw(dialect.catalog.columnType({ type: 'text' }, true))
  const { schema, name } = layout.removedKeys
  await inSchema(db, schema)
    .createTable(name)
    .addColumn('type', text, (column) => column.notNull())
    .addColumn('key', text, (column) => column.notNull())
    .addPrimaryKeyConstraint(`${name}_pk`, ['type', 'key'])
    .execute()
}

function inSchema(db: Kysely<any>, schema: string | undefined): SchemaModule {
  return schema === undefined ? db.schema : db.withSchema(schema).schema
}
