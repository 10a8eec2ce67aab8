import { type Key, keyPlace, typeModel } from '../../rulebook/index.js'
import type { Change } from '../../store/index.js'
import { keyIs } from '../../store/operation.js'
import { placeIsOneOf } from '../../store/read/key-conditions.js'
import { type Home, outdate, touch } from './audience.js'
import { concerned, leadingTo, type Reading } from './follow.js'
import { ownAt } from './own-fields.js'

/** Notes whom changes concern, and with which records. */
export async function find(home: Home, changes: readonly Change[]): Promise<void> {
  const { inside } = home
  const reading: Reading = { tables: inside.tables, model: inside.model, now: inside.now() }
  const concerns = new Map<string, Set<Key>>()
  const note = (type: string, key: unknown) => {
    const keys = concerns.get(type) ?? new Set()
    concerns.set(type, keys.add(key as Key))
  }
  for (const { type, key, before, after } of changes) {
    note(type, key)
    const versions = [before, after].filter((row) => row !== undefined)
    for (const audience of ownAt(home, type, versions)) outdate(audience, true)
  }
  for (const [root, reach] of home.reaches) {
    for (const changed of new Set(changes.map(({ type }) => type))) {
      const rows = changes.flatMap(({ type, before, after }) =>
        type === changed ? [before, after].filter((row) => row !== undefined) : [],
      )
      if (reach.anywhere.has(changed)) {
        for (const audience of home.audiences.values()) if (audience.type.name === root) outdate(audience)
      }
      for (const steps of reach.ways)
        if (steps.at(-1)?.type === changed)
          for (const row of await leadingTo(reading, root, steps, rows)) note(root, row[typeModel(inside.model, root).key])
    }
  }
  for (const [name, keys] of concerns) {
    const index = home.indexes.get(name)
    if (index === undefined) continue
    const type = typeModel(inside.model, name)
    const all = [...keys]
    for (let from = 0; from < all.length; from += 500) {
      const some = all.slice(from, from + 500)
      const where = some.length === 1 ? keyIs(type, some[0] as Key) : placeIsOneOf(keyPlace(type), some)
      for (const { row } of await inside.tables.select(name, { where, now: reading.now }))
        for (const audience of await concerned(reading, index, row)) touch(audience, row[type.key] as Key)
      for (const key of some) for (const audience of home.showing.get(name)?.get(key) ?? []) touch(audience, key)
    }
  }
}
