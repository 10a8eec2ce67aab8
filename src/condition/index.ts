export { type Hanging, hangingOnAbsence } from './absence.js'
export { changedBy, comparedAs } from './compared.js'
export { describe, describeOdd, describeOver, describeTerm, describeValue, type Wording } from './describe.js'
export { ConditionError, isPachterError, PachterError } from './error.js'
export {
  type Env,
  type Links,
  LinksError,
  linkedBy,
  linkValues,
  newCourse,
  type Predicate,
  predicate,
  type Row,
  shown,
} from './evaluate.js'
export { about, withAfter } from './fill.js'
export { absorbed } from './implies.js'
export { comparisonProblem, conditionFromJson, joinProblem, listChangeProblem, orElseProblem } from './json.js'
export { keysAt, linkedRecords, type RecordSource, valuesAt, waysAt } from './linked.js'
export { equality, isSelfContained, joinsOf, lower, overLink, placeOf } from './lower.js'
export { negate, pushNot } from './negate.js'
export * from './nodes.js'
export { linksLast } from './order.js'
export { combine, complement, type PersonClaims, person, simplify, specialiser } from './simplify.js'
export { compareText, lowerAscii } from './text.js'
export { FIRST_INSTANT, instant, instantText, LAST_INSTANT } from './time.js'
export { type Trace, trace } from './trace.js'
export {
  type Comparable,
  comparable,
  family,
  inside,
  isBlank,
  isHoldable,
  isMissing,
  literalType,
  proper,
  properList,
  type Scalar,
} from './value.js'
export {
  askedWithin,
  asksAfter,
  asRecord,
  changesList,
  claimNodesIn,
  fieldNodesIn,
  fieldsIn,
  followsLinks,
  highestEach,
  leavesOf,
  mapTerms,
  numbered,
} from './walk.js'
