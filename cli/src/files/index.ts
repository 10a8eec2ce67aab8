/**
 * The files of the command: expectations and baselines, as YAML.
 * @module
 */
export { BaselineError, baselineText, readBaseline } from './baseline-file.js'
export { ExpectationFileError, type Mistake } from './expectation-error.js'
export { readExpectations } from './expectation-file.js'
export type { KnownNames } from './expectation-names.js'
export { withExpectations } from './expectation-text.js'
