/**
 * The guarded store: one person's data, with the rules in every query.
 * @module
 */
export { BulkError, type BulkOptions, type BulkResult, type InTheWay, type Which } from './bulk.js'
export type { Change } from './changes.js'
export { CursorError } from './cursor.js'
export {
  BusyError,
  ConstraintError,
  DeniedError,
  DuplicateKeyError,
  type FieldFault,
  InvalidError,
  IsolationError,
  NotFoundError,
  QueryError,
  RefusedError,
  RowError,
  SignInError,
  StoreError,
  UncertainError,
} from './errors.js'
export type { Include, Included } from './include.js'
export type { Limits } from './limits.js'
export type { LogEntry, VerdictLog } from './log.js'
export { inMemory, type Records } from './memory.js'
export type { Counted, CountOptions, DescribedPageOptions, Page, PageOptions } from './pages.js'
export type { Described, DescribedOptions, ListOptions, Permitted, Picked } from './query.js'
export { openStore } from './store.js'
export type { AsSystem, GuardedStore, Store, StoreOptions, SystemStore, Together } from './store-types.js'
export type { Backend, Found, Isolation, Selection, SortStep, Tables, Target } from './tables.js'
