import {
  allOfNode,
  type ConditionNode,
  combine,
  complement,
  type Env,
  FALSE,
  notNode,
  type PersonClaims,
  type Predicate,
  predicate,
  type Row,
  specialised,
  TRUE,
} from '../condition/index.js'
import type { ClauseNode, Model, TypeModel, VetoNode } from '../rulebook/index.js'

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
  /** What must hold of an updated record, where that is something else than the clause itself. */
  readonly afterwards?: Testable
}

/** A veto as it stands for one person. */
export interface PersonalVeto extends Testable {
  readonly veto: VetoNode
}

/** What somebody is told where a condition holds that stands in their way: a gate that is closed, or a veto. */
export interface PersonalMessage extends Testable {
  readonly message: string
}

/**
 * What is left of the rules for one person, one record type and one action: everything that must hold, for an action on a
 * stored record that it be visible too; and the clauses that can hold for this person at all.
 */
export interface PersonalRules extends Testable {
  readonly clauses: readonly PersonalClause[]
  /** What must hold besides a clause: the gates, and no veto. */
  readonly open: Testable
  readonly vetoes: readonly PersonalVeto[]
  /** The gates alone: of an updated record they must hold as it becomes, too. */
  readonly gate: Testable
  /** The messages for refused people: those of gates first, then those of vetoes. */
  readonly messages: readonly PersonalMessage[]
}

/** The rules of one action. */
interface ReadyAction {
  readonly gate: ConditionNode | undefined
  readonly words: readonly { readonly message: string; readonly when: ConditionNode }[]
  readonly vetoes: readonly VetoNode[]
  readonly clauses: readonly ClauseNode[]
}

const readied = new WeakMap<Model, Map<string, readonly ReadyAction[]>>()

/** The rules of a rulebook by record type and action (in the order of its actions), prepared once for everyone. */
export function readyRules(model: Model): ReadonlyMap<string, readonly ReadyAction[]> {
  let ready = readied.get(model)
  if (ready === undefined) {
    ready = new Map(Object.values(model.types).map((type) => [type.name, readyType(model, type)]))
    readied.set(model, ready)
  }
  return ready
}

function readyType({ gate, gateMessages = [] }: Model, { rules, actions }: TypeModel): readonly ReadyAction[] {
  return actions.map((action) => {
    const gates = [gate, rules?.gates[action]].filter((one) => one !== undefined)
    const vetoes = (rules?.vetoes ?? []).filter((veto) => veto.actions.includes(action))
    return {
      gate: gates.length === 0 ? undefined : allOfNode(gates),
      words: [...gateMessages, ...(rules?.gateMessages?.[action] ?? [])].map(({ when, message }) => ({
        message,
        when: notNode(when),
      })),
      vetoes,
      clauses: rules?.may[action] ?? [],
    }
  })
}

const OPEN: Testable = { when: TRUE, test: undefined }

/** What must hold besides a clause: the gates, and none of the vetoes, which are collected on the way. */
function opened(gate: Testable, vetoes: readonly VetoNode[], who: PersonClaims, collected: PersonalVeto[]): Testable {
  const parts = gate === OPEN ? [] : [gate.when]
  for (const veto of vetoes) {
    const when = specialised(veto.when, who)
    if (when === FALSE) continue
    collected.push({ veto, when, test: undefined })
    parts.push(complement(when))
  }
  return { when: combine('allOf', parts), test: undefined }
}

/** Specialises the rules of one record type and action for one person's claims. */
export function specialise(
  ready: ReadyAction | undefined,
  who: PersonClaims,
  read: PersonalRules | undefined,
  within?: string,
): PersonalRules {
  const clauses: PersonalClause[] = []
  const conditions: ConditionNode[] = []
  for (const clause of ready?.clauses ?? []) {
    if (clause.within !== undefined && !clause.within.includes(within as string)) continue
    const when = specialised(clause.when, who)
    if (when === FALSE) continue
    const { afterwards } = clause
    if (afterwards === undefined) clauses.push({ clause, when, test: undefined })
    else clauses.push({ clause, when, test: undefined, afterwards: { when: specialised(afterwards, who), test: undefined } })
    conditions.push(when)
  }
  const vetoes: PersonalVeto[] = []
  const gate = ready?.gate === undefined ? OPEN : { when: specialised(ready.gate, who), test: undefined }
  const open = ready === undefined || (gate === OPEN && ready.vetoes.length === 0) ? OPEN : opened(gate, ready.vetoes, who, vetoes)
  const spoken = (ready?.words ?? []).map(({ message, when }) => ({ message, when: specialised(when, who), test: undefined }))
  const told = vetoes.map(({ veto, ...testable }) => ({ ...testable, message: veto.message }))
  const messages = spoken.length === 0 ? told : [...spoken, ...told]
  return { clauses, open, gate, vetoes, messages, when: whenLet(conditions, open, read), test: undefined }
}

/** What must hold altogether: one of the clauses, and all that is besides. */
function whenLet(clauses: readonly ConditionNode[], open: Testable, read: PersonalRules | undefined): ConditionNode {
  const any = combine('anyOf', clauses)
  const besides = read === undefined ? [] : [read.when]
  if (open !== OPEN) besides.push(open.when)
  return any === FALSE || besides.length === 0 ? any : combine('allOf', [...besides, any])
}

/** What can be said before any record is known. */
export function mayFor({ when }: PersonalRules): 'always' | 'never' | 'depending' {
  return when.kind !== 'constant' ? 'depending' : when.value ? 'always' : 'never'
}

/** The rules with those of the clauses only that are still there; all else is as it was, but for what is visible. */
export function withClauses(rules: PersonalRules, there: ReadonlySet<ClauseNode>, read: PersonalRules | undefined): PersonalRules {
  const clauses = rules.clauses.filter(({ clause }) => there.has(clause))
  const conditions = clauses.map(({ when }) => when)
  return { ...rules, clauses, when: whenLet(conditions, rules.open, read), test: undefined }
}

/**
 * Whether a clause counts for an update: it holds on the record as it is, and it, or what stands in its place, holds on
 * the record as it becomes.
 */
export function counts(clause: Testable & { readonly afterwards?: Testable }, before: Row, after: Row, env: Env): boolean {
  const both = { ...env, after }
  return holds(clause, before, both) && holds(clause.afterwards ?? clause, after, both)
}

/** The message of the gate or veto that refuses; undefined if none with a message does. */
export function messageOf({ messages }: Pick<PersonalRules, 'messages'>, record: Row, env: Env): string | undefined {
  return messages.find((one) => holds(one, record, env))?.message
}
