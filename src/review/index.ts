// The access matrix: who may do what to which record.

export {
  type Baseline,
  BaselineError,
  baselineOf,
  baselineText,
  type Change,
  type Drift,
  driftBetween,
  type KeptAccess,
  readBaseline,
} from './baseline.js'
export { type Access, type AccessMatrix, accessMatrix, type MatrixOptions } from './matrix.js'
export { accessReport, lettersOf, type ReportOptions } from './report.js'
export { type RecordSets, recordSets } from './sets.js'
