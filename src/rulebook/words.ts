import { describeOdd } from '../condition/describe.js'
import {
  anyOfNode,
  type ConditionNode,
  compareNode,
  isList,
  type LiteralNode,
  presenceNode,
  type TermNode,
  TRUE,
} from '../condition/nodes.js'
import { standingClause, whoeverClause } from './clauses.js'
import { RulebookError, unknownName } from './error.js'
import type { MeModel, TypeModel } from './model.js'
import { strict } from './strict.js'
import { groupTerms } from './terms.js'
import { here } from './upkeep.js'

/** Terms for the claims: what authors know as `me`. */
export function meTerms(me: Pick<MeModel, 'fields' | 'key'>): object {
  return groupTerms('claim', me.fields, { name: 'me', ids: [me.key] })
}

/** Terms for the fields of a record: what authors know as `plot`. */
export function recordTerms(type: TypeModel): object {
  return groupTerms('field', type.fields, { name: type.name, ids: [type.key] })
}

/** What a callback of `standings` may speak of. */
export function standingWords(me: MeModel): object {
  return strict({ me: meTerms(me) }, refuseWord(['me']))
}

/** What a callback of `rules` may speak of. */
export function ruleWords(me: MeModel, type: TypeModel): object {
  const words = {
    after: groupTerms('field', type.fields, { name: 'after', ids: [type.key], of: 'after' }),
    standing: standingsOf(type),
    get anyone() {
      return standingClause(named('anyone', TRUE))
    },
    whoever: (condition: unknown) => whoeverClause(condition),
  }
  // By their descriptors: reading a getter would make a condition that nobody asked for.
  Object.defineProperties(words, Object.getOwnPropertyDescriptors(personWords(me)))
  return strict(words, refuseWord(Object.keys(words)))
}

/** What the gate of a rulebook may speak of. */
export function gateWords(me: MeModel): object {
  const words = personWords(me)
  return strict(words, refuseWord(Object.keys(words)))
}

/** The words that speak of the person alone. */
function personWords(me: MeModel): object {
  return {
    me: meTerms(me),
    get signedIn() {
      return standingClause(named('signed in', signedIn(me)))
    },
    role: (...names: unknown[]) => standingClause(roleCondition(me, names)),
  }
}

function standingsOf(type: TypeModel): object {
  const standings = {}
  for (const [name, node] of Object.entries(type.standings)) {
    Object.defineProperty(standings, name, { get: () => standingClause(node), enumerable: true })
  }
  return strict(standings, (name) => {
    throw new RulebookError(here(), unknownName(`standing of ${type.name}`, name, Object.keys(type.standings)))
  })
}

function refuseWord(known: readonly string[]): (name: string) => never {
  return (name) => {
    throw new RulebookError(here(), unknownName('word', name, known))
  }
}

/** A condition under a name. */
export function named(name: string, of: ConditionNode): ConditionNode {
  return Object.freeze({ kind: 'named', name, of })
}

/** Somebody is signed in if the claim that says who they are is there. */
export function signedIn(me: Pick<MeModel, 'key'>): ConditionNode {
  return presenceNode(Object.freeze({ kind: 'claim', path: Object.freeze([me.key]), type: 'id' }), true)
}

function roleCondition(me: MeModel, names: readonly unknown[]): ConditionNode {
  const { roles } = me
  if (roles === undefined) {
    throw new RulebookError(here(), 'role(...): the claims have no roles: add roles: (me) => ... beside the shape of me')
  }
  if (names.length === 0) throw new RulebookError(here(), 'role() of nothing: name at least one role')
  const tests = names.map((name) => {
    if (typeof name !== 'string' || name === '') throw new RulebookError(here(), `role(...): ${describeOdd(name)} is no role name`)
    if (roles.known !== undefined && !roles.known.includes(name)) throw new RulebookError(here(), unknownName('role', name, roles.known))
    const literal: LiteralNode = Object.freeze({ kind: 'literal', type: 'text', value: name })
    return compareNode(roles.term, isList(roles.term) ? 'has' : 'is', literal)
  })
  const title = `role ${names.join(' or ')}`
  return named(title, tests.length === 1 ? (tests[0] as ConditionNode) : anyOfNode(tests))
}

/** Where the roles are, among the claims. */
export interface Roles {
  readonly term: TermNode
  /** Every role there is, where the shape lists them. */
  readonly known?: readonly string[]
}
