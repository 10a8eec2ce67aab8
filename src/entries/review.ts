/**
 * The effect of a rulebook on people and records: access matrix, expectations, drift, coverage, mutants, reports.
 * @module
 */

export { type Baseline, baselineOf, type Drift, driftBetween, isNoDrift } from '../review/drift/baseline.js'
export { type DeployedFinding, judgeDeployed } from '../review/expectations/deployed.js'
export { type Deployed, DeployedError } from '../review/expectations/deployed-calls.js'
export { type Expectation, expectationTitle, type Refusal } from '../review/expectations/expectation.js'
export { type Finding, judgeExpectation } from '../review/expectations/judge.js'
export { type Access, type AccessMatrix, accessMatrix, type MatrixOptions } from '../review/matrix/matrix.js'
export { type Mutant, mutantsOf } from '../review/mutants/mutants.js'
export { type MutantResult, runMutants } from '../review/mutants/mutation.js'
export { openProject, type Project, projectOf } from '../review/project.js'
export { type ClauseLine, clauseLines } from '../review/reports/clause-lines.js'
export { accessReport, type ReportOptions } from '../review/reports/report.js'
export { type Coverage, type CoveragePoint, coverageOf } from '../review/rule-coverage/coverage.js'
export { coverageLcov, coverageListing, coverageReport } from '../review/rule-coverage/coverage-report.js'
export { type Ground, groundOf } from '../review/scenario.js'
