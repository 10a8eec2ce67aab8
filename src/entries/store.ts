/**
 * The guarded store: one person's data, with the rules in every query.
 * @module
 */

export type { AllowedVerdict, Along } from '../store/allowed-verdict.js'
export { inMemory, type Records } from '../store/backends/memory.js'
export type { RecordChange } from '../store/changes.js'
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
} from '../store/errors.js'
export type { Limits } from '../store/limits.js'
export type { LogEntry, VerdictLog } from '../store/log.js'
export { CursorError } from '../store/read/cursor.js'
export type { Include, Included } from '../store/read/include.js'
export type { Counted, CountOptions, DescribedPageOptions, Page, PageOptions } from '../store/read/pages.js'
export type { Described, DescribedOptions, ListOptions, Permitted, Picked } from '../store/read/query.js'
export { openStore } from '../store/store.js'
export type {
  ActingOptions,
  AsSystem,
  GuardedStore,
  Store,
  StoreInTransaction,
  StoreOptions,
  SystemStore,
  TransactionWork,
} from '../store/store-types.js'
export type { Backend } from '../store/tables.js'
export { BulkError, type BulkOptions, type BulkResult, type RefusedRecord, type Which } from '../store/write/bulk.js'
