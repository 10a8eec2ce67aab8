import { allOfNode, type ConditionNode, timeOf } from '../../condition/index.js'
import { keyOf, typeModel } from '../../rulebook/index.js'
import type { RecordChange } from '../../store/index.js'
import { outdate, type WatchedStore } from './subscription.js'

/** Every this many checks, the records with times that no index can find are checked again. */
const SELDOM = 15

/**
 * Finds what changed since the last check only because time passed. Records that became due are treated as if they had been written.
 * Subscriptions whose own claims depend on the time are marked.
 */
export async function due(watched: WatchedStore, looks: number): Promise<readonly RecordChange[]> {
  const now = watched.inside.now()
  const { last } = watched
  watched.last = now
  for (const [type, { ticking }] of watched.reaches)
    if (ticking && looks % SELDOM === 0) for (const one of watched.subscriptions.values()) if (one.type.name === type) outdate(one)
  if (now <= last) return []
  for (const one of watched.timed) if (one.instants.some((at) => at >= last - 1 && at <= now)) outdate(one)
  const places = new Map(
    [...watched.reaches.values()]
      .flatMap(({ times }) => times)
      .map((one) => [`${one.type} ${one.place.path} ${one.by.zone} ${one.by.days}`, one]),
  )
  const changes: RecordChange[] = []
  for (const { type, place, by } of places.values()) {
    const [from, until] = [timeOf(by, last), timeOf(by, now)]
    // A new day begins once a day.
    if (from === until) continue
    const model = typeModel(watched.inside.model, type)
    for (const { row } of await watched.inside.tables.select(type, { where: between(place.path, from - 1, until + 1), now }))
      changes.push({ type, key: keyOf(model, row), before: row, after: row })
  }
  return changes
}

function between(path: readonly string[], after: number, before: number): ConditionNode {
  const field = { kind: 'field', of: 'record', path, type: 'time' } as const
  const at = (time: number) => ({ kind: 'literal', type: 'time', value: new Date(time).toISOString() }) as const
  return allOfNode([
    { kind: 'compare', by: 'isAfter', left: field, right: at(after) },
    { kind: 'compare', by: 'isBefore', left: field, right: at(before) },
  ])
}
