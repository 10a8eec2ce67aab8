export type { ClauseNode } from './clauses.js'
export { allOf, anyOf, not } from './conditions.js'
export { RulebookError, UnknownNameError, unknownName } from './error.js'
export {
  ACTIONS,
  fieldOf,
  isName,
  knownAction,
  type MeModel,
  type Model,
  readDefinition,
  type TypeModel,
  typeModel,
  type VetoNode,
} from './model.js'
export { nearest } from './nearest.js'
export { conditionNode } from './node.js'
export { sameValue } from './same.js'
export type { Field } from './shape.js'
export type * from './term-types.js'
export { forever, now } from './terms.js'
export type * from './types.js'
export { noLeftovers, used } from './upkeep.js'
export { recordTerms } from './words.js'
export { withGate, withPrivileges, withRules, withStandings } from './write.js'
