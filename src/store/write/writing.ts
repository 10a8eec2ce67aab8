import { type ConditionNode, isPachterError, type Row, TRUE } from '../../condition/index.js'
import { isKey, type Key, keyName, keyOf, keyRow, type TypeModel, typeModel } from '../../rulebook/index.js'
import { DeniedError, InvalidError, QueryError } from '../errors.js'
import { deny, judge, type Operation, type Seen, see, seeOne } from '../operation.js'
import { guardedWhere, typesIn } from '../read/filter-guards.js'
import { readSort } from '../read/query.js'
import type { Session } from '../session.js'
import type { Tables } from '../tables.js'
import { BulkError, type BulkOptions, type BulkResult, type RefusedRecord, readWhich, type Which } from './bulk.js'
import { applyCreate, judgeCreate } from './create.js'
import { applyDelete, judgeDelete } from './delete.js'
import { applyUpdate, judgeUpdate, type UpdateOptions } from './update.js'

/** Judges one of several locked records; returns what to do to it. */
type JudgeOne = (op: Operation, key: Key, seen?: Seen) => Promise<() => Promise<unknown>>

/** Writes for the asker. */
export class Writing {
  readonly #session: Session

  constructor(session: Session) {
    this.#session = session
  }

  create(typeName: string, sent: Row): Promise<Row> {
    const session = this.#session
    return session.logger.about({ action: 'create', type: typeName }, async (note) => {
      const type = session.begin(typeName, 'create')
      if (!session.isSystem && (type.rules?.may.create ?? []).length === 0) throw deny(type, 'create', 'refused')
      session.checkSize(type, sent)
      return session.write(type, 'create', undefined, async (op) => {
        const plan = await judgeCreate(op, type, sent, session.needs.newKey)
        note(plan.clause, keyOf(type, plan.record))
        const record = await applyCreate(op, type, plan)
        // The database may have made up the key.
        note(plan.clause, keyOf(type, record))
        return record
      })
    })
  }

  update(typeName: string, key: Key, sent: Row, how?: Pick<UpdateOptions, 'match' | 'merge'>): Promise<Row> {
    const session = this.#session
    return session.logger.about({ action: 'update', type: typeName, key }, async (note) => {
      const type = session.begin(typeName, 'update', key)
      session.checkSize(type, sent)
      return session.write(type, 'update', key, async (op) => {
        const limits = session.isSystem ? undefined : session.needs.limits
        const plan = await judgeUpdate(op, type, key, sent, { ...how, limits })
        note(plan.clause)
        return applyUpdate(op, type, plan, 'ask again')
      })
    })
  }

  delete(typeName: string, key: Key, how?: Pick<UpdateOptions, 'match'>): Promise<void> {
    const session = this.#session
    return session.logger.about({ action: 'delete', type: typeName, key }, async (note) => {
      const type = session.begin(typeName, 'delete', key)
      await session.write(type, 'delete', key, async (op) => {
        const plan = await judgeDelete(op, type, key, how)
        note(plan.clause)
        await applyDelete(op, type, plan)
      })
    })
  }

  /** Deletes for good what would otherwise be removed. */
  async purge(typeName: string, key: Key): Promise<void> {
    const session = this.#session
    const type = typeModel(session.model, typeName)
    if (!session.isSystem) throw new QueryError(typeName, 'only trusted code may call purge: use store.asSystem("...").purge(...)')
    if (type.removal === undefined) throw new QueryError(typeName, 'purge is for records that are removed and not deleted: use delete')
    await session.logger.about({ action: 'delete', type: typeName, key }, () =>
      session.write(type, 'delete', key, async (op) => applyDelete(op, type, await judgeDelete(op, type, key, { forGood: true }))),
    )
  }

  updateMany(typeName: string, which: Which, sent: Row, how?: BulkOptions): Promise<BulkResult> {
    const session = this.#session
    return session.logger.about({ action: 'update', type: typeName }, async () => {
      const type = session.begin(typeName, 'update')
      session.checkSize(type, sent)
      return this.#many(type, 'update', which, how, async (op, key, seen) => {
        const plan = await judgeUpdate(op, type, key, sent, seen === undefined ? {} : { seen })
        return () => applyUpdate(op, type, plan, 'as judged')
      })
    })
  }

  deleteMany(typeName: string, which: Which, how?: BulkOptions): Promise<BulkResult> {
    const session = this.#session
    return session.logger.about({ action: 'delete', type: typeName }, async () => {
      const type = session.begin(typeName, 'delete')
      const gone = new Set<string>()
      return this.#many(type, 'delete', which, how, async (op, key, seen) => {
        const plan = await judgeDelete(op, type, key, seen === undefined ? {} : { seen })
        return () => applyDelete(op, type, plan, gone)
      })
    })
  }

  /** The record with a key, created by trusted code if there is none. `creating` is the store on other tables. */
  async ensure(typeName: string, key: Key, record: Row, creating: (inside: Tables) => Pick<Writing, 'create'>): Promise<Row> {
    const session = this.#session
    const type = typeModel(session.model, typeName)
    if (!session.isSystem) throw new QueryError(typeName, 'only trusted code may call ensure: use store.asSystem("...").ensure(...)')
    if (!isKey(type, key)) throw new InvalidError(typeName, [{ field: keyName(type), problem: 'is not a valid key' }])
    const ensured = () =>
      session.write(type, 'create', key, async (op) => {
        const [there] = await see(op, typeName, { where: TRUE, key, limit: 1 })
        return there === undefined ? creating(op.tables).create(typeName, { ...record, ...keyRow(type, key) }) : there.shown
      })
    // Another request may have created it meanwhile: then the second read finds it.
    return ensured().catch((error: unknown) => {
      if (!isPachterError(error, 'CONSTRAINT') && !isPachterError(error, 'DUPLICATE_KEY')) throw error
      return ensured()
    })
  }

  /**
   * Does the same to several records. All are judged before any is changed, so that none justifies another. If some may not be changed,
   * nothing is done, unless `partial` is set.
   */
  #many(type: TypeModel, action: 'update' | 'delete', which: Which, options: BulkOptions = {}, judgeOne: JudgeOne): Promise<BulkResult> {
    const { keys, where } = readWhich(this.#session.model.types, type, which)
    return this.#session.write(
      type,
      action,
      undefined,
      async (op) => {
        const meant = keys === undefined ? guardedWhere(op.asker, type, where) : undefined
        const found =
          keys ?? (await see(op, type.name, { where: meant as ConditionNode, sort: readSort(type) })).map(({ row }) => keyOf(type, row))
        const { plans, refused } = await judgeAll(op, type, found, meant, judgeOne)
        if (refused.length > 0 && options.partial !== true) throw new BulkError(type.name, plans.length + refused.length, refused)
        for (const { apply } of plans) await apply()
        return { done: plans.map(({ key }) => key), refused }
      },
      typesIn(where),
    )
  }
}

interface Judged {
  readonly plans: readonly { readonly key: Key; readonly apply: () => Promise<unknown> }[]
  readonly refused: readonly RefusedRecord[]
}

async function judgeAll(
  op: Operation,
  type: TypeModel,
  keys: readonly Key[],
  meant: ConditionNode | undefined,
  judgeOne: JudgeOne,
): Promise<Judged> {
  const plans: { key: Key; apply: () => Promise<unknown> }[] = []
  const refused: RefusedRecord[] = []
  for (const key of keys) {
    try {
      // Whether it still matches the filter is checked again once it is locked.
      const seen = meant === undefined ? undefined : await stillMeant(op, type, key, meant)
      if (meant !== undefined && seen === undefined) continue
      plans.push({ key, apply: await judgeOne(op, key, seen) })
    } catch (error) {
      if (!(error instanceof DeniedError || error instanceof InvalidError)) throw error
      refused.push({ key, code: error.code, message: error.message })
    }
  }
  return { plans, refused }
}

/** A record of a bulk change, locked, if it still matches. */
async function stillMeant(op: Operation, type: TypeModel, key: Key, meant: ConditionNode): Promise<Seen | undefined> {
  const seen = await seeOne(op, type, key)
  if (seen === undefined) return undefined
  const [still] = await judge(op, [{ when: meant }], seen.row)
  return still ? seen : undefined
}
