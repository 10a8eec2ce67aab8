import type { Model } from '../rulebook/index.js'
import type { Asker } from './asker.js'
import type { RecordChange } from './changes.js'
import type { Store } from './store-types.js'
import type { Tables } from './tables.js'

/** What is behind a store, for parts of this library that look at all records: live lists, above all. */
export interface Inside {
  readonly model: Model
  readonly tables: Tables
  /** The instant of an operation, in milliseconds since 1970. */
  now(): number
  /** How somebody stands now towards records of these types; their claims are checked. */
  asker(me: unknown, types: readonly string[]): Promise<Asker>
  /** Is told of what is written from now on. Gives a way to stop that. */
  listen(hear: (changes: readonly RecordChange[]) => void): () => void
}

const behind = new WeakMap<object, Inside>()

/** Notes what is behind a store. */
export function putInside(store: object, inside: Inside): void {
  behind.set(store, inside)
}

/** What is behind a store. @throws TypeError for what `openStore` did not give */
export function insideOf(store: Store): Inside {
  const inside = behind.get(store)
  if (inside === undefined) throw new TypeError('this store was not made by openStore')
  return inside
}
