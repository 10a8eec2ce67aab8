export { issuePath, readClaims } from './claims.js'

export { type AskersClause, changedFields, fieldsLetBy, fieldsRefused, isLimited, visibility, withFields } from './fields.js'
export { type GrantKind, grantsIn } from './grants.js'
export { sameClaims, viewpointAgain } from './kept-rules.js'
export {
  claimsAlone,
  type FurtherLink,
  indexed,
  type LinkedRecords,
  type LinkOfMe,
  linkedClaims,
  linksOfMe,
  linksOver,
  MOST_OWN,
  ownOf,
  startOfLink,
  typesOfMe,
  withFurther,
  withLinked,
  withMyLinks,
} from './linked.js'
export { type Rulebook, rulebookOf } from './rulebook.js'
export { holds, mayFor, type PersonalRules, testOf, withClauses } from './specialise.js'
export { isEmpty, stampedRecord, stampValues } from './stamps.js'
export { fieldMessage, type Outcome, type Verdict, verdictOf } from './verdict.js'
export { type Clock, type InnerViewpoint, type Viewpoint, viewpointOf } from './viewpoint.js'
export { type ClauseTrace, type Explanation, explain } from './why.js'
