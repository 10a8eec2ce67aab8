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
  person,
  predicate,
  type Row,
  specialised,
  TRUE,
} from '../condition/index.js'
import type { ClauseNode, Model, TypeModel, VetoNode } from '../rulebook/index.js'

/** A condition that is compiled when it is first evaluated. A list that the database filters never needs that. */
export interface Testable {
  readonly when: ConditionNode
  test: Predicate | undefined
}

/** The compiled condition. */
export function testOf(testable: Testable): Predicate {
  testable.test ??= predicate(testable.when)
  return testable.test
}

/** Whether the condition holds. */
export function holds(testable: Testable, record: Row, env: Env): boolean {
  return testOf(testable)(record, env)
}

/** A clause specialised for one person: the remaining condition on the record. */
export interface PersonalClause extends Testable {
  readonly clause: ClauseNode
  /** What must hold on the changed record, if it differs from the clause itself. */
  readonly afterwards?: Testable
}

/** A veto specialised for one person. */
export interface PersonalVeto extends Testable {
  readonly veto: VetoNode
}

/** The message for a person who is refused by a condition: a closed gate, or a veto. */
export interface PersonalMessage extends Testable {
  readonly message: string
}

/**
 * The rules for one person, record type and action: everything that must hold (for a stored record, also that it is visible), and the
 * clauses that can hold for this person.
 */
export interface PersonalRules extends Testable {
  readonly clauses: readonly PersonalClause[]
  /** What must hold besides a clause: the gates, and no veto. */
  readonly open: Testable
  readonly vetoes: readonly PersonalVeto[]
  /** The gates alone. For an update they must also hold on the changed record. */
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

/** What was worked out for a person: each part when it is first needed. */
export interface Specialised {
  readonly who: PersonClaims
  /** By record type, and then by the number of the action. */
  readonly rules: Map<string, (PersonalRules | undefined)[]>
  readonly standings: Map<string, readonly { readonly name: string; readonly when: ConditionNode }[]>
}

/** Nothing was worked out for these claims yet. */
export function unspecialised(me: Row | null): Specialised {
  return { who: person(me), rules: new Map(), standings: new Map() }
}

const readied = new WeakMap<Model, Map<string, readonly ReadyAction[]>>()

/** The rules of a rulebook by record type and action, prepared once for all people. */
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

/** What must hold besides a clause: the gates and none of the vetoes, which are collected here too. */
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

/** What must hold in total: one of the clauses, and everything else. */
function whenLet(clauses: readonly ConditionNode[], open: Testable, read: PersonalRules | undefined): ConditionNode {
  const any = combine('anyOf', clauses)
  const besides = read === undefined ? [] : [read.when]
  if (open !== OPEN) besides.push(open.when)
  return any === FALSE || besides.length === 0 ? any : combine('allOf', [...besides, any])
}

/** The answer before any record is known. */
export function mayFor({ when }: PersonalRules): 'always' | 'never' | 'depending' {
  return when.kind !== 'constant' ? 'depending' : when.value ? 'always' : 'never'
}

/** The rules with only the remaining clauses. Everything else is unchanged, except what is visible. */
export function withClauses(rules: PersonalRules, there: ReadonlySet<ClauseNode>, read: PersonalRules | undefined): PersonalRules {
  const clauses = rules.clauses.filter(({ clause }) => there.has(clause))
  const conditions = clauses.map(({ when }) => when)
  return { ...rules, clauses, when: whenLet(conditions, rules.open, read), test: undefined }
}

/** Whether a clause counts for an update: it holds on the record as it is, and it or its `afterwards` holds on the changed record. */
export function counts(clause: Testable & { readonly afterwards?: Testable }, before: Row, after: Row, env: Env): boolean {
  const both = { ...env, after }
  return holds(clause, before, both) && holds(clause.afterwards ?? clause, after, both)
}

/** The message of the gate or veto that refuses; undefined if that one has none. */
export function messageOf({ messages }: Pick<PersonalRules, 'messages'>, record: Row, env: Env): string | undefined {
  return messages.find((one) => holds(one, record, env))?.message
}
