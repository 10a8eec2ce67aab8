import { type ConditionNode, type Env, TRUE } from '../condition/index.js'
import type { Action } from '../rulebook/index.js'
import type { AskersClause, InnerViewpoint, Outcome } from '../viewpoint/index.js'

/** On whose behalf the store acts: what it asks before it does anything. */
export interface Asker {
  readonly viewpoint: InnerViewpoint | undefined
  readonly model: InnerViewpoint['model']
  env(): Env
  outright(type: string, action: Action): Outcome | undefined
  /** What must hold of a stored record for the asker to see it. */
  readable(type: string): ConditionNode
  /** The clauses of the action that can hold for the asker. */
  clauses(type: string, action: Action): readonly AskersClause[]
}

/** A person, by their viewpoint. */
export function personal(viewpoint: InnerViewpoint): Asker {
  return {
    viewpoint,
    model: viewpoint.model,
    env: viewpoint.env,
    outright: viewpoint.outright,
    readable: (type) => viewpoint.rules(type, 'read').when,
    clauses: (type, action) => viewpoint.rules(type, action).clauses,
  }
}

const EVERYTHING: readonly AskersClause[] = [{ when: TRUE, test: undefined }]

/** Trusted server code: no rules. The viewpoint lends it the model and the clock. */
export function system(viewpoint: InnerViewpoint): Asker {
  return {
    viewpoint: undefined,
    model: viewpoint.model,
    env: viewpoint.env,
    outright: () => undefined,
    readable: () => TRUE,
    clauses: () => EVERYTHING,
  }
}
