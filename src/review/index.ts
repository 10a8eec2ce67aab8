// The access matrix: who may do what to which record.

export {
  type Baseline,
  baselineOf,
  type Change,
  type Drift,
  driftBetween,
  type Grant,
  isNoDrift,
  type KeptAccess,
  type RuleChange,
} from './baseline.js'
export { BaselineError, baselineText, readBaseline } from './baseline-file.js'
export { type ClauseLine, clauseLines } from './clause-lines.js'
export { type Coverage, type CoveragePoint, coverageOf } from './coverage.js'
export { coverageLcov, coverageListing, coverageReport, isCovered } from './coverage-report.js'
export { type Deciding, decidingOf, type RuleText, type RuleUse } from './deciding.js'
export { type DeployedFinding, judgeDeployed } from './deployed.js'
export { type Deployed, DeployedError, type OwnAddress } from './deployed-calls.js'
export {
  type AccessExpectation,
  type Expectation,
  type Extent,
  expectationTitle,
  type FieldsExpectation,
  type Place,
  type PrivilegeExpectation,
  REFUSALS,
  type ReachExpectation,
  type Refusal,
  type TryExpectation,
} from './expectation.js'
export { ExpectationFileError, type Known, type Mistake, readExpectations } from './expectation-file.js'
export { withExpectations } from './expectation-text.js'
export { type Failing, failings } from './failings.js'
export {
  type CellRef,
  type CellToKeep,
  type DriftFindings,
  driftFindings,
  type ExpectationFindings,
  expectationFindings,
  type FailingExpectation,
  type MissedMutant,
  type MutantFindings,
  mutantFindings,
  type ReviewFindings,
  type ReviewState,
} from './findings.js'
export { type Attempted, type Ground, type GroundOptions, groundOf, type Outcome, strangerOf, withEverybody } from './ground.js'
export { type Finding, judgeExpectation } from './judge.js'
export { lettersOf } from './letters.js'
export { type Access, type AccessMatrix, accessMatrix, type MatrixOptions } from './matrix.js'
export { type Mutant, mutantsOf } from './mutants.js'
export { type MutantResult, runMutants } from './mutation.js'
export { typesNeeded } from './needed.js'
export { openProject, type Project, projectOf, type TypePlaces } from './project.js'
export { comparedValues, reasonOf } from './reason.js'
export { accessReport, type ReportOptions } from './report.js'
export { type RecordSets, recordSets } from './sets.js'
export { type SourcePlace, type SourcePlaces, sourcePlaces } from './source.js'
