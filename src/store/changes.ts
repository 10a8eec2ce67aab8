import { type Row, TRUE } from '../condition/index.js'
import { type Key, keyOf, type Model, typeModel } from '../rulebook/index.js'
import { UncertainError } from './errors.js'
import type { Tables } from './tables.js'

/** A written record: `before` unless it was created, `after` unless it was deleted. */
export interface RecordChange {
  readonly type: string
  readonly key: Key
  readonly before?: Row
  readonly after?: Row
}

/**
 * The same tables, which report writes after the commit. They also report them if the outcome of a commit is unknown, because listeners
 * read the current state anyway.
 */
export function telling(tables: Tables, model: Model, tell: (changes: readonly RecordChange[]) => void, isHeard: () => boolean): Tables {
  return {
    ...bound(tables),
    async transaction(work, isolation) {
      // Without listeners, nothing is recorded.
      if (!isHeard()) return tables.transaction(work, isolation)
      let changes: RecordChange[] = []
      const told = () => {
        if (changes.length > 0) tell(Object.freeze(changes))
      }
      try {
        const result = await tables.transaction((inside) => {
          changes = []
          return work(noting(inside, model, changes))
        }, isolation)
        told()
        return result
      } catch (error) {
        if (error instanceof UncertainError) told()
        throw error
      }
    },
  }
}

/**
 * Tables inside a transaction of the application's own, whose writes are kept until it says that the transaction was committed. What a
 * failed call wrote is rolled back, and not told.
 */
export function untold(tables: Tables, model: Model): { readonly tables: Tables; take(): readonly RecordChange[] } {
  let all: RecordChange[] = []
  const inside: Tables = {
    ...bound(tables),
    async transaction(work, isolation) {
      let changes: RecordChange[] = []
      const result = await tables.transaction((within) => {
        changes = []
        return work(noting(within, model, changes))
      }, isolation)
      all.push(...changes)
      return result
    },
  }
  const take = () => {
    const taken = Object.freeze(all)
    all = []
    return taken
  }
  return { tables: inside, take }
}

function bound(tables: Tables): Tables {
  return {
    answersAtOnce: tables.answersAtOnce === true,
    connection: tables.connection,
    select: (type, selection) => tables.select(type, selection),
    count: (type, selection) => tables.count(type, selection),
    countBy: (type, field, selection) => tables.countBy(type, field, selection),
    test: (conditions, now) => tables.test(conditions, now),
    insert: (type, row) => tables.insert(type, row),
    update: (type, changes, target) => tables.update(type, changes, target),
    remove: (type, target) => tables.remove(type, target),
    wasRemoved: (type, key) => tables.wasRemoved(type, key),
    transaction: (work, isolation) => tables.transaction(work, isolation),
    ...(tables.queries === undefined ? {} : { queries: tables.queries.bind(tables) }),
  }
}

/** Tables within a transaction that record writes. Locked records are remembered, so that they are not read again. */
function noting(tables: Tables, model: Model, changes: RecordChange[]): Tables {
  const locked = new Map<string, Row>()
  const idOf = (type: string, key: unknown) => JSON.stringify([type, key])
  const asItWas = async (type: string, key: Key, now: number) =>
    locked.get(idOf(type, key)) ?? (await tables.select(type, { where: TRUE, key, now, limit: 1 }))[0]?.row
  const inside: Tables = {
    ...bound(tables),
    async select(type, selection) {
      const found = await tables.select(type, selection)
      if (selection.lock === 'update') for (const { row } of found) locked.set(idOf(type, keyOf(typeModel(model, type), row)), row)
      return found
    },
    async insert(type, row) {
      const after = await tables.insert(type, row)
      changes.push({ type, key: keyOf(typeModel(model, type), after), after })
      return after
    },
    async update(type, sent, target) {
      const before = await asItWas(type, target.key, target.now)
      const after = await tables.update(type, sent, target)
      if (after === undefined) return undefined
      locked.set(idOf(type, target.key), after)
      changes.push({ type, key: target.key, ...(before ? { before } : {}), after })
      return after
    },
    async remove(type, target) {
      const before = await asItWas(type, target.key, target.now)
      const count = await tables.remove(type, target)
      if (count > 0) {
        locked.delete(idOf(type, target.key))
        changes.push({ type, key: target.key, ...(before ? { before } : {}) })
      }
      return count
    },
    transaction: (work, isolation) => tables.transaction((within) => work(noting(within, model, changes)), isolation),
  }
  return inside
}
