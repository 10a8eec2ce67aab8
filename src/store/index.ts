/**
 * The guarded store: one person's data, with the rules in every query.
 * @module
 */

export { inMemory, type Records } from './backends/memory.js'
export type { RecordChange } from './changes.js'
export {
  DeniedError,
  InvalidError,
  RefusedError,
} from './errors.js'

export type { VerdictLog } from './log.js'

export { openStore } from './store.js'
export type { AsSystem, GuardedStore, Store } from './store-types.js'
export type { Tables } from './tables.js'
export { BulkError } from './write/bulk.js'
