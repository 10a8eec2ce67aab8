/**
 * Conditions as plain data, for tools that read, write or evaluate rules.
 * @module
 */
export {
  ConditionError,
  type ConditionNode,
  conditionFromJson,
  describe,
  type Env,
  type EvaluationContext,
  type Links,
  linkedRecords,
  newContext,
  type Predicate,
  predicate,
  type RecordSource,
  type Row,
  simplify,
  type TermNode,
  type Wording,
} from '../condition/index.js'
export { conditionNode } from '../rulebook/index.js'
