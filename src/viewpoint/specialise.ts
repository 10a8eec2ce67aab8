import {
  type ConditionNode,
  combine,
  type Env,
  FALSE,
  type PersonClaims,
  type Predicate,
  predicate,
  type Row,
  specialiser,
} from '../condition/index.js'
import { ACTIONS, type ClauseNode, type Model, type TypeModel } from '../rulebook/index.js'

/** A condition that is made into a function when that is first asked for: a list that the database filters never needs one. */
export interface Testable {
  readonly when: ConditionNode
  test: Predicate | undefined
}

/** The condition as a function. */
export function testOf(testable: Testable): Predicate {
  testable.test ??= predicate(testable.when)
  return testable.test
}

/** Whether the condition holds. */
export function holds(testable: Testable, record: Row, env: Env): boolean {
  return testOf(testable)(record, env)
}

/** A clause as it stands for one person: what is left to ask of the record. */
export interface PersonalClause extends Testable {
  readonly clause: ClauseNode
}

/**
 * What is left of the rules for one person, one record type and one action: everything that must hold, for an action on a
 * stored record that it be visible too; and the clauses that can hold for this person at all.
 */
export interface PersonalRules extends Testable {
  readonly clauses: readonly PersonalClause[]
}

/** A clause made ready to be specialised for one person after another. */
interface ReadyClause {
  readonly clause: ClauseNode
  readonly specialise: (who: PersonClaims) => ConditionNode
}

/** The clauses of each action, in the order of ACTIONS. */
type ReadyRules = readonly (readonly ReadyClause[])[]

const readied = new WeakMap<Model, Map<string, ReadyRules>>()

/** The rules of a rulebook by record type, made ready once for everybody. */
export function readyRules(model: Model): ReadonlyMap<string, ReadyRules> {
  let ready = readied.get(model)
  if (ready === undefined) {
    ready = new Map(Object.values(model.types).map((type) => [type.name, readyType(type)]))
    readied.set(model, ready)
  }
  return ready
}

function readyType({ rules }: TypeModel): ReadyRules {
  return ACTIONS.map((action) => (rules?.may[action] ?? []).map((clause) => ({ clause, specialise: specialiser(clause.when) })))
}

/** Specialises the clauses of one record type and action for one person's claims. */
export function specialise(ready: readonly ReadyClause[], who: PersonClaims, read: PersonalRules | undefined): PersonalRules {
  const clauses: PersonalClause[] = []
  const conditions: ConditionNode[] = []
  for (const { clause, specialise } of ready) {
    const when = specialise(who)
    if (when === FALSE) continue
    clauses.push({ clause, when, test: undefined })
    conditions.push(when)
  }
  const any = combine('anyOf', conditions)
  const when = read === undefined || any === FALSE ? any : combine('allOf', [read.when, any])
  return { clauses, when, test: undefined }
}
