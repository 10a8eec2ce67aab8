// For pachter-cli and this project's own tests. Not part of the public API; it can change without notice.
export type { Baseline, SavedAccess } from '../../review/drift/baseline.js'
export {
  EXTENTS,
  type Expectation,
  type Extent,
  type FieldsExpectation,
  type FileLine,
  REFUSALS,
  type ReachExpectation,
  type Refusal,
  type TryExpectation,
} from '../../review/expectations/expectation.js'
export { judgeExpectation } from '../../review/expectations/judge.js'
export {
  type Access,
  type AccessChange,
  type AccessMatrix,
  accessMatrix,
  accessReport,
  baselineOf,
  type CellToSave,
  type ClauseLine,
  type Coverage,
  type CoveragePoint,
  cellOf,
  clauseLines,
  coverageLcov,
  coverageListing,
  coverageOf,
  coverageReport,
  type Deployed,
  type Drift,
  decidingOf,
  driftBetween,
  driftFindings,
  type ExampleWorld,
  expectationFindings,
  expectationTitle,
  type Finding,
  failings,
  type Grant,
  type Ground,
  groundOf,
  isCovered,
  isNoDrift,
  judgeDeployed,
  lettersOf,
  type MutantFindings,
  type MutantResult,
  mutantFindings,
  type OwnAddress,
  openProject,
  type Project,
  type ProofFindings,
  type ProofStatement,
  projectOf,
  type ReviewFindings,
  type ReviewState,
  type RuleChange,
  recordSets,
  recordsOfNobody,
  runMutants,
  type SourcePlace,
  type SourcePlaces,
  strangerOf,
  typesNeeded,
  withEverybody,
} from '../../review/index.js'
export { add, type Bits, each, has, noBits, union } from '../../review/matrix/bits.js'
export { type FieldMatrix, fieldMatrix } from '../../review/matrix/matrix.js'
export { type Situation, type Workings, workingsOf } from '../../review/matrix/matrix-cache.js'
export { type Deciding, decidingBy, type RuleUse } from '../../review/matrix/rule-impact.js'
export type { IndexCache } from '../../review/matrix/set-table.js'
export { once } from '../../review/once.js'
export type { Failing } from '../../review/reports/failings.js'
export type { CellRef } from '../../review/reports/findings.js'
export { missedBy } from '../../review/reports/reason.js'
export { escaped } from '../../review/reports/report-page.js'
export { typesAsked } from '../../review/required-types.js'
