/**
 * Checks of rules for an application's own tests.
 * @module
 */
export {
  type Expectation,
  expectationTitle,
  type Refusal,
} from '../review/expectations/expectation.js'
export {
  ExpectationError,
  type Look,
  type LookOptions,
  lookThrough,
  type Onlooker,
  type Trying,
} from '../review/expectations/testing.js'
