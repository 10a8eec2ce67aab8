import { allOfNode, type ConditionNode, isPachterError, type Row, simplify, TRUE } from '../condition/index.js'
import {
  isJudgedAlong,
  type Key,
  knownAction,
  type Model,
  type TypeModel,
  typeModel,
  UnknownNameError,
  type World,
} from '../rulebook/index.js'
import {
  type Explanation,
  explain,
  fieldsLetBy,
  type Outcome,
  stampedRecord,
  type Verdict,
  verdictOf,
  withFields,
} from '../viewpoint/index.js'
import { dependsOnAbsence, someDependOnAbsence } from './absent.js'
import type { Asker, AskersRules, Person } from './asker.js'
import { BulkError, type BulkOptions, type BulkResult, type InTheWay, readWhich, type Which } from './bulk.js'
import { applyCreate, judgeCreate } from './create.js'
import type { Cursors } from './cursor.js'
import { applyDelete, judgeDelete, typesAlong } from './delete.js'
import { more, withheldAlong } from './described.js'
import { DeniedError, denied, InvalidError, QueryError, StoreError } from './errors.js'
import { included, readInclude, typesIncluded } from './include.js'
import { type Limits, overLimits } from './limits.js'
import type { AboutCall, Logger } from './log.js'
import { deny, holding, isKey, judge, keyIs, type Operation, type Seen, see, seeOne, visible } from './operation.js'
import { aboutList, type CountOptions, countField, type DescribedPageOptions, orderFor, placeOf, readSize } from './pages.js'
import { type DescribedOptions, PAGE_OPTIONS, readActions, readFields, readLimit, readOptions, readSort, readWhere } from './query.js'
import { readingAlong, reliedOn } from './relied.js'
import type { GuardedStore, SystemStore, Together } from './store-types.js'
import type { Isolation, Selection, Tables } from './tables.js'
import { targetTypes } from './targets.js'
import { applyUpdate, judgeUpdate, type UpdateOptions } from './update.js'
import { guardedWhere, typesIn, visibleField } from './where.js'

/** What a guarded store needs besides tables and somebody who asks. */
export interface Needs {
  readonly newKey: (type: string) => Key
  readonly logger: Logger
  readonly cursors: Cursors
  /** The store as trusted code has it, over other tables. */
  readonly trusted: (tables: Tables, reason: string, failed: (error: unknown) => void) => SystemStore
  readonly limits: Required<Limits>
  /** Is told of every write that failed. */
  readonly failed?: (error: unknown) => void
  /** Within a transaction that is somebody's own: what is asked there holds until its end. */
  readonly held?: boolean
}

/** A guarded store as the parts of this library have it: what writes are meant for a state that their asker has seen. */
export interface MatchingStore {
  update(type: string, key: Key, sent: Row, how?: Pick<UpdateOptions, 'match' | 'merge'>): Promise<Row>
  delete(type: string, key: Key, how?: Pick<UpdateOptions, 'match'>): Promise<void>
}

/** The store as somebody has it. */
export function guarded(tables: Tables, who: Person, options: Needs): SystemStore {
  const { newKey, logger, cursors, trusted, limits, failed = () => {}, held = false } = options
  const { still } = who
  const { model } = still

  function begin(typeName: string, action: string, key?: unknown): TypeModel {
    const type = typeModel(model, typeName)
    const outcome = still.outright(typeName, action)
    if (outcome !== undefined) throw deny(type, action, outcome, key as Key)
    return type
  }

  /** An operation on these tables: the person's own records are read now. */
  async function operation(inside: Tables, types: readonly string[], lock?: 'share'): Promise<Operation> {
    const asker = await who.now(inside, types, lock)
    return { tables: inside, asker, env: asker.env() }
  }

  /** An operation that answers a question: within a transaction, by what is locked until its end. */
  async function asking(types: readonly string[], action: string): Promise<Operation> {
    if (!held) return operation(tables, types)
    return { ...(await operation(tables, types, 'share')), relied: reliedOn(), ...(action === 'read' ? { lock: 'share' as const } : {}) }
  }

  /** Refuses what is too large to be looked at, before anything is. */
  function checkSize(type: TypeModel, sent: unknown): void {
    const { depth } = limits
    const faults = overLimits(sent, still.viewpoint === undefined ? { items: Infinity, values: Infinity, size: Infinity, depth } : limits)
    if (faults.length > 0) throw new InvalidError(type.name, faults)
  }

  function isolationOf(type: TypeModel): Isolation {
    return { serializable: still.viewpoint !== undefined && dependsOnAbsence(model, type.name) }
  }

  /** Writes in a transaction. What a constraint of the database forbids is to the asker simply refused. */
  function write<T>(
    type: TypeModel,
    action: string,
    key: Key | undefined,
    work: (op: Operation) => Promise<T>,
    also: readonly string[] = [],
  ): Promise<T> {
    const types = [...new Set([type.name, ...targetTypes(type), ...(action === 'delete' ? typesAlong(model, type) : []), ...also])]
    return safely(`${action} ${type.name}`, () =>
      tables
        .transaction(async (inside) => work({ ...(await operation(inside, types, 'share')), relied: reliedOn() }), isolationOf(type))
        .catch((error: unknown) => {
          failed(error)
          const hushed = isPachterError(error, 'CONSTRAINT') || isPachterError(error, 'DUPLICATE_KEY')
          throw still.viewpoint !== undefined && hushed ? deny(type, action, 'refused', key) : error
        }),
    )
  }

  /** Answers a question. What it comes to is nothing to log, but where it fails. */
  function question<T>(about: AboutCall, work: () => Promise<T>): Promise<T> {
    return safely(`ask about ${about.type}`, work).catch((error: unknown) => {
      logger.failed(about, error)
      throw error
    })
  }

  async function list(typeName: string, given?: DescribedOptions<World, string>) {
    const type = typeModel(model, typeName)
    const options: DescribedOptions<World, string> = readOptions(typeName, given) as DescribedOptions<World, string>
    const asked = readList(type, options)
    const limit = readLimit(type, options.limit)
    if (limit === 0 || still.outright(typeName, 'read') !== undefined) return []
    return safely(`list ${typeName}`, async () => {
      const { seen, told } = await listed(type, asked, limit === undefined ? {} : { limit })
      return told(seen)
    })
  }

  /** What a list or a page of one is asked for. */
  function readList(type: TypeModel, options: DescribedOptions<World, string>) {
    return {
      where: readWhere(model.types, type, options.where),
      sort: readSort(type, options.sort),
      fields: readFields(type, options.fields),
      actions: readActions(type, options.withActions),
      standings: options.withStandings === true,
      plans: readInclude(model.types, type, (options as { include?: unknown }).include),
    }
  }

  /** The records that somebody sees, and a way to give them back with what else was asked for. */
  async function listed(
    type: TypeModel,
    { where, sort, fields, actions, standings, plans }: ReturnType<typeof readList>,
    some: Pick<Selection, 'limit' | 'after'>,
  ) {
    const goesAlong = actions.includes('delete') && isJudgedAlong(model, type.name)
    const types = [type.name, ...typesIn(where), ...typesIncluded(plans), ...(goesAlong ? typesAlong(model, type) : [])]
    const op = await operation(tables, [...new Set(types)])
    const also = more(op.asker, type, actions, standings)
    const seen = await see(op, type.name, {
      where: guardedWhere(op.asker, type, where),
      sort: orderFor(op, type, sort),
      flags: also.flags,
      ...some,
    })
    const told = async (those: readonly Seen[]) => {
      const records = await included(op, type, those, plans)
      const along = fields && [...fields, ...plans.map(({ link }) => link.name)]
      const given = records.map((record) => withFields(type, record, along))
      if (actions.length === 0 && !standings) return given
      const described = those.map((one, at) => also.describe(one, given[at] as Row))
      const keys = those.map(({ row }) => row[type.key] as Key)
      return goesAlong ? withheldAlong(op, type, described, keys) : described
    }
    return { seen, told }
  }

  const api = Object.freeze({
    list: (typeName: string, given?: DescribedOptions<World, string>) =>
      logger.about({ action: 'read', type: typeName }, () => list(typeName, given)),

    count: (typeName: string, given?: CountOptions<World, string>) =>
      logger.about({ action: 'read', type: typeName }, async () => {
        const type = typeModel(model, typeName)
        const where = readWhere(model.types, type, readOptions(typeName, given, ['where']).where)
        return safely(`count ${typeName}`, async () => {
          const op = await operation(tables, [typeName, ...typesIn(where)])
          return op.tables.count(typeName, { where: seenBy(op, type, [guardedWhere(op.asker, type, where)]), now: op.env.now })
        })
      }),

    countBy: (typeName: string, field: string, given?: CountOptions<World, string>) =>
      logger.about({ action: 'read', type: typeName }, async () => {
        const type = typeModel(model, typeName)
        const by = countField(type, field)
        const where = readWhere(model.types, type, readOptions(typeName, given, ['where']).where)
        return safely(`count ${typeName}`, async () => {
          const op = await operation(tables, [typeName, ...typesIn(where)])
          // What is counted by has to be visible, too, for a record to count.
          const seen = seenBy(op, type, [guardedWhere(op.asker, type, where), visibleField(op.asker, typeName, by)])
          return op.tables.countBy(typeName, by, { where: seen, now: op.env.now })
        })
      }),

    page: (typeName: string, given?: DescribedPageOptions<World, string>) =>
      logger.about({ action: 'read', type: typeName }, async () => {
        const type = typeModel(model, typeName)
        const options = readOptions(typeName, given, PAGE_OPTIONS) as DescribedPageOptions<World, string>
        const asked = readList(type, options)
        const size = readSize(type, options.size)
        const about = aboutList(logger.asker, type, asked.sort)
        const after = options.after === undefined ? undefined : await cursors.read(about, options.after)
        return safely(`list ${typeName}`, async () => {
          const { seen, told } = await listed(type, asked, { limit: size + 1, ...(after ? { after } : {}) })
          const rows = seen.slice(0, size)
          const last = seen.length > size ? rows.at(-1) : undefined
          const next = last && { next: await cursors.write(about, placeOf(type, asked.sort, last.shown)) }
          return { records: await told(rows), ...next }
        })
      }),

    get: (typeName: string, key: Key) =>
      logger.about({ action: 'read', type: typeName, key }, async () => {
        const type = begin(typeName, 'read', key)
        return safely(`get ${typeName}`, async () => {
          const op = await operation(tables, [typeName])
          return (await visible(op, type, 'read', key)).shown
        })
      }),

    create: (typeName: string, sent: Row) =>
      logger.about({ action: 'create', type: typeName }, async (note) => {
        const type = begin(typeName, 'create')
        if (still.viewpoint !== undefined && (type.rules?.may.create ?? []).length === 0) throw deny(type, 'create', 'refused')
        checkSize(type, sent)
        return write(type, 'create', undefined, async (op) => {
          const plan = await judgeCreate(op, type, sent, newKey)
          note(plan.clause, plan.record[type.key] as Key)
          return applyCreate(op, type, plan)
        })
      }),

    update: (typeName: string, key: Key, sent: Row, how?: Pick<UpdateOptions, 'match' | 'merge'>) =>
      logger.about({ action: 'update', type: typeName, key }, async (note) => {
        const type = begin(typeName, 'update', key)
        checkSize(type, sent)
        return write(type, 'update', key, async (op) => {
          const plan = await judgeUpdate(op, type, key, sent, { ...how, limits: still.viewpoint === undefined ? undefined : limits })
          note(plan.clause)
          return applyUpdate(op, type, plan, 'ask again')
        })
      }),

    delete: (typeName: string, key: Key, how?: Pick<UpdateOptions, 'match'>) =>
      logger.about({ action: 'delete', type: typeName, key }, async (note) => {
        const type = begin(typeName, 'delete', key)
        await write(type, 'delete', key, async (op) => {
          const plan = await judgeDelete(op, type, key, how)
          note(plan.clause)
          await applyDelete(op, type, plan)
        })
      }),

    updateMany: (typeName: string, which: Which, sent: Row, how?: BulkOptions) =>
      logger.about({ action: 'update', type: typeName }, async () => {
        const type = begin(typeName, 'update')
        checkSize(type, sent)
        return bulk(type, 'update', which, how, async (op, key, seen) => {
          const plan = await judgeUpdate(op, type, key, sent, seen === undefined ? {} : { seen })
          return () => applyUpdate(op, type, plan, 'as judged')
        })
      }),

    deleteMany: (typeName: string, which: Which, how?: BulkOptions) =>
      logger.about({ action: 'delete', type: typeName }, async () => {
        const type = begin(typeName, 'delete')
        const gone = new Set<string>()
        return bulk(type, 'delete', which, how, async (op, key, seen) => {
          const plan = await judgeDelete(op, type, key, seen === undefined ? {} : { seen })
          return () => applyDelete(op, type, plan, gone)
        })
      }),

    async verdict(actionName: string, typeName: string, asked: Key | Row, changes?: Row): Promise<Verdict> {
      const type = typeModel(model, typeName)
      const action = knownAction(type, actionName)
      const key = action === 'create' ? undefined : (asked as Key)
      const outcome: Outcome | undefined = still.outright(typeName, action)
      if (outcome !== undefined) return verdictOf(type, action, outcome, key)
      checkSize(type, key === undefined ? asked : changes)
      return question({ action, type: typeName, ...(key === undefined ? {} : { key }) }, async () => {
        const op = await asking([...new Set([typeName, ...targetTypes(type), ...typesAlong(model, type)])], action)
        try {
          if (key === undefined) {
            // The clause lets all of it; the fields of all that let it are what a form may show.
            const { clause, fields } = await judgeCreate(op, type, asked, newKey)
            return verdictOf(type, action, 'allowed', undefined, { clause, fields })
          }
          // What a change or a deletion comes to is judged as if it were made.
          if (action === 'delete') return verdictOf(type, action, 'allowed', key, await judgeDelete(op, type, key))
          if (action === 'update' && changes !== undefined)
            return verdictOf(type, action, 'allowed', key, await judgeUpdate(op, type, key, changes))
          const { row } = await visible(op, type, action, key)
          return await verdictOn(op, type, action, op.asker.rules(typeName, action), row)
        } catch (error) {
          if (error instanceof DeniedError) return error.verdict
          throw error
        }
      })
    },

    async why(actionName: string, typeName: string, asked: Key | Row, changes?: Row): Promise<Explanation> {
      const type = typeModel(model, typeName)
      const action = knownAction(type, actionName)
      const { viewpoint } = still
      if (viewpoint === undefined) throw new QueryError('as the system', 'nothing decides: it is nobody whom rules could be about')
      const key = action === 'create' ? undefined : (asked as Key)
      const said = await api.verdict(actionName, typeName, asked, changes)
      return question({ action, type: typeName, ...(key === undefined ? {} : { key }) }, async () => {
        const op = await operation(tables, [typeName])
        const [found] = key === undefined ? [] : await tables.select(typeName, { where: keyIs(type, key), now: op.env.now, limit: 1 })
        if (key !== undefined && found === undefined) throw deny(type, action, 'not found', key)
        const record = found?.row ?? stampedRecord(type, asked as Row, op.env)
        const [readable] = await judge(op, [{ when: op.asker.readable(typeName) }], record)
        const becomes = action === 'update' && changes !== undefined ? { ...record, ...changes } : undefined
        return readingAlong(op, (links) =>
          explain({ verdict: said, model, record, env: { ...op.env, links }, becomes, readable: readable === true, within: who.routine }),
        )
      })
    },

    async may(actionName: string, typeName: string) {
      const action = knownAction(typeModel(model, typeName), actionName)
      if (still.viewpoint === undefined) return 'always'
      return question({ action, type: typeName }, async () => {
        const { viewpoint } = await who.now(tables, [typeName])
        return (viewpoint as NonNullable<Asker['viewpoint']>).may(action, typeName)
      })
    },

    async viewpoint() {
      if (still.viewpoint === undefined)
        throw new QueryError('as the system', 'there is no viewpoint: it is nobody whom rules could be about')
      return question({ action: 'read', type: 'viewpoint' }, async () => (await who.now(tables, Object.keys(model.types))).viewpoint)
    },

    has: (privilege: string) => granted('privilege', model.privileges, privilege, tables, held),
    mayCall: (routine: string) => granted('routine', model.routines, routine, tables, held),

    async together<T>(work: Together<World, T>) {
      return allOrNothing(tables, who, logger, work)
    },

    async routine<T>(name: string, work: Together<World, T>) {
      // Asked within the transaction, and again at every try: who may no longer call it begins nothing.
      return allOrNothing(tables, who.within(name), logger.within(name), work, (inside) =>
        logger.about({ action: 'call', type: name }, async () => {
          if (await granted('routine', model.routines, name, inside, true)) return
          throw denied(routineVerdict(name, still.viewpoint?.me === null ? 'sign in' : 'refused'))
        }),
      )
    },

    async ensure(typeName: string, key: Key, record: Row) {
      const type = typeModel(model, typeName)
      if (still.viewpoint !== undefined)
        throw new QueryError(typeName, 'ensure is for trusted code only: store.asSystem("...").ensure(...)')
      if (!isKey(type, key)) throw new InvalidError(typeName, [{ field: type.key, problem: 'is no key' }])
      const ensured = () =>
        write(type, 'create', key, async (op) => {
          const [there] = await see(op, typeName, { where: keyIs(type, key), limit: 1 })
          return there === undefined ? guarded(op.tables, who, options).create(typeName, { ...record, [type.key]: key }) : there.shown
        })
      // Somebody else may have made sure of it in between: then it is there at the second look.
      return ensured().catch((error: unknown) => {
        if (!isPachterError(error, 'CONSTRAINT') && !isPachterError(error, 'DUPLICATE_KEY')) throw error
        return ensured()
      })
    },
  })
  return api as unknown as SystemStore

  async function granted(what: string, grants: Model['privileges'], name: string, over: Tables, locked: boolean): Promise<boolean> {
    const condition = typeof name === 'string' && Object.hasOwn(grants, name) ? grants[name] : undefined
    if (condition === undefined) throw new UnknownNameError(what, name, Object.keys(grants))
    if (still.viewpoint === undefined) return true
    return question({ action: 'ask', type: name }, async () => {
      const op = await operation(over, [], locked ? 'share' : undefined)
      const [has] = await judge(
        locked ? { ...op, relied: reliedOn() } : op,
        [{ when: simplify(allOfNode([model.gate ?? TRUE, condition]), op.env.me) }],
        {},
      )
      return has as boolean
    })
  }

  /**
   * Does the same to several records. All of them are judged before any is changed, so that none justifies another. Where
   * some stand in the way nothing is done, unless part of it will do.
   */
  async function bulk(
    type: TypeModel,
    action: 'update' | 'delete',
    which: Which,
    options: BulkOptions = {},
    judged: (op: Operation, key: Key, seen?: Seen) => Promise<() => Promise<unknown>>,
  ): Promise<BulkResult> {
    const { keys, where } = readWhich(model.types, type, which)
    return write(
      type,
      action,
      undefined,
      async (op) => {
        const meant = guardedWhere(op.asker, type, where)
        const found = keys ?? (await see(op, type.name, { where: meant, sort: readSort(type) })).map(({ row }) => row[type.key] as Key)
        const plans: { key: Key; apply: () => Promise<unknown> }[] = []
        const inTheWay: InTheWay[] = []
        for (const key of found) {
          try {
            // What it is meant for is asked again of the record as it is once it is locked.
            const seen = keys === undefined ? await stillMeant(op, type, key, meant) : undefined
            if (keys === undefined && seen === undefined) continue
            plans.push({ key, apply: await judged(op, key, seen) })
          } catch (error) {
            if (!(error instanceof DeniedError || error instanceof InvalidError)) throw error
            inTheWay.push({ key, code: error.code, message: error.message })
          }
        }
        if (inTheWay.length > 0 && options.partly !== true) throw new BulkError(type.name, plans.length + inTheWay.length, inTheWay)
        for (const { apply } of plans) await apply()
        return { done: plans.map(({ key }) => key), inTheWay }
      },
      typesIn(where),
    )
  }

  /** Several calls in one transaction. Where one of the writes fails, nothing is kept, even if its error was caught. */
  async function allOrNothing<T>(
    from: Tables,
    asker: Person,
    log: Logger,
    work: Together<World, T>,
    before: (inside: Tables) => Promise<void> = async () => {},
  ): Promise<T> {
    let ownError: unknown
    try {
      return await from.transaction(
        async (inside) => {
          const failures: unknown[] = []
          const failedHere = (error: unknown) => void failures.push(error)
          await before(inside)
          const store = guarded(inside, asker, { ...options, logger: log, failed: failedHere, held: true })
          const asSystem = (reason: string) => trusted(inside, reason, failedHere) as never
          const result = await work(store as unknown as GuardedStore, asSystem).catch((error: unknown) => {
            ownError = error
            throw error
          })
          if (failures.length > 0) throw failures[0]
          return result
        },
        { serializable: someDependOnAbsence(model) },
      )
    } catch (error) {
      // What the work throws of its own accord is its caller's business; anything else is a failure of ours.
      if (isPachterError(error) || error === ownError) throw error
      throw new StoreError('several steps together', error)
    }
  }
}

function routineVerdict(name: string, outcome: Outcome): Verdict {
  const saying = outcome === 'sign in' ? `Sign in to call ${name}.` : `You may not call ${name}.`
  return Object.freeze({ allowed: false, outcome, action: 'call', type: name, saying })
}

/** A record that a change of several was meant for, locked, if it is so still. */
async function stillMeant(op: Operation, type: TypeModel, key: Key, meant: ConditionNode): Promise<Seen | undefined> {
  const seen = await seeOne(op, type, key)
  if (seen === undefined) return undefined
  const [still] = await judge(op, [{ when: meant }], seen.row)
  return still ? seen : undefined
}

/** What holds of the records that the asker may see, and of which the rest holds too. */
function seenBy(op: Operation, type: TypeModel, rest: readonly ConditionNode[]): ConditionNode {
  return simplify(allOfNode([op.asker.readable(type.name), ...rest]))
}

/** Whether an action on a record that the asker sees is allowed. */
async function verdictOn(op: Operation, type: TypeModel, action: string, rules: AskersRules, row: Row): Promise<Verdict> {
  const key = row[type.key] as Key
  const [open, ...holds] = await judge(op, [rules.open, ...rules.clauses], row)
  if (!open) {
    const [standing] = await holding(op, rules.sayings, row)
    return verdictOf(type, action, 'refused', key, { saying: standing?.saying })
  }
  const clauses = rules.clauses.filter((_, at) => holds[at])
  if (clauses.length === 0) return verdictOf(type, action, 'refused', key)
  return verdictOf(type, action, 'allowed', key, { clause: clauses[0]?.clause?.title, fields: fieldsLetBy(type, clauses) })
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
