import { type Kysely, type RawBuilder, type SqlBool, sql } from 'kysely'
import { type ConditionNode, type Row, TRUE } from '../../condition/index.js'
import { type Field, type Key, keyOf, keyPlaces, keysAreGiven, type Model, typeModel } from '../../rulebook/index.js'
import { type CompileOptions, compile, type Dialect, Known, type Layout, type LayoutOptions, readLayout } from '../../sql/index.js'
import { ConstraintError, DuplicateKeyError } from '../errors.js'
import { queriesOn } from '../queries/own-queries.js'
import type { Asking, Backend, Found, Isolation, PlaceValue, Selection, Tables, Target } from '../tables.js'
import { dbOf, NOT_BEGUN, OwnTransactionError } from './own-transactions.js'
import { type Call, isPlain, type Make, Plans, type Values } from './plans.js'
import { checkSerializable, inTransaction } from './retries.js'
import { atSavepoint } from './savepoints.js'
import { SortOrder } from './sorted.js'
import {
  checkColumnNames,
  columnsOf,
  decodeRow,
  encodeRow,
  keyTest,
  type Placed,
  placed,
  selectable,
  selected,
  tableOf,
} from './tables-placed.js'

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
    return new KyselyTables(db, dialect, model, read, new Plans())
  }
}

/** The names of flags, next to the columns of a record. */
const FLAG = 'pachter_flag_'

/** The name of an expression that is selected for its effect. */
const PATIENCE = 'pachter_patience'

class KyselyTables implements Tables {
  readonly #db: Kysely<any>
  readonly #dialect: Dialect
  readonly #model: Model
  readonly #readLayout: (db: Kysely<any>) => Promise<Layout>
  readonly #plans: Plans

  /** Who began the transaction that this is in: we, with the isolation that rules need, or the application. Undefined outside of one. */
  readonly #begunBy: 'us' | 'application' | undefined

  /** Inside a transaction: the lock timeout, until it has been set in the database. */
  #patience: number | undefined

  constructor(
    db: Kysely<any>,
    dialect: Dialect,
    model: Model,
    layout: (db: Kysely<any>) => Promise<Layout>,
    plans: Plans,
    begun?: { readonly by: 'us' | 'application'; readonly patience?: number },
  ) {
    this.#plans = plans
    this.#db = db
    this.#dialect = dialect
    this.#model = model
    this.#readLayout = layout
    this.#patience = begun?.patience
    this.#begunBy = begun?.by ?? (db.isTransaction ? 'application' : undefined)
  }

  #layout(): Promise<Layout> {
    return this.#readLayout(this.#db)
  }

  get connection(): Kysely<any> | undefined {
    return this.#begunBy === undefined ? undefined : this.#db
  }

  /** With several connections. A database without locks has one. */
  get answersAtOnce(): boolean {
    return this.#begunBy === undefined && this.#dialect.transactions.lock !== undefined
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
      for (const one of some) if (!found.has(keyOf(model, one.row))) found.set(keyOf(model, one.row), one)
    }
    return [...found.values()]
  }

  async #fetch(place: Placed, selection: Selection, order: SortOrder): Promise<Found[]> {
    const { where, now, key, limit, after = [], flags = [], places, lock } = selection
    const locked = lock && this.#begunBy !== undefined ? this.#dialect.transactions.lock?.(lock) : undefined
    // A transaction that holds locks must not wait long for others.
    const patience = locked && this.#patience
    const waiting = patience === undefined ? undefined : this.#dialect.transactions.waitForLocks?.(patience)
    const named = key === undefined ? undefined : keyTest(place.model, key)
    const options = [order.form, limit, flags.length, places, locked && lock, waiting && patience]
    const form = `select ${place.model.name} ${options.join(' ')}`
    const call = { form, conditions: [where, ...flags, ...order.conditions], now, after, key: named?.literals }
    const found = await this.#rows(call, (values) => {
      const write = (condition: ConditionNode) => this.#compiled(condition, now, place, undefined, values)
      let query = this.#db
        .selectFrom(place.table)
        .select(columnsOf(this.#dialect, place))
        .select(flags.map((flag, at) => sql<number>`case when ${write(flag)} then 1 else 0 end`.as(FLAG + at)))
        .where(this.#compiled(where, now, place, named ? 'row' : 'rows', values))
      if (named) query = query.where(this.#compiled(named.is, now, place, undefined, values))
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
  async #rows(call: Omit<Call, 'make'>, make: Make): Promise<Row[]> {
    return (await this.#plans.run(this.#db, { ...call, make })).rows
  }

  async count(type: string, { where, now }: Pick<Selection, 'where' | 'now'>): Promise<number> {
    const place = placed(await this.#layout(), typeModel(this.#model, type))
    const [row] = await this.#rows({ form: `count ${type}`, conditions: [where], now }, (values) =>
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
    const { by, value } = this.#dialect.expressions.grouped(selectable(this.#dialect, place, name), field)
    const rows = await this.#rows({ form: `count ${type} ${name}`, conditions: [where], now }, (values) =>
      this.#db
        .selectFrom(place.table)
        .select([selected(this.#dialect, value, field).as('value'), sql<number>`count(*)`.as('count')])
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
    const [row] = await this.#rows({ form: 'test', conditions, now }, (values) =>
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
    return compile(condition, finds === undefined ? options : { ...options, finds, key: keyPlaces(model) })
  }

  async insert(type: string, row: Row): Promise<Row> {
    const model = typeModel(this.#model, type)
    const place = placed(await this.#layout(), model)
    // The database makes up the key, or a part of it.
    const isKeyless = model.keys.some((name) => row[name] === undefined)
    const key = isKeyless ? undefined : keyOf(model, row)
    // Asked in advance in the same transaction, because drivers report duplicate keys differently.
    if (key !== undefined && (await this.#byKey('has', place, key)).length > 0) throw new DuplicateKeyError(type, key)
    const returns = this.#dialect.transactions.returns || model.generated !== undefined
    const { form, given, places } = this.#written(place, row)
    const make = (values?: Values) => {
      const query = this.#db.insertInto(place.table).values(Object.fromEntries(given(values)))
      return returns ? query.returning(columnsOf(this.#dialect, place)) : query
    }
    const call = { form: `insert ${type} ${form}`, conditions: [TRUE], now: 0, after: places, make }
    const { rows } = await this.#within(type, () =>
      places.every(isPlain) ? this.#plans.run(this.#db, call) : this.#db.executeQuery<Row>(make().compile()),
    )
    return this.#kept(place, key, returns && rows)
  }

  /** What a statement writes. `given` has slots for the values of a call. */
  #written(place: Placed, row: Row) {
    const columns = Object.entries(encodeRow(this.#dialect, place, row))
    const given = (values?: Values) =>
      columns.map(([name, value], at) => [name, values && value !== null ? sql`${values.place(at).parameter()}` : value] as const)
    return { form: columns.map(([name]) => name).join(), given, places: columns.map(([, value]) => value as PlaceValue) }
  }

  async update(type: string, changes: Row, target: Target): Promise<Row | undefined> {
    const place = placed(await this.#layout(), typeModel(this.#model, type))
    const { returns } = this.#dialect.transactions
    const { form, given, places } = this.#written(place, changes)
    const { is, literals } = keyTest(place.model, target.key)
    const make = (values?: Values) => {
      const query = this.#db
        .updateTable(place.table)
        .set(Object.fromEntries(given(values)))
        .where(this.#matches(place, is, target, values))
      return returns ? query.returning(columnsOf(this.#dialect, place)) : query
    }
    const call = { form: `update ${type} ${form}`, conditions: [target.where], now: target.now, after: places, key: literals, make }
    const { rows, numAffectedRows } = await this.#within(type, () =>
      places.every(isPlain) ? this.#plans.run(this.#db, call) : this.#db.executeQuery<Row>(make().compile()),
    )
    if (returns) return rows.length === 0 ? undefined : this.#kept(place, target.key, rows)
    return Number(numAffectedRows) === 0 ? undefined : this.#kept(place, target.key)
  }

  /** The stored form of a written record: returned by the statement, or read now. */
  async #kept(place: Placed, key: Key | undefined, given?: readonly Row[] | false): Promise<Row> {
    const { model } = place
    const rows = given || (await this.#byKey('kept', place, key as Key))
    const [row] = rows
    if (row === undefined || rows.length > 1) throw new Error(`the ${model.name} that was just written cannot be found`)
    return decodeRow(this.#dialect, model, row)
  }

  /** The stored record with this key, or only that there is one. */
  #byKey(form: 'kept' | 'has', place: Placed, key: Key): Promise<Row[]> {
    const { is, literals } = keyTest(place.model, key)
    const columns = form === 'has' ? [sql`1`.as('found')] : columnsOf(this.#dialect, place)
    return this.#rows({ form: `${form} ${place.model.name}`, conditions: [TRUE], now: 0, key: literals }, (values) =>
      this.#db
        .selectFrom(place.table)
        .select(columns)
        .where(this.#compiled(is, 0, place, undefined, values)),
    )
  }

  async remove(type: string, target: Target): Promise<number> {
    const model = typeModel(this.#model, type)
    const layout = await this.#layout()
    const place = placed(layout, model)
    const query = this.#db.deleteFrom(place.table).where(this.#matches(place, keyTest(model, target.key).is, target))
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
    if (this.#begunBy === 'us') return work(this)
    if (this.#begunBy === 'application') {
      if ((await this.#dialect.transactions.isOpen?.(this.#db)) === false) throw new OwnTransactionError(NOT_BEGUN)
      if (serializable) await checkSerializable(this.#db, this.#dialect, await this.#layout())
      return atSavepoint(this.#db, () => work(this.#inside(this.#db, { by: 'us' })))
    }
    // Before the transaction begins, because there may be only one connection.
    await this.#layout()
    return inTransaction(this.#db, this.#dialect.transactions, serializable, (trx, patience) =>
      work(this.#inside(trx, { by: 'us', patience })),
    )
  }

  async queries(asking: Asking, options: unknown): Promise<object> {
    return queriesOn(this.#db, this.#dialect, await this.#layout(), this.#begunBy !== undefined, asking, options)
  }

  within(transaction: unknown): Tables {
    return this.#inside(dbOf(transaction), { by: 'application' })
  }

  #inside(db: Kysely<any>, begun: { readonly by: 'us' | 'application'; readonly patience?: number }): KyselyTables {
    return new KyselyTables(db, this.#dialect, this.#model, this.#readLayout, this.#plans, begun)
  }

  async #within<T>(type: string, write: () => Promise<T>): Promise<T> {
    try {
      return await write()
    } catch (error) {
      throw this.#dialect.transactions.isConstraintFailure(error) ? new ConstraintError(type, error) : error
    }
  }

  #matches(place: Placed, is: ConditionNode, { where, now }: Target, values?: Values): RawBuilder<SqlBool> {
    return sql<SqlBool>`${this.#compiled(is, now, place, undefined, values)} and ${this.#compiled(where, now, place, 'row', values)}`
  }
}
