import type { Row } from '../../condition/index.js'
import { type Key, keyOf, typeModel } from '../../rulebook/index.js'
import type { RecordChange } from '../../store/index.js'
import { keyIs, keyIsOneOf } from '../../store/read/key-conditions.js'
import { concerned, leadingTo, type Reading } from './follow.js'
import { ownAt } from './own-fields.js'
import { outdate, touch, type WatchedStore } from './subscription.js'

type Concerns = Map<string, Set<Key>>

/** The most records that one query asks for. */
const AT_ONCE = 500

/** Marks the subscriptions that changes affect, and the records that they must check again. */
export async function find(watched: WatchedStore, changes: readonly RecordChange[]): Promise<void> {
  const { inside } = watched
  const reading: Reading = { tables: inside.tables, model: inside.model, now: inside.now() }
  const concerns: Concerns = new Map()
  for (const change of changes) {
    note(concerns, change.type, change.key)
    for (const subscription of ownAt(watched, change.type, versions([change]))) outdate(subscription, true)
  }
  await alongLinks(watched, reading, changes, concerns)
  for (const [name, keys] of concerns) await mark(watched, reading, name, [...keys])
}

function note(concerns: Concerns, type: string, key: unknown): void {
  concerns.set(type, (concerns.get(type) ?? new Set()).add(key as Key))
}

/** The records before and after the change. */
function versions(changes: readonly RecordChange[]): Row[] {
  return changes.flatMap(({ before, after }) => [before, after]).filter((row) => row !== undefined)
}

/** The records from which rules reach the changed ones, found by following the links backwards. */
async function alongLinks(watched: WatchedStore, reading: Reading, changes: readonly RecordChange[], concerns: Concerns): Promise<void> {
  for (const [root, { anywhere, ways }] of watched.reaches) {
    for (const changed of new Set(changes.map(({ type }) => type))) {
      if (anywhere.has(changed)) outdateAll(watched, root)
      const rows = versions(changes.filter(({ type }) => type === changed))
      for (const steps of ways) {
        if (steps.at(-1)?.type !== changed) continue
        for (const row of await leadingTo(reading, root, steps, rows)) note(concerns, root, keyOf(typeModel(reading.model, root), row))
      }
    }
  }
}

function outdateAll(watched: WatchedStore, type: string): void {
  for (const subscription of watched.subscriptions.values()) if (subscription.type.name === type) outdate(subscription)
}

/** Marks the subscriptions that may see these records now, and those that show them still. */
async function mark(watched: WatchedStore, reading: Reading, name: string, keys: readonly Key[]): Promise<void> {
  const index = watched.indexes.get(name)
  if (index === undefined) return
  const type = typeModel(reading.model, name)
  for (let from = 0; from < keys.length; from += AT_ONCE) {
    const some = keys.slice(from, from + AT_ONCE)
    const where = some.length === 1 ? keyIs(type, some[0] as Key) : keyIsOneOf(type, some)
    for (const { row } of await reading.tables.select(name, { where, now: reading.now }))
      for (const subscription of await concerned(reading, index, row)) touch(subscription, keyOf(type, row))
    for (const key of some) for (const subscription of watched.showing.get(name)?.get(key) ?? []) touch(subscription, key)
  }
}
