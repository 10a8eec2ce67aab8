// For pachter-cli and this project's own tests: no part of what the package promises, and changed without notice.
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
