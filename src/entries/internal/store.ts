// For pachter-cli and this project's own tests. Not part of the public API; it can change without notice.
export type { Compared, Difference, Verified } from '../../store/backends/verify.js'
export {
  DeniedError,
  type GuardedStore,
  InvalidError,
  inMemory,
  openStore,
  type Records,
  type Store,
  type VerdictLog,
} from '../../store/index.js'
export { FILTER_OPERATORS, filterFromText, TextError, valueFromText } from '../../store/read/from-text.js'
export type { Tables } from '../../store/tables.js'
export { fitRecord } from '../../store/write/fit.js'
