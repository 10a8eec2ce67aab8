import { type Kysely, type RawBuilder, type SqlBool, sql } from 'kysely'
import { type ConditionNode, type Row, TRUE } from '../../condition/index.js'
import { type Field, type Key, keyOf, keyPlaces, keysAreGiven, type Model, typeModel } from '../../rulebook/index.js'
import { compile, type Dialect, Known, type Layout } from '../../sql/index.js'
import { ConstraintError, DuplicateKeyError } from '../errors.js'
import { queriesOn } from '../queries/own-queries.js'
import type { Asking, Found, Isolation, PlaceValue, Selection, Tables, Target } from '../tables.js'
import type { Breadth, Broad } from './breadth.js'
import { dbOf, NOT_BEGUN, OwnTransactionError } from './own-transactions.js'
import { type Call, isPlain, type Make, type Plans, type Values } from './plans.js'
import { checkSerializable, inTransaction } from './retries.js'
import { atSavepoint } from './savepoints.js'
import { SortOrder } from './sorted.js'
import { columnsOf, decodeRow, encodeRow, keyTest, type Placed, placed, selectable, selected, tableOf } from './tables-placed.js'

/** The names of flags, next to the columns of a record. */
const FLAG = 'pachter_flag_'

/** The name of an expression that is selected for its effect. */
const PATIENCE = 'pachter_patience'

/** What is kept between calls, and in transactions. */
interface Kept {
  readonly plans: Plans
  readonly breadth: Breadth
}

/** The records of a database, as the guarded store reads and writes them. */
export class KyselyTables implements Tables {
  readonly #db: Kysely<any>
  readonly #dialect: Dialect
  readonly #model: Model
  readonly #readLayout: (db: Kysely<any>) => Promise<Layout>
  readonly #kept: Kept

  /** Who began the transaction that this is in: we, with the isolation that rules need, or the application. Undefined outside of one. */
  readonly #begunBy: 'us' | 'application' | undefined

  /** Inside a transaction: the lock timeout, until it has been set in the database. */
  #patience: number | undefined

  constructor(
    db: Kysely<any>,
    dialect: Dialect,
    model: Model,
    layout: (db: Kysely<any>) => Promise<Layout>,
    kept: Kept,
    begun?: { readonly by: 'us' | 'application'; readonly patience?: number },
  ) {
    this.#kept = kept
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
    const broad = named ? [] : await this.#broadIn(place, where, now)
    const options = [order.form, limit, flags.length, places, locked && lock, waiting && patience, broad.join()]
    const form = `select ${place.model.name} ${options.join(' ')}`
    const call = { form, conditions: [where, ...flags, ...order.conditions], now, after, key: named?.literals }
    const found = await this.#rows(call, (values) => {
      const write = (condition: ConditionNode) => this.#compiled(condition, now, place, undefined, values)
      let query = this.#db
        .selectFrom(place.table)
        .select(columnsOf(this.#dialect, place))
        .select(flags.map((flag, at) => sql<number>`case when ${write(flag)} then 1 else 0 end`.as(FLAG + at)))
        .where(this.#compiled(where, now, place, named ? 'row' : broad, values))
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
    return (await this.#kept.plans.run(this.#db, { ...call, make })).rows
  }

  async count(type: string, { where, now }: Pick<Selection, 'where' | 'now'>): Promise<number> {
    const place = placed(await this.#layout(), typeModel(this.#model, type))
    const broad = await this.#broadIn(place, where, now)
    const [row] = await this.#rows({ form: `count ${type} ${broad.join()}`, conditions: [where], now }, (values) =>
      this.#db
        .selectFrom(place.table)
        .select(sql<number>`count(*)`.as('count'))
        .where(this.#compiled(where, now, place, broad, values)),
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
    const broad = await this.#broadIn(place, where, now)
    const rows = await this.#rows({ form: `count ${type} ${name} ${broad.join()}`, conditions: [where], now }, (values) =>
      this.#db
        .selectFrom(place.table)
        .select([selected(this.#dialect, value, field).as('value'), sql<number>`count(*)`.as('count')])
        .where(this.#compiled(where, now, place, broad, values))
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
    finds?: 'row' | Broad,
    values?: Values,
  ): RawBuilder<SqlBool> {
    const options = { dialect: this.#dialect, now, layout, type: model.name, table: place.name, ...(values ? { values } : {}) }
    if (finds === undefined) return compile(condition, options)
    const found = finds === 'row' ? { finds } : ({ finds: 'rows', broad: finds } as const)
    return compile(condition, { ...options, ...found, key: keyPlaces(model) })
  }

  /** Which alternatives of a condition hold on many rows. Not asked in a transaction, where a query may lock what it reads. */
  #broadIn(place: Placed, where: ConditionNode, now: number): Promise<Broad> {
    return this.#kept.breadth.of(this.#db, place, where, now, this.#begunBy === undefined)
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
      places.every(isPlain) ? this.#kept.plans.run(this.#db, call) : this.#db.executeQuery<Row>(make().compile()),
    )
    return this.#stored(place, key, returns && rows)
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
      places.every(isPlain) ? this.#kept.plans.run(this.#db, call) : this.#db.executeQuery<Row>(make().compile()),
    )
    if (returns) return rows.length === 0 ? undefined : this.#stored(place, target.key, rows)
    return Number(numAffectedRows) === 0 ? undefined : this.#stored(place, target.key)
  }

  /** The stored form of a written record: returned by the statement, or read now. */
  async #stored(place: Placed, key: Key | undefined, given?: readonly Row[] | false): Promise<Row> {
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
    const layout = await this.#layout()
    const broadIn = (type: string, where: ConditionNode, now: number) =>
      this.#broadIn(placed(layout, typeModel(this.#model, type)), where, now)
    const on = { db: this.#db, dialect: this.#dialect, layout, broadIn, isInTransaction: this.#begunBy !== undefined }
    return queriesOn(on, asking, options)
  }

  within(transaction: unknown): Tables {
    return this.#inside(dbOf(transaction), { by: 'application' })
  }

  #inside(db: Kysely<any>, begun: { readonly by: 'us' | 'application'; readonly patience?: number }): KyselyTables {
    return new KyselyTables(db, this.#dialect, this.#model, this.#readLayout, this.#kept, begun)
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
