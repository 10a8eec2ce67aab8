// The access matrix: who may do what to which record.

export {
  type AccessChange,
  baselineOf,
  type Drift,
  driftBetween,
  type Grant,
  isNoDrift,
  type RuleChange,
} from './drift/baseline.js'
export { judgeDeployed } from './expectations/deployed.js'
export type { Deployed, OwnAddress } from './expectations/deployed-calls.js'
export { expectationTitle } from './expectations/expectation.js'
export type { Finding } from './expectations/judge.js'
export { lettersOf } from './matrix/letters.js'
export { type Access, type AccessMatrix, accessMatrix } from './matrix/matrix.js'
export { decidingOf } from './matrix/rule-impact.js'
export { recordSets } from './matrix/sets.js'
export { type MutantResult, runMutants } from './mutants/mutation.js'
export { recordsOfNobody } from './nobodys.js'
export { openProject, type Project, projectOf } from './project.js'
export { type ClauseLine, clauseLines } from './reports/clause-lines.js'
export { failings } from './reports/failings.js'
export {
  type CellToSave,
  cellOf,
  driftFindings,
  expectationFindings,
  type MutantFindings,
  mutantFindings,
  type ReviewFindings,
  type ReviewState,
} from './reports/findings.js'
export type { ExampleWorld, ProofFindings, ProofStatement } from './reports/proofs.js'
export { accessReport } from './reports/report.js'
export { typesNeeded } from './required-types.js'
export { type Coverage, type CoveragePoint, coverageOf } from './rule-coverage/coverage.js'
export { coverageLcov, coverageListing, coverageReport, isCovered } from './rule-coverage/coverage-report.js'
export { type Ground, groundOf, strangerOf, withEverybody } from './scenario.js'
export type { SourcePlace, SourcePlaces } from './source-places.js'
