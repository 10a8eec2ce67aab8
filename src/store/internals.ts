import type { Model } from '../rulebook/index.js'
import type { Asker } from './asker-types.js'
import type { RecordChange } from './changes.js'
import type { AboutAsker, Logger } from './log.js'
import type { Store } from './store-types.js'
import type { Tables } from './tables.js'

/** The internals of a store, for parts of this library that read all records, such as live lists. */
export interface Inside {
  readonly model: Model
  readonly tables: Tables
  /** The time of an operation, in milliseconds since 1970. */
  now(): number
  /** Writes to the verdict log; undefined if the store has none. */
  readonly logger: ((asker: AboutAsker) => Logger) | undefined
  /** The current rules of a person for these types; their claims are checked. */
  asker(me: unknown, types: readonly string[]): Promise<Asker>
  /** Reports writes from now on. Returns a function to unsubscribe. */
  listen(hear: (changes: readonly RecordChange[]) => void): () => void
}

const behind = new WeakMap<object, Inside>()

const connections = new WeakMap<object, unknown>()

/** Registers the connection of a guarded store inside a transaction. */
export function putConnection(store: object, connection: unknown): void {
  connections.set(store, connection)
}

/** The connection of a guarded store; undefined outside a transaction. */
export function connectionOf(store: object): unknown {
  return connections.get(store)
}

/** Registers the internals of a store. */
export function putInside(store: object, inside: Inside): void {
  behind.set(store, inside)
}

/** The internals of a store. @throws TypeError for a value that `openStore` did not create */
export function insideOf(store: Store): Inside {
  const inside = behind.get(store)
  if (inside === undefined) throw new TypeError('this store was not made by openStore')
  return inside
}
