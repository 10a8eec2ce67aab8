import { type Kysely, type RawBuilder, sql } from 'kysely'
import type { Row } from '../condition/index.js'
import { type Field, type Model, RulebookError, type TypeModel, typeModel } from '../rulebook/index.js'
import { compile, type Dialect } from '../sql/index.js'
import { ConstraintError, DuplicateKeyError, RowError } from './errors.js'
import type { Backend, Selection, Tables, Target } from './tables.js'

/**
 * Keeps records in a database, through Kysely: a table for each record type, named as the type, and a column for each field.
 * Rules become part of each query.
 *
 * @example
 * import { overKysely } from 'pachter/kysely'
 * const store = openStore(book, overKysely(db, sqlite))
 */
export function overKysely(db: Kysely<any>, dialect: Dialect): Backend {
  return (model) => {
    for (const type of Object.values(model.types)) {
      const odd = Object.keys(type.fields).find((name) => !COLUMN.test(name))
      if (odd !== undefined) throw new RulebookError(`${type.name}.${odd}`, 'cannot name a column: use letters, digits, _ and $')
    }
    return new KyselyTables(db, dialect, model)
  }
}

// Kysely reads dots and the word "as" in a name as something else.
const COLUMN = /^[A-Za-z_$][\w$]*$/

class KyselyTables implements Tables {
  readonly #db: Kysely<any>
  readonly #dialect: Dialect
  readonly #model: Model

  constructor(db: Kysely<any>, dialect: Dialect, model: Model) {
    this.#db = db
    this.#dialect = dialect
    this.#model = model
  }

  async select(type: string, { where, now, sort = [], limit }: Selection): Promise<Row[]> {
    const model = typeModel(this.#model, type)
    let query = this.#db
      .selectFrom(type)
      .select(Object.keys(model.fields))
      .where(compile(where, { dialect: this.#dialect, now }))
    for (const { field, descending, visible } of sort) {
      const column = this.#dialect.ordered(sql.ref(field), model.fields[field] as Field)
      const shown = visible === undefined ? column : sql`case when ${compile(visible, { dialect: this.#dialect, now })} then ${column} end`
      query = query.orderBy(sql`${shown} is null`).orderBy(shown, descending ? 'desc' : 'asc')
    }
    if (limit !== undefined) query = query.limit(limit)
    return (await query.execute()).map((row) => this.#decode(model, row as Row))
  }

  async insert(type: string, row: Row): Promise<void> {
    const model = typeModel(this.#model, type)
    const key = row[model.key] as string | number
    // Asked beforehand, in the same transaction: what a driver calls a violated key differs from driver to driver.
    const [there] = await this.#db.selectFrom(type).select(model.key).where(model.key, '=', key).execute()
    if (there !== undefined) throw new DuplicateKeyError(type, key)
    await this.#within(type, () => this.#db.insertInto(type).values(this.#encode(model, row)).execute())
  }

  async update(type: string, changes: Row, target: Target): Promise<number> {
    const model = typeModel(this.#model, type)
    const query = this.#db.updateTable(type).set(this.#encode(model, changes)).where(this.#matches(model, target))
    const result = await this.#within(type, () => query.executeTakeFirst())
    return Number(result.numUpdatedRows)
  }

  async remove(type: string, target: Target): Promise<number> {
    const query = this.#db.deleteFrom(type).where(this.#matches(typeModel(this.#model, type), target))
    const result = await this.#within(type, () => query.executeTakeFirst())
    return Number(result.numDeletedRows)
  }

  transaction<T>(work: (tables: Tables) => Promise<T>): Promise<T> {
    if (this.#db.isTransaction) return work(this)
    return this.#db.transaction().execute((trx) => work(new KyselyTables(trx, this.#dialect, this.#model)))
  }

  async #within<T>(type: string, write: () => Promise<T>): Promise<T> {
    try {
      return await write()
    } catch (error) {
      throw this.#dialect.isConstraintFailure(error) ? new ConstraintError(type, error) : error
    }
  }

  #matches(model: TypeModel, { key, where, now }: Target): RawBuilder<boolean> {
    return sql<boolean>`${sql.ref(model.key)} = ${key} and ${compile(where, { dialect: this.#dialect, now })}`
  }

  #encode(model: TypeModel, row: Row): Record<string, unknown> {
    return Object.fromEntries(Object.entries(row).map(([name, value]) => [name, this.#dialect.encode(model.fields[name] as Field, value)]))
  }

  #decode(model: TypeModel, row: Row): Row {
    const record: Record<string, unknown> = {}
    for (const [name, field] of Object.entries(model.fields)) {
      try {
        const value = this.#dialect.decode(field, row[name])
        if (value !== undefined) record[name] = value
      } catch (cause) {
        throw new RowError(model.name, name, cause instanceof Error ? cause.message : String(cause))
      }
    }
    return record
  }
}
