import type { ConditionNode, Env } from '../condition/index.js'
import type { Model } from '../rulebook/index.js'
import type { AskersClause, InnerViewpoint, Outcome, PersonalRules } from '../viewpoint/index.js'

/** The specialised rules of an action. */
export interface AskersRules extends Pick<PersonalRules, 'open' | 'gate' | 'messages'> {
  readonly clauses: readonly AskersClause[]
}

/** The asker of one operation: their rules, as every step of the store needs them. */
export interface Asker {
  readonly viewpoint: InnerViewpoint | undefined
  readonly model: Model
  env(): Env
  decideWithoutRecord(type: string, action: string): Outcome | undefined
  /** What must hold on a stored record for the asker to see it. */
  readable(type: string): ConditionNode
  /** The clauses of the action that can hold for the asker, and what else must hold. */
  rules(type: string, action: string): AskersRules
}
