/**
 * The files of the command: expectations and baselines, as YAML.
 * @module
 */
export { BaselineError, baselineText, readBaseline } from './baseline-file.js'
export { ExpectationFileError, type Known, type Mistake, readExpectations } from './expectation-file.js'
export { withExpectations } from './expectation-text.js'
