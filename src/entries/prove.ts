/**
 * What holds for every person and all records: guarantees, changes of rules, rules that do nothing, and people who give themselves more.
 * @module
 */
export { type Compared, driftForEveryone, type Widening } from '../prove/drift.js'
export type { Limits } from '../prove/encoding.js'
export type { Example } from '../prove/example.js'
export { type Judged, type JudgedGuarantee, judgeGuarantee, judgeGuarantees } from '../prove/guarantees.js'
export { type IdleRule, idleRules } from '../prove/idle.js'
export type { Grant, Permission } from '../prove/permissions.js'
export type { Asked, Promotion } from '../prove/promotion.js'
export { ProofError } from '../prove/proof.js'
export { DEFAULT_LIMITS, type SearchLimits } from '../prove/search.js'
export { idleAcceptances, selfPromotions } from '../prove/self-promotion.js'
export type { Gain, Write } from '../prove/write-question.js'
export type { AcceptanceNode, GuaranteeNode } from '../rulebook/model.js'
