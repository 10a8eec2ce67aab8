/**
 * What holds for every person and all records: guarantees, changes of rules, and rules that do nothing.
 * @module
 */
export { type Compared, driftForEveryone, type Widening } from '../prove/drift.js'
export type { Limits } from '../prove/encoding.js'
export type { Example } from '../prove/example.js'
export { type Judged, type JudgedGuarantee, judgeGuarantee, judgeGuarantees } from '../prove/guarantees.js'
export { type IdleRule, idleRules } from '../prove/idle.js'
export type { Grant, Permission } from '../prove/permissions.js'
export { ProofError } from '../prove/proof.js'
export { DEFAULT_LIMITS, type SearchLimits } from '../prove/search.js'
export type { GuaranteeNode } from '../rulebook/model.js'
