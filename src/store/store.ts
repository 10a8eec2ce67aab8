import {
  allOfNode,
  anyOfNode,
  asksAfter,
  type ConditionNode,
  type Env,
  FALSE,
  fieldsIn,
  isMissing,
  isPachterError,
  proper,
  type Row,
  simplify,
  TRUE,
  withAfter,
} from '../condition/index.js'
import {
  type Action,
  type FieldName,
  type Key,
  type RowOf,
  type SeenRow,
  sameValue,
  type TypeModel,
  type TypeName,
  typeModel,
  type World,
} from '../rulebook/index.js'
import {
  type AskersClause,
  type Clock,
  counts,
  fieldsInTheWay,
  fieldsLetBy,
  holds,
  type InnerViewpoint,
  type Outcome,
  type Rulebook,
  stampValues,
  type Viewpoint,
  verdictOf,
  vetoSaying,
  visibility,
  visibleFields,
  withFields,
} from '../viewpoint/index.js'
import { type Asker, type AskersRules, personal, system } from './asker.js'
import { denied, InvalidError, QueryError, RefusedError, StoreError } from './errors.js'
import { asStored, fitRecord } from './fit.js'
import { type ListOptions, type Picked, readFields, readLimit, readOptions, readSort, readWhere } from './query.js'
import { defined, difference, hushed, readSent, stampsInTheWay, supplies, unstamped, withoutNames } from './sent.js'
import type { Backend, Tables } from './tables.js'

/**
 * The data behind one person's viewpoint. What they may not read is not there; what they may read and not change is refused.
 * Everything fails closed: where anything unexpected happens, nothing is written.
 */
export interface GuardedStore<W extends World = World> {
  /** The rulebook as it stands for this person. Undefined for the system, which has no rules. */
  readonly viewpoint: Viewpoint<W> | undefined

  /**
   * The records that this person may read.
   * @throws QueryError, UnknownNameError
   * @example
   * await store.for(ines).list('plot', { where: (plot) => plot.state.is('let'), sort: ['-number'], limit: 20 })
   */
  list<K extends TypeName<W>, F extends FieldName<W, K> = FieldName<W, K>>(
    type: K,
    options?: ListOptions<W, K, F>,
  ): Promise<Picked<W, K, F>[]>

  /** One record. @throws SignInError, NotFoundError */
  get<K extends TypeName<W>>(type: K, key: Key): Promise<SeenRow<W, K>>

  /**
   * Creates a record, judged as it will be stored. The key comes from the server.
   * Gives the record, or its key alone where the asker may not read it.
   * @throws SignInError, RefusedError, InvalidError
   */
  create<K extends TypeName<W>>(type: K, record: Partial<RowOf<W, K>>): Promise<Partial<RowOf<W, K>>>

  /**
   * Changes the fields that are sent and leaves the others; null clears a field that may be left out.
   * The rules have to hold on the record as it is and as it becomes. Gives the record, or its key alone where the asker
   * may no longer read it.
   * @throws SignInError, NotFoundError, RefusedError, InvalidError
   */
  update<K extends TypeName<W>>(
    type: K,
    key: Key,
    changes: { readonly [F in keyof RowOf<W, K>]?: RowOf<W, K>[F] | null },
  ): Promise<Partial<RowOf<W, K>>>

  /** Removes a record. @throws SignInError, NotFoundError, RefusedError */
  delete<K extends TypeName<W>>(type: K, key: Key): Promise<void>
}

/** A world in which every field is seen: the system's. */
export type Unlimited<W extends World> = { readonly [P in keyof W]: P extends 'limited' ? never : W[P] }

/** A store that is about to be told who asks. */
export interface Store<W extends World = World> {
  /** The data as this person may see and change it. @throws ClaimsError */
  for(me: W['me'] | null | undefined): GuardedStore<W>
  /** The data for trusted server code: no rules, though shapes still apply. Say why. */
  asSystem(reason: string): GuardedStore<Unlimited<W>>
}

/** How a store makes what it needs of its own. */
export interface StoreOptions {
  /** A new key for a record of the type. Default: a random UUID (RFC 9562). */
  readonly newKey?: (type: string) => Key
  /** How to tell the time. Default: the clock. */
  readonly now?: Clock
}

/**
 * Opens a store: a rulebook in front of a place where records are kept.
 *
 * @example
 * const store = openStore(book, inMemory(data))
 * const mine = await store.for({ id: 'm-01', roles: [] }).list('plot')
 */
export function openStore<W extends World>(book: Rulebook<W>, backend: Backend, options: StoreOptions = {}): Store<W> {
  const tables = backend(book.model)
  const newKey = options.newKey ?? (() => globalThis.crypto.randomUUID())
  const clock = options.now === undefined ? {} : { now: options.now }
  return Object.freeze({
    for: (me: W['me'] | null | undefined) => guarded(tables, personal(book.for(me, clock) as unknown as InnerViewpoint), newKey),
    asSystem(reason: string) {
      if (typeof reason !== 'string' || reason.trim() === '') throw new QueryError('as the system', 'say why, in words')
      return guarded(tables, system(book.for(null, clock) as unknown as InnerViewpoint), newKey)
    },
  }) as unknown as Store<W>
}

function guarded(tables: Tables, asker: Asker, newKey: (type: string) => Key): GuardedStore {
  const deny = (type: TypeModel, action: Action, outcome: Outcome, key?: Key) => denied(verdictOf(type, action, outcome, key))

  function begin(typeName: string, action: Action, key?: unknown): TypeModel {
    const type = typeModel(asker.model, typeName)
    const outcome = asker.outright(typeName, action)
    if (outcome !== undefined) throw deny(type, action, outcome, key as Key)
    return type
  }

  /** The stored record, if the asker may see it. A key that no record can have is no different from one that none has. */
  async function visible(from: Tables, type: TypeModel, action: Action, key: Key, env: Env): Promise<Row> {
    const condition = asker.readable(type.name)
    const [record] =
      condition === FALSE || !isKey(type, key)
        ? []
        : await from.select(type.name, { where: allOfNode([keyIs(type, key), condition]), now: env.now, limit: 1 })
    if (record === undefined) throw deny(type, action, 'not found', key)
    return record
  }

  /** Refuses what a gate or a veto withholds, in the veto's own words. */
  function checkOpen(type: TypeModel, action: Action, rules: AskersRules, record: Row, env: Env, key?: Key): void {
    if (holds(rules.open, record, env)) return
    throw denied(verdictOf(type, action, 'refused', key, { saying: vetoSaying(rules, record, env) }))
  }

  /** Whether a stamp has no value, and none was supplied. The system may leave one out, as far as the shape does. */
  function lacksStamp(sent: Row, stamps: Row): boolean {
    return asker.viewpoint !== undefined && Object.keys(stamps).some((name) => sent[name] === undefined && stamps[name] === undefined)
  }

  /** Writes in a transaction. What a constraint of the database forbids is to the asker simply refused. */
  function write<T>(type: TypeModel, action: Action, key: Key | undefined, work: (inside: Tables) => Promise<T>): Promise<T> {
    return safely(`${action} ${type.name}`, () =>
      tables.transaction(work).catch((error: unknown) => {
        const hushed = isPachterError(error, 'CONSTRAINT') || isPachterError(error, 'DUPLICATE_KEY')
        throw asker.viewpoint !== undefined && hushed ? deny(type, action, 'refused', key) : error
      }),
    )
  }

  /** The record as the asker may have it back after a write. */
  function answer(type: TypeModel, record: Row, env: Env): Row {
    const readable = asker.viewpoint === undefined || holds(asker.viewpoint.rules(type.name, 'read'), record, env)
    return readable ? shown(type, record, env) : { [type.key]: record[type.key] }
  }

  /** The record with the fields that the asker may see. */
  function shown(type: TypeModel, record: Row, env: Env): Row {
    return withFields(type, record, visibleFields(type, asker.rules(type.name, 'read').clauses, record, env))
  }

  /** A row that reads back unlike the one that was judged is not kept. */
  async function checkWritten(from: Tables, type: TypeModel, judged: Row, env: Env): Promise<void> {
    const [written] = await from.select(type.name, { where: keyIs(type, judged[type.key] as Key), now: env.now, limit: 1 })
    const odd = written && Object.keys(type.fields).find((name) => !sameValue(type.fields[name], written[name], judged[name]))
    if (written === undefined || odd !== undefined) {
      throw new Error(`the ${type.name} that was written reads back differently${odd ? ` in "${odd}"` : ''}`)
    }
  }

  return Object.freeze({
    viewpoint: asker.viewpoint,

    async list(typeName: string, given?: ListOptions<World, string>) {
      const type = typeModel(asker.model, typeName)
      const options: ListOptions<World, string> = readOptions(typeName, given)
      const where = readWhere(type, options.where)
      const sort = readSort(type, options.sort)
      const limit = readLimit(type, options.limit)
      const fields = readFields(type, options.fields)
      const read = asker.rules(typeName, 'read').clauses
      // What a filter asks for has to be visible for the record to count, whatever the filter says: else it would tell.
      const visible = fieldsIn(where).map((name) => visibility(type, read, name))
      const condition = simplify(allOfNode([asker.readable(typeName), ...visible, where]))
      if (condition === FALSE || limit === 0) return []
      const env = asker.env()
      const order = sort.map((step) => {
        const shownWhere = visibility(type, read, step.field)
        return shownWhere === TRUE ? step : { ...step, visible: shownWhere }
      })
      const rows = await safely(`list ${typeName}`, () =>
        tables.select(typeName, { where: condition, now: env.now, sort: order, ...(limit === undefined ? {} : { limit }) }),
      )
      return rows.map((row) => withFields(type, shown(type, row, env), fields))
    },

    async get(typeName: string, key: Key) {
      const type = begin(typeName, 'read', key)
      const env = asker.env()
      return safely(`get ${typeName}`, async () => shown(type, await visible(tables, type, 'read', key, env), env))
    },

    async create(typeName: string, sent: Row) {
      const type = begin(typeName, 'create')
      const rules = asker.rules(typeName, 'create')
      const { clauses } = rules
      if (clauses.length === 0) throw deny(type, 'create', 'refused')
      const env = asker.env()
      const { known, faults } = readSent(type, sent)
      const { [type.key]: key, ...fields } = known
      const givesKey = !isMissing(key, 'id')
      if (givesKey && !supplies(clauses, type.key)) faults.push({ field: type.key, problem: 'the key comes from the server: leave it out' })
      const stamps = stampValues(type, 'create', env)
      // Sending what would be stamped anyway is no sending.
      const given = withoutNames(fields, (name) => Object.hasOwn(stamps, name) && sameValue(type.fields[name], fields[name], stamps[name]))
      const refuseFields = (counting: readonly AskersClause[]) => {
        const inTheWay = [
          ...fieldsInTheWay(type, fieldsLetBy(type, counting), [], {}, unstamped(type, given, stamps)),
          ...stampsInTheWay(type, counting, given, stamps),
          ...(givesKey && !supplies(counting, type.key) ? [type.key] : []),
        ]
        if (inTheWay.length > 0) throw new RefusedError(verdictOf(type, 'create', 'refused'), inTheWay)
      }
      if (faults.length === 0) refuseFields(clauses)
      if (lacksStamp(given, stamps)) throw deny(type, 'create', 'refused')
      const fitted = await fitRecord(type, { ...stamps, ...given, [type.key]: givesKey ? key : newKey(typeName) })
      if ('faults' in fitted) faults.push(...fitted.faults)
      if (faults.length > 0 || 'faults' in fitted) throw new InvalidError(typeName, faults)
      const { record } = fitted
      checkOpen(type, 'create', rules, record, env)
      const holding = clauses.filter((clause) => holds(clause, record, env))
      if (holding.length === 0) throw deny(type, 'create', 'refused')
      refuseFields(holding)
      await write(type, 'create', undefined, async (inside) => {
        await inside.insert(typeName, record)
        await checkWritten(inside, type, record, env)
      })
      return answer(type, record, env)
    },

    async update(typeName: string, key: Key, sent: Row) {
      const type = begin(typeName, 'update', key)
      return write(type, 'update', key, async (inside) => {
        const env = asker.env()
        const before = await visible(inside, type, 'update', key, env)
        const rules = asker.rules(typeName, 'update')
        // What asks for the record as it becomes is judged once that is known.
        if (!asksAfter(rules.open.when)) checkOpen(type, 'update', rules, before, env, key)
        const holding = rules.clauses.filter((clause) => asksAfter(clause.when) || holds(clause, before, env))
        if (holding.length === 0) throw deny(type, 'update', 'refused', key)
        const { known, faults } = readSent(type, sent)
        const { [type.key]: sentKey, ...given } = known
        const visibleNow = visibleFields(type, asker.rules(typeName, 'read').clauses, before, env)
        const stamps = stampValues(type, 'update', env)
        const repeated = (name: string) => (visibleNow?.includes(name) ?? true) && sameValue(type.fields[name], before[name], given[name])
        // What is sent of the stamped fields counts only where it is supplied; repeating what is there is no change.
        const changes = withoutNames(given, (name) => Object.hasOwn(stamps, name) && repeated(name))
        const refuseFields = (clauses: readonly AskersClause[]) => {
          const inTheWay = [
            ...fieldsInTheWay(type, fieldsLetBy(type, clauses), visibleNow, before, unstamped(type, changes, stamps)),
            ...stampsInTheWay(type, clauses, changes, stamps),
          ]
          if (inTheWay.length > 0) throw new RefusedError(verdictOf(type, 'update', 'refused', key), inTheWay)
        }
        refuseFields(holding)
        if (sentKey !== undefined && sentKey !== key) faults.push({ field: type.key, problem: 'the key never changes' })
        const asked = asStored(type, { ...before, ...changes })
        const idle = Object.keys(difference(type, before, asked)).length === 0
        if (!idle && lacksStamp(changes, stamps)) throw deny(type, 'update', 'refused', key)
        const fitted = await fitRecord(type, idle ? asked : asStored(type, { ...before, ...defined(stamps), ...changes }))
        if ('faults' in fitted) faults.push(...(visibleNow === undefined ? fitted.faults : hushed(fitted.faults, given)))
        if (faults.length > 0 || 'faults' in fitted) throw new InvalidError(typeName, faults)
        const after = fitted.record
        checkOpen(type, 'update', rules, before, { ...env, after }, key)
        const counting = holding.filter((clause) => counts(clause, before, after, env))
        if (counting.length === 0) throw deny(type, 'update', 'refused', key)
        refuseFields(counting)
        const written = difference(type, before, after)
        if (Object.keys(written).length === 0) return answer(type, before, env)
        const rule = allOfNode([asker.readable(typeName), rules.open.when, anyOfNode(counting.map((clause) => clause.when))])
        const where = simplify(withAfter(rule, after))
        const count = await inside.update(typeName, written, { key, where, now: env.now })
        if (count !== 1) throw deny(type, 'update', 'refused', key)
        await checkWritten(inside, type, after, env)
        return answer(type, after, env)
      })
    },

    async delete(typeName: string, key: Key) {
      const type = begin(typeName, 'delete', key)
      await write(type, 'delete', key, async (inside) => {
        const env = asker.env()
        const rules = asker.rules(typeName, 'delete')
        const rule = simplify(allOfNode([asker.readable(typeName), rules.open.when, anyOfNode(rules.clauses.map((clause) => clause.when))]))
        const count = rule === FALSE || !isKey(type, key) ? 0 : await inside.remove(typeName, { key, where: rule, now: env.now })
        if (count === 1) return
        checkOpen(type, 'delete', rules, await visible(inside, type, 'delete', key, env), env, key)
        throw deny(type, 'delete', 'refused', key)
      })
    },
  }) as unknown as GuardedStore
}

/** Passes our own errors on; anything else is a failure that must not say more than that. */
async function safely<T>(doing: string, work: () => Promise<T>): Promise<T> {
  try {
    return await work()
  } catch (error) {
    if (isPachterError(error)) throw error
    throw new StoreError(doing, error)
  }
}

function keyIs(type: TypeModel, key: Key): ConditionNode {
  const field = type.fields[type.key]
  const of = { kind: 'field', of: 'record', path: [type.key], type: field?.type === 'text' ? 'id' : 'integer' } as const
  const literal = { kind: 'literal', type: typeof key === 'number' ? 'number' : 'text', value: key } as const
  return { kind: 'compare', by: 'is', left: of, right: literal }
}

function isKey(type: TypeModel, key: unknown): boolean {
  return proper(key, type.fields[type.key]?.type === 'integer' ? 'integer' : 'id') !== undefined
}
