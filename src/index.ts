/**
 * Pachter: row-level and ownership rules. One rulebook, specialised for each person before any record is touched.
 * @module
 */
export { isPachterError, LinksError, PachterError } from './condition/index.js'
export {
  type Action,
  allOf,
  anyOf,
  type Clause,
  type Condition,
  forever,
  type Key,
  type Link,
  type LinkOptions,
  type ListTerm,
  type NumberTerm,
  not,
  now,
  type Operand,
  RulebookError,
  type RulesFor,
  type Standing,
  type Term,
  type TextTerm,
  type TimeTerm,
  toMany,
  toOne,
  UnknownNameError,
} from './rulebook/index.js'
export {
  ClaimsError,
  type Clock,
  type Explanation,
  indexed,
  type LinkedRecords,
  type Outcome,
  RecordError,
  type Rulebook,
  rulebook,
  type TermsIn,
  type Verdict,
  type Viewpoint,
  type WorldOf,
} from './viewpoint/index.js'
