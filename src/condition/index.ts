export { findUnguardedNegations } from './absence.js'
export {
  bindAfter,
  bindRecord,
  type KnownRecord,
  type KnownRecords,
  type RecordBinding,
  recordBinding,
  wholeRecord,
} from './bind-record.js'
export { combine } from './combine.js'
export { type Env, type EvaluationContext, type Links, LinksError, newContext, type Predicate, type Row } from './context.js'
export { copied } from './copy.js'
export { dayIn, startOfDay, timeOf } from './day.js'
export { describe, describeOdd, describeOver, describeTerm, describeValue, type Wording } from './describe.js'
export { ConditionError, isPachterError, PachterError } from './error.js'
export type { ErrorCode } from './error-code.js'
export { predicate } from './evaluate.js'
export { frozen } from './freeze.js'
export { absorbed } from './implies.js'
export { interned } from './interned.js'
export { conditionFromJson } from './json.js'
export { bytesOf, jsonText, unlistedText } from './json-text.js'
export { exactWaysAt, inSmallLetters, keysAt, linkedRecords, type RecordSource, valuesAt, waysAt } from './linked.js'
export { linkedAs, startOf } from './linked-as.js'
export { equality, joinsOf, linkOf, lower, placeOf } from './lower.js'
export { negate, pushNot } from './negate.js'
export * from './nodes.js'
export {
  COMPARISONS,
  type Comparison,
  compareValues,
  listSides,
  operatorOf,
  PHRASES,
  TAKES,
} from './operators.js'
export { bind, bindTerm, complement, knownValue, type Looked, UNDECIDED } from './partial.js'
export { perNode, perNodes } from './per-node.js'
export { linkedBy, linkValues, shown } from './readers.js'
export { Recent } from './recent.js'
export { isReached, notRemoved, onLinked } from './removal.js'
export { sameCondition } from './same.js'
export { properTypes, shapeOf } from './shape.js'
export { type PersonClaims, person, simplify, specialised } from './specialise.js'
export { compareText, lowerAscii } from './text.js'
export { FIRST_INSTANT, instant, instantText, LAST_INSTANT } from './time.js'
export { type Trace, trace } from './trace.js'
export {
  type Comparable,
  comparable,
  family,
  isBlank,
  isHoldable,
  isMissing,
  literalType,
  type Scalar,
  toComparable,
  toComparables,
} from './value.js'
export {
  anyNode,
  childrenOf,
  eachNode,
  type LeafNode,
  type Looking,
  mapChildren,
  OUTERMOST,
  partsOfTerm,
  someAround,
  termsOf,
} from './visit.js'
export {
  anyLeaf,
  askedOf,
  askedWithin,
  asksAfter,
  asRecord,
  changesList,
  claimNodesIn,
  fieldNodesIn,
  fieldsIn,
  followsLinks,
  highestEach,
  isSelfContained,
  leavesOf,
  linksLast,
  mapTerms,
  numbered,
} from './walk.js'
