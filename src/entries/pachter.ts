/**
 * Rules for records: who may read, create, update and delete what, from one rulebook.
 * @module
 */
export { type ErrorCode, isPachterError, LinksError, PachterError } from '../condition/index.js'
export type {
  AnyClause,
  Clause,
  LimitedClause,
  ReachedClause,
  ReachedLimitedClause,
  ReachedStanding,
  ReachedStandings,
  Standing,
} from '../rulebook/clause-types.js'
export { allOf, anyOf, not } from '../rulebook/conditions.js'
export { RulebookError, UnknownNameError } from '../rulebook/error.js'
export { toMany, toOne } from '../rulebook/links.js'
export type { Joined, Names, RulesFor } from '../rulebook/rule-types.js'
// Types of terms, for conditions with arguments, and so that declaration files can name the type of a rulebook.
export type {
  Condition,
  ElementsTerm,
  GroupOps,
  GroupTerm,
  ListTerm,
  Mistake,
  NumberTerm,
  OpaqueTerm,
  Operand,
  Presence,
  Source,
  Term,
  Terms,
  TextListTerm,
  TextTerm,
  TimeTerm,
} from '../rulebook/term-types.js'
export { forever, now } from '../rulebook/terms.js'
export type {
  Action,
  FieldName,
  Key,
  KeyOf,
  Link,
  LinkOptions,
  LinkTerms,
  ManyTerm,
  MeTerms,
  RecordTerms,
  RecordWords,
  RowOf,
  Shape,
  TypeName,
  World,
} from '../rulebook/types.js'
export { ClaimsError } from '../viewpoint/claims.js'
export { ClockError, RecordError } from '../viewpoint/error.js'
export { indexed, type LinkedRecords } from '../viewpoint/linked.js'
export { type Rulebook, rulebook, type TermsIn, type TermsOfMe, type WorldOf } from '../viewpoint/rulebook.js'
export type { Outcome, Verdict } from '../viewpoint/verdict.js'
export type { Clock, Viewpoint } from '../viewpoint/viewpoint.js'
export type { Explanation } from '../viewpoint/why.js'
