export type * from './acceptance-types.js'
export { whoOf, withAcceptances } from './acceptances.js'
export { noLeftovers, used } from './build-context.js'
export { noteApart, noteWritten, type Written, writtenIn } from './call-sites.js'
export { signedIn } from './callback-args.js'
export type * from './clause-types.js'
export { allOf, toCondition } from './conditions.js'
export { isName, readDefinition } from './definition.js'
export { RulebookError, UnknownNameError, unknownName } from './error.js'
export { withEveryRecord } from './every-record.js'
export { isGenerated } from './generated.js'
export type * from './guarantee-types.js'
export { withGuarantees } from './guarantees.js'
export { modelFromJson, modelToJson, type RulebookJson, type Shapes } from './json.js'
export {
  isKey,
  isKeyField,
  type Keyed,
  keyFromText,
  keyName,
  keyOf,
  keyPlaces,
  keyRow,
  keyValues,
  readKey,
  serverKey,
} from './keys.js'
export { isSet, type LinkModel } from './links.js'
export {
  type AcceptanceNode,
  type ClauseNode,
  fieldOf,
  type GateWordsNode,
  type GuaranteeNode,
  keysAreGiven,
  knownAction,
  type MeModel,
  type Model,
  type TypeModel,
  type TypeRules,
  typeModel,
  type VetoNode,
} from './model.js'
export { nearest } from './nearest.js'
export { conditionNode } from './node.js'
export { finished } from './normalize.js'
export { recordTerms } from './record-terms.js'
export { isJudgedAlong, type Reference, referencesTo } from './references.js'
export type * from './rule-types.js'
export { sameValue } from './same.js'
export type { Field, Fields } from './shape.js'
export { holdsObjects, schemaOf, shapeOf, timeAs } from './shape.js'
export type * from './term-types.js'
export { conditionsOfType } from './type-conditions.js'
export type * from './types.js'
export { isUnlisted, isUnlistedValue, unlistedFrom } from './unlisted.js'
export { warningsOf } from './warnings.js'
export { rulesByTitle, withoutRule } from './without.js'
export { withGate, withGrant, withGrants, withRules, withStandings } from './write.js'
