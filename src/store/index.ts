/**
 * The guarded store: one person's data, with the rules in every query.
 * @module
 */
export {
  ConstraintError,
  DeniedError,
  DuplicateKeyError,
  type FieldFault,
  InvalidError,
  NotFoundError,
  QueryError,
  RefusedError,
  RowError,
  SignInError,
  StoreError,
} from './errors.js'
export { inMemory, type Records } from './memory.js'
export type { ListOptions, Picked } from './query.js'
export { type GuardedStore, openStore, type Store, type StoreOptions } from './store.js'
export type { Backend, Selection, SortStep, Tables, Target } from './tables.js'
