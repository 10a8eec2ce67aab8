import { type AliasedExpression, type Kysely, type RawBuilder, type SqlBool, sql } from 'kysely'
import type { ConditionNode, Row } from '../../condition/index.js'
import { type Field, type Key, keysAreGiven, type Model, RulebookError, typeModel } from '../../rulebook/index.js'
import {
  type CompileOptions,
  compile,
  type Dialect,
  type Fragment,
  Known,
  type Layout,
  type LayoutOptions,
  readLayout,
  type TablePlace,
} from '../../sql/index.js'
import { ConstraintError, DuplicateKeyError, IsolationError } from '../errors.js'
import type { Backend, Found, Isolation, PlaceValue, Selection, Tables, Target } from '../tables.js'
import { isPlain, type Make, Plans, type Values } from './plans.js'
import { inTransaction } from './retries.js'
import { SortOrder } from './sorted.js'
import { columnOf, decodeRow, encodeRow, isKey, type Placed, placed, tableOf } from './tables-placed.js'

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
    for (const type of Object.values(model.types)) {
      const odd = Object.keys(type.fields).find((name) => !COLUMN.test(name))
      if (odd !== undefined) throw new RulebookError(`${type.name}.${odd}`, 'cannot name a column: use letters, digits, _ and $')
    }
    let known: Promise<Layout> | undefined = layout && Promise.resolve(layout)
    const read = () => {
      known ??= readLayout(db, dialect, { model }, options).catch((error: unknown) => {
        // Not cached after a failure: the table may be created in the meantime.
        known = undefined
        throw error
      })
      return known
    }
    return new KyselyTables(db, dialect, model, read, new Plans())
  }
}

/** The names of flags, next to the columns of a record. */
const FLAG = 'pachter_flag_'

/** The name of an expression that is selected for its effect. */
const PATIENCE = 'pachter_patience'

// Kysely interprets dots and the word "as" in names.
const COLUMN = /^[A-Za-z_$][\w$]*$/

/** The columns of each table, which are the same in every query. */
const written = new WeakMap<TablePlace, readonly AliasedExpression<unknown, string>[]>()

class KyselyTables implements Tables {
  readonly #db: Kysely<any>
  readonly #dialect: Dialect
  readonly #model: Model
  readonly #layout: () => Promise<Layout>
  readonly #plans: Plans

  /** Whether this transaction was begun here, with the isolation that rules need. */
  readonly #isOwn: boolean

  /** Inside a transaction: the lock timeout, until it has been set in the database. */
  #patience: number | undefined

  constructor(
    db: Kysely<any>,
    dialect: Dialect,
    model: Model,
    layout: () => Promise<Layout>,
    plans: Plans,
    begun?: { readonly patience: number },
  ) {
    this.#plans = plans
    this.#db = db
    this.#dialect = dialect
    this.#model = model
    this.#layout = layout
    this.#patience = begun?.patience
    this.#isOwn = begun !== undefined
  }

  async select(type: string, selection: Selection): Promise<Found[]> {
    const { sort = [], limit, after } = selection
    const model = typeModel(this.#model, type)
    const place = placed(await this.#layout(), model)
    const order = SortOrder.of(this.#dialect.ordering, place, sort, after)
    // With a limit, an index can serve the records that have a value. Without one, all are sorted anyway.
    const parts = limit === undefined ? undefined : order.split()
    if (parts === undefined) return this.#fetch(place, selection, order)
    const found = new Map<unknown, Found>()
    for (const part of parts) {
      const left = (limit as number) - found.size
      if (left <= 0) break
      const some = await this.#fetch(place, { ...selection, limit: left }, part)
      // A record whose value was removed in between would come twice.
      for (const one of some) if (!found.has(one.row[model.key])) found.set(one.row[model.key], one)
    }
    return [...found.values()]
  }

  async #fetch(place: Placed, selection: Selection, order: SortOrder): Promise<Found[]> {
    const { where, now, single, limit, after = [], flags = [], places, lock } = selection
    const locked = lock && this.#db.isTransaction ? this.#dialect.transactions.lock?.(lock) : undefined
    // A transaction that holds locks must not wait long for others.
    const patience = locked && this.#patience
    const waiting = patience === undefined ? undefined : this.#dialect.transactions.waitForLocks?.(patience)
    const form = ['select', place.model.name, order.form, single, limit, flags.length, places, locked && lock, waiting && patience].join(
      ' ',
    )
    const found = await this.#rows(form, [where, ...flags, ...order.conditions], now, after, (values) => {
      const write = (condition: ConditionNode) => this.#compiled(condition, now, place, undefined, values)
      let query = this.#db
        .selectFrom(place.table)
        .select(this.#columns(place))
        .select(flags.map((flag, at) => sql<number>`case when ${write(flag)} then 1 else 0 end`.as(FLAG + at)))
        .where(this.#compiled(where, now, place, single ? 'row' : 'rows', values))
      for (const test of [order.where(write), order.after(write, (at) => values.place(at))]) if (test) query = query.where(test)
      if (places) query = query.select([...order.places(write)])
      for (const part of order.parts(write)) query = query.orderBy(part)
      if (limit !== undefined) query = query.limit(limit)
      if (locked !== undefined) query = query.modifyEnd(locked)
      if (waiting !== undefined) query = query.select(sql`${waiting}`.as(PATIENCE))
      return query
    })
    if (waiting !== undefined && found.length > 0) this.#patience = undefined
    return found.map((row) => ({
      row: decodeRow(this.#dialect, place.model, row),
      flags: flags.map((_, at) => row[FLAG + at] === 1),
      ...(places ? { place: order.placeOf(row) } : {}),
    }))
  }

  /** Runs a query, whose statement is kept for other calls of the same form. */
  async #rows(form: string, conditions: readonly ConditionNode[], now: number, after: readonly PlaceValue[], make: Make): Promise<Row[]> {
    return (await this.#plans.run(this.#db, { form, conditions, now, after, make })).rows
  }

  /** A value in the form that `decode` reads. */
  #given(value: Fragment, field: Field): RawBuilder<unknown> {
    return sql`${this.#dialect.codec.selected?.(value, field) ?? value}`
  }

  /** The value of a column; JSON columns are selected as they are. */
  #value({ model, place }: Placed, name: string): Fragment {
    const column = columnOf(place, name)
    const { type, list } = model.fields[name] as Field
    if (list) return this.#dialect.expressions.column(column, [], 'list')
    return type === 'other' || type === 'group' ? column.ref : this.#dialect.expressions.column(column, [], type)
  }

  async count(type: string, { where, now }: Pick<Selection, 'where' | 'now'>): Promise<number> {
    const place = placed(await this.#layout(), typeModel(this.#model, type))
    const [row] = await this.#rows(`count ${type}`, [where], now, [], (values) =>
      this.#db
        .selectFrom(place.table)
        .select(sql<number>`count(*)`.as('count'))
        .where(this.#compiled(where, now, place, 'rows', values)),
    )
    return Number(row?.count)
  }

  async countBy(
    type: string,
    name: string,
    { where, now }: Pick<Selection, 'where' | 'now'>,
  ): Promise<{ value: unknown; count: number }[]> {
    const place = placed(await this.#layout(), typeModel(this.#model, type))
    const field = place.model.fields[name] as Field
    const { by, value } = this.#dialect.expressions.grouped(this.#value(place, name), field)
    const rows = await this.#rows(`count ${type} ${name}`, [where], now, [], (values) =>
      this.#db
        .selectFrom(place.table)
        .select([this.#given(value, field).as('value'), sql<number>`count(*)`.as('count')])
        .where(this.#compiled(where, now, place, 'rows', values))
        .groupBy(by)
        .orderBy(sql`${by} is null`)
        .orderBy(by),
    )
    return rows.map(({ value, count }) => ({
      value: this.#dialect.codec.decode(field, value) ?? undefined,
      count: Number(count),
    }))
  }

  async test(conditions: readonly ConditionNode[], now: number): Promise<boolean[]> {
    if (conditions.length === 0) return []
    const layout = await this.#layout()
    const [row] = await this.#rows('test', conditions, now, [], (values) =>
      this.#db.selectNoFrom(
        conditions.map((condition, at) => {
          const asked = compile(condition, { dialect: this.#dialect, now, layout, type: '', values })
          return sql<number>`case when ${asked} then 1 else 0 end`.as(FLAG + at)
        }),
      ),
    )
    return conditions.map((_, at) => row?.[FLAG + at] === 1)
  }

  #compiled(
    condition: ConditionNode,
    now: number,
    { model, place, layout }: Placed,
    finds?: CompileOptions['finds'],
    values?: Values,
  ): RawBuilder<SqlBool> {
    const options = { dialect: this.#dialect, now, layout, type: model.name, table: place.name, ...(values ? { values } : {}) }
    return compile(condition, finds === undefined ? options : { ...options, finds, key: model.key })
  }

  async insert(type: string, row: Row): Promise<Row> {
    const model = typeModel(this.#model, type)
    const place = placed(await this.#layout(), model)
    const key = row[model.key] as Key
    // Checked in advance in the same transaction, because drivers report duplicate keys differently.
    const found = await this.#rows(`has ${type}`, [isKey(model, key)], 0, [], (values) =>
      this.#db
        .selectFrom(place.table)
        .select(sql`1`.as('found'))
        .where(this.#compiled(isKey(model, key), 0, place, undefined, values)),
    )
    if (found.length > 0) throw new DuplicateKeyError(type, key)
    const query = this.#db.insertInto(place.table).values(encodeRow(this.#dialect, place, row))
    if (!this.#dialect.transactions.returns) await this.#within(type, () => query.execute())
    return this.#kept(
      place,
      key,
      this.#dialect.transactions.returns && (await this.#within(type, () => query.returning(this.#columns(place)).execute())),
    )
  }

  async update(type: string, changes: Row, target: Target): Promise<Row | undefined> {
    const place = placed(await this.#layout(), typeModel(this.#model, type))
    const { returns } = this.#dialect.transactions
    const given = Object.entries(encodeRow(this.#dialect, place, changes))
    const tests = [isKey(place.model, target.key), target.where]
    const form = `update ${type} ${given.map(([column]) => column).join()}`
    const make = (values?: Values) => {
      const set = given.map(([column, value], at) => [column, values && value !== null ? sql`${values.place(at).parameter()}` : value])
      const query = this.#db
        .updateTable(place.table)
        .set(Object.fromEntries(set))
        .where(this.#matches(place, target, values))
      return returns ? query.returning(this.#columns(place)) : query
    }
    const places = given.map(([, value]) => value as PlaceValue)
    const { rows, numAffectedRows } = await this.#within(type, () =>
      places.every(isPlain)
        ? this.#plans.run(this.#db, { form, conditions: tests, now: target.now, after: places, make })
        : this.#db.executeQuery<Row>(make().compile()),
    )
    if (returns) return rows.length === 0 ? undefined : this.#kept(place, target.key, rows)
    return Number(numAffectedRows) === 0 ? undefined : this.#kept(place, target.key)
  }

  /** The stored form of a written record: returned by the statement, or read now. */
  async #kept(place: Placed, key: Key, given?: readonly Row[] | false): Promise<Row> {
    const { model } = place
    const is = isKey(model, key)
    const read = (values: Values) =>
      this.#db
        .selectFrom(place.table)
        .select(this.#columns(place))
        .where(this.#compiled(is, 0, place, undefined, values))
    const rows = given || (await this.#rows(`kept ${model.name}`, [is], 0, [], read))
    const [row] = rows
    if (row === undefined || rows.length > 1) throw new Error(`the ${model.name} that was just written cannot be found`)
    return decodeRow(this.#dialect, model, row)
  }

  /** The columns of a record, in the form that `decode` reads. */
  #columns(place: Placed): readonly AliasedExpression<unknown, string>[] {
    const there = written.get(place.place)
    if (there !== undefined) return there
    const columns = Object.entries(place.model.fields).map(([name, field]) => this.#given(this.#value(place, name), field).as(name))
    written.set(place.place, columns)
    return columns
  }

  async remove(type: string, target: Target): Promise<number> {
    const model = typeModel(this.#model, type)
    const layout = await this.#layout()
    const place = placed(layout, model)
    const query = this.#db.deleteFrom(place.table).where(this.#matches(place, target))
    const count = Number((await this.#within(type, () => query.executeTakeFirst())).numDeletedRows)
    if (count > 0 && keysAreGiven(model) && !(await this.wasRemoved(type, target.key)))
      await this.#db
        .insertInto(tableOf(layout.removedKeys))
        .values({ type, key: String(target.key) })
        .execute()
    return count
  }

  async wasRemoved(type: string, key: Key): Promise<boolean> {
    const text = this.#dialect.expressions.value(Known.constant(String(key)), 'text')
    const known = sql<SqlBool>`${sql.ref('type')} = ${type} and ${this.#dialect.expressions.sameText(sql.ref('key'), text)}`
    const { removedKeys } = await this.#layout()
    return (await this.#db.selectFrom(tableOf(removedKeys)).select('key').where(known).execute()).length > 0
  }

  async transaction<T>(work: (tables: Tables) => Promise<T>, { serializable = false }: Isolation = {}): Promise<T> {
    if (this.#db.isTransaction) {
      if (serializable && !this.#isOwn) await this.#checkSerializable()
      return work(this)
    }
    // Before the transaction begins, because there may be only one connection.
    await this.#layout()
    return inTransaction(this.#db, this.#dialect.transactions, serializable, (trx, patience) =>
      work(new KyselyTables(trx, this.#dialect, this.#model, this.#layout, this.#plans, { patience })),
    )
  }

  /** If rules depend on absence, the application's own transaction needs the same isolation as ours. */
  async #checkSerializable(): Promise<void> {
    const { lock, isSerializable } = this.#dialect.transactions
    // Without locks, transactions run one after the other.
    if (lock === undefined) return
    const found = isSerializable && (await sql<{ is: boolean }>`select ${isSerializable} as ${sql.ref('is')}`.execute(this.#db))
    if (found?.rows[0]?.is !== true) throw new IsolationError(isSerializable !== undefined)
  }

  async #within<T>(type: string, write: () => Promise<T>): Promise<T> {
    try {
      return await write()
    } catch (error) {
      throw this.#dialect.transactions.isConstraintFailure(error) ? new ConstraintError(type, error) : error
    }
  }

  #matches(place: Placed, { key, where, now }: Target, values?: Values): RawBuilder<SqlBool> {
    const is = this.#compiled(isKey(place.model, key), now, place, undefined, values)
    return sql<SqlBool>`${is} and ${this.#compiled(where, now, place, 'row', values)}`
  }
}
