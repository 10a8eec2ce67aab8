import { type Kysely, type RawBuilder, type SqlBool, sql } from 'kysely'
import type { Comparable, ConditionNode, Row, Scalar } from '../condition/index.js'
import { type Field, type Key, keysAreGiven, type Model, RulebookError, type TypeModel, typeModel } from '../rulebook/index.js'
import { compile, type Dialect, type Fragment, REMOVED_KEYS } from '../sql/index.js'
import { BusyError, ConstraintError, DuplicateKeyError, RowError } from './errors.js'
import type { Backend, Found, Isolation, Selection, Tables, Target } from './tables.js'

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

/** How often a transaction is run that others stand in the way of. */
const MOST_TRIES = 8

/** Half of the milliseconds that the first try waits for a lock; each further one waits twice as long. */
const SHORTEST_WAIT = 25

/** An error, and what it was caused by. */
function causesOf(error: unknown): unknown[] {
  return error instanceof Error && error.cause !== undefined ? [error, ...causesOf(error.cause)] : [error]
}

/** How the answers to conditions are named, beside the columns of a record. */
const FLAG = 'pachter_flag_'

// Kysely reads dots and the word "as" in a name as something else.
const COLUMN = /^[A-Za-z_$][\w$]*$/

class KyselyTables implements Tables {
  readonly #db: Kysely<any>
  readonly #dialect: Dialect
  readonly #model: Model

  /** In a transaction: how long to wait for a lock on what rules rely on, until that was said to the database. */
  #patience: number | undefined

  constructor(db: Kysely<any>, dialect: Dialect, model: Model, patience?: number) {
    this.#db = db
    this.#dialect = dialect
    this.#model = model
    this.#patience = patience
  }

  async select(type: string, { where, now, sort = [], limit, after, flags = [], lock }: Selection): Promise<Found[]> {
    const model = typeModel(this.#model, type)
    const asked = (condition: ConditionNode) => this.#compiled(condition, now, type)
    let query = this.#db
      .selectFrom(type)
      .select(Object.entries(model.fields).map(([name, field]) => this.#given(sql.ref(`${type}.${name}`), field).as(name)))
      .select(flags.map((flag, at) => sql<number>`case when ${asked(flag)} then 1 else 0 end`.as(FLAG + at)))
      .where(asked(where))
    const order = sort.map(({ field, descending, visible }) => {
      const column = this.#dialect.ordered(sql.ref(`${type}.${field}`), model.fields[field] as Field)
      const value = visible === undefined ? column : sql`case when ${asked(visible)} then ${column} end`
      return { value, descending, type: (model.fields[field] as Field).type as Scalar }
    })
    for (const { value, descending } of order) query = query.orderBy(sql`${value} is null`).orderBy(value, descending ? 'desc' : 'asc')
    if (after !== undefined) query = query.where(this.#comesAfter(order, after))
    if (limit !== undefined) query = query.limit(limit)
    const locked = lock && this.#db.isTransaction ? this.#dialect.lock?.(lock) : undefined
    if (locked !== undefined) query = query.modifyEnd(locked)
    // Whoever waits for what a rule relies on may hold a record that somebody else's rule relies on.
    if (lock === 'share') await this.#waitNoLonger()
    return (await query.execute()).map((row: Row) => ({ row: this.#decode(model, row), flags: flags.map((_, at) => row[FLAG + at] === 1) }))
  }

  async #waitNoLonger(): Promise<void> {
    const waiting = this.#patience === undefined ? undefined : this.#dialect.waitForLocks?.(this.#patience)
    this.#patience = undefined
    if (waiting !== undefined) await sql`${waiting}`.execute(this.#db)
  }

  /** A value as `decode` reads it. */
  #given(column: Fragment, field: Field): RawBuilder<unknown> {
    return sql`${this.#dialect.selected?.(column, field) ?? column}`
  }

  /** Later in the order: at the first step at which it differs. Missing values come last. */
  #comesAfter(
    order: readonly { readonly value: Fragment; readonly descending: boolean; readonly type: Scalar }[],
    after: readonly (Comparable | null)[],
  ): RawBuilder<SqlBool> {
    const ways: Fragment[] = []
    const same: Fragment[] = []
    for (const [at, { value, descending, type }] of order.entries()) {
      const place = after[at] ?? null
      if (place === null) {
        same.push(sql`${value} is null`)
        continue
      }
      const known = this.#dialect.value(place, type)
      ways.push(sql`(${sql.join([...same, sql`(${value} ${sql.raw(descending ? '<' : '>')} ${known} or ${value} is null)`], sql` and `)})`)
      same.push(sql`${value} = ${known}`)
    }
    return ways.length === 0 ? sql<SqlBool>`1 = 0` : sql<SqlBool>`(${sql.join(ways, sql` or `)})`
  }

  async count(type: string, { where, now }: Pick<Selection, 'where' | 'now'>): Promise<number> {
    const query = this.#db
      .selectFrom(type)
      .select(sql<number>`count(*)`.as('count'))
      .where(this.#compiled(where, now, type))
    return Number((await query.executeTakeFirst())?.count)
  }

  async countBy(
    type: string,
    name: string,
    { where, now }: Pick<Selection, 'where' | 'now'>,
  ): Promise<{ value: unknown; count: number }[]> {
    const field = typeModel(this.#model, type).fields[name] as Field
    const column = this.#dialect.ordered(sql.ref(`${type}.${name}`), field)
    const query = this.#db
      .selectFrom(type)
      .select([this.#given(column, field).as('value'), sql<number>`count(*)`.as('count')])
      .where(this.#compiled(where, now, type))
      .groupBy(column)
      .orderBy(sql`${column} is null`)
      .orderBy(column)
    return (await query.execute()).map(({ value, count }) => ({
      value: this.#dialect.decode(field, value) ?? undefined,
      count: Number(count),
    }))
  }

  async test(conditions: readonly ConditionNode[], now: number): Promise<boolean[]> {
    if (conditions.length === 0) return []
    const answers = conditions.map((condition, at) =>
      sql<number>`case when ${this.#compiled(condition, now)} then 1 else 0 end`.as(FLAG + at),
    )
    const [row] = await this.#db.selectNoFrom(answers).execute()
    return conditions.map((_, at) => (row as Row | undefined)?.[FLAG + at] === 1)
  }

  #compiled(condition: ConditionNode, now: number, table?: string): RawBuilder<SqlBool> {
    return compile(condition, { dialect: this.#dialect, now, ...(table === undefined ? {} : { table }) })
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
    const model = typeModel(this.#model, type)
    const query = this.#db.deleteFrom(type).where(this.#matches(model, target))
    const count = Number((await this.#within(type, () => query.executeTakeFirst())).numDeletedRows)
    if (count > 0 && keysAreGiven(model) && !(await this.wasRemoved(type, target.key)))
      await this.#db
        .insertInto(REMOVED_KEYS)
        .values({ type, key: String(target.key) })
        .execute()
    return count
  }

  async wasRemoved(type: string, key: Key): Promise<boolean> {
    const text = this.#dialect.value(String(key), 'text')
    const known = sql<SqlBool>`${sql.ref('type')} = ${type} and ${this.#dialect.sameText(sql.ref('key'), text)}`
    return (await this.#db.selectFrom(REMOVED_KEYS).select('key').where(known).execute()).length > 0
  }

  async transaction<T>(work: (tables: Tables) => Promise<T>, { serializable = false }: Isolation = {}): Promise<T> {
    if (this.#db.isTransaction) return work(this)
    const { lock, isConflict = () => false } = this.#dialect
    for (let tries = 1; ; tries++) {
      try {
        const begun = this.#db.transaction()
        // Where there are locks, each statement has to see what was committed while it waited for them.
        const apart = lock === undefined ? begun : begun.setIsolationLevel(serializable ? 'serializable' : 'read committed')
        return await apart.execute((trx) => work(new KyselyTables(trx, this.#dialect, this.#model, SHORTEST_WAIT * 2 ** tries)))
      } catch (error) {
        const cause = causesOf(error).find(isConflict)
        if (cause === undefined) throw error
        if (tries === MOST_TRIES) throw new BusyError(cause)
        await new Promise((resolve) => setTimeout(resolve, Math.random() * 5 * 2 ** tries))
      }
    }
  }

  async #within<T>(type: string, write: () => Promise<T>): Promise<T> {
    try {
      return await write()
    } catch (error) {
      throw this.#dialect.isConstraintFailure(error) ? new ConstraintError(type, error) : error
    }
  }

  #matches(model: TypeModel, { key, where, now }: Target): RawBuilder<SqlBool> {
    return sql<SqlBool>`${sql.ref(`${model.name}.${model.key}`)} = ${key} and ${this.#compiled(where, now, model.name)}`
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
