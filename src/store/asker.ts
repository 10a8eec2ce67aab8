import { type ConditionNode, type Env, TRUE } from '../condition/index.js'
import type { Action } from '../rulebook/index.js'
import type { AskersClause, InnerViewpoint, Outcome, PersonalRules } from '../viewpoint/index.js'

/** The rules of an action as they stand for the asker. */
export interface AskersRules extends Pick<PersonalRules, 'open' | 'vetoes'> {
  readonly clauses: readonly AskersClause[]
}

/** On whose behalf the store acts: what it asks before it does anything. */
export interface Asker {
  readonly viewpoint: InnerViewpoint | undefined
  readonly model: InnerViewpoint['model']
  env(): Env
  outright(type: string, action: Action): Outcome | undefined
  /** What must hold of a stored record for the asker to see it. */
  readable(type: string): ConditionNode
  /** The clauses of the action that can hold for the asker, and what must hold besides. */
  rules(type: string, action: Action): AskersRules
}

/** A person, by their viewpoint. */
export function personal(viewpoint: InnerViewpoint): Asker {
  return {
    viewpoint,
    model: viewpoint.model,
    env: viewpoint.env,
    outright: viewpoint.outright,
    readable: (type) => viewpoint.rules(type, 'read').when,
    rules: viewpoint.rules,
  }
}

const EVERYTHING: AskersRules = { clauses: [{ when: TRUE, test: undefined }], open: { when: TRUE, test: undefined }, vetoes: [] }

/** Trusted server code: no rules. The viewpoint lends it the model and the clock. */
export function system(viewpoint: InnerViewpoint): Asker {
  return {
    viewpoint: undefined,
    model: viewpoint.model,
    env: viewpoint.env,
    outright: () => undefined,
    readable: () => TRUE,
    rules: () => EVERYTHING,
  }
}
