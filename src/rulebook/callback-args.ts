import { describeOdd } from '../condition/describe.js'
import { anyOfNode, type ConditionNode, type LiteralNode, presenceNode, TRUE, typeOf } from '../condition/nodes.js'
import { here, used } from './build-context.js'
import { standingClause } from './clauses.js'
import { RulebookError, unknownName } from './error.js'
import type { LinkModel } from './links.js'
import type { MeModel, TypeModel } from './model.js'
import { myLinks, recordsWord, recordTerms, standingsOf, type Types } from './record-terms.js'
import { hasRole } from './role-condition.js'
import { strict } from './strict.js'
import { groupTerms, todayTerm } from './terms.js'

/** The person and the record types, from which callback arguments are made. */
type World = { readonly me: MeModel; readonly types: Types }

/** Terms for the claims, `me` in rules. */
export function meTerms(me: Pick<MeModel, 'fields' | 'key' | 'links'>, types: Types, manyOf?: (link: LinkModel) => object): object {
  const many = manyOf === undefined ? [] : Object.values(me.links).filter((link) => link.many)
  const own = Object.fromEntries(many.map((link) => [link.name, () => manyOf?.(link) as object]))
  return groupTerms('claim', me.fields, { name: 'me', ids: [me.key], links: { ...myLinks(types, me.links), ...own } })
}

/** The arguments of a `standings` callback. */
export function standingWords({ me, types }: World, type: TypeModel): object {
  return wordsOf({ standing: standingsOf(type), records: recordsWord(types) }, { me, types })
}

/** The arguments of a `rules` callback. */
export function ruleWords({ me, types }: World, type: TypeModel): object {
  const words = {
    after: recordTerms(types, type, 'after', 'after'),
    standing: standingsOf(type),
    records: recordsWord(types),
    get anyone() {
      return everyone()
    },
  }
  return wordsOf(words, { me, types })
}

/** The clause of everyone. A callback may name it and not use it: whatever stands in its place allows no more. */
function everyone(): object {
  const clause = standingClause(named('anyone', TRUE))
  used(clause)
  return clause
}

/** The arguments of a gate callback of a rulebook. */
export function gateWords({ me, types }: World): object {
  return wordsOf({ records: recordsWord(types) }, { me, types })
}

/** The arguments of a `grant` callback, for one record type. */
export function grantWords(world: World, type: TypeModel): object {
  const words = {
    record: recordTerms(world.types, type, 'record', 'record'),
    after: recordTerms(world.types, type, 'after', 'after'),
    records: recordsWord(world.types),
    get anyone() {
      return everyone()
    },
  }
  return wordsOf(words, world)
}

/** The arguments of an `everyRecord` callback, for one record type. */
export function everyRecordWords({ me, types }: World, type: TypeModel): object {
  const terms = recordTerms(types, type, 'record', 'record')
  const record = strict(terms, (name) => {
    const unknown = unknownName(`field of ${type.name}`, name, Object.keys(type.fields))
    throw new RulebookError(here(), `${unknown}. If it should have none, leave the type out: except: ['${type.name}'].`)
  })
  return wordsOf({ record, records: recordsWord(types) }, { me, types })
}

/** These words and those that concern the person, refusing all others. */
function wordsOf(words: object, world: World): object {
  // Copied as property descriptors: reading a getter would create an unused condition.
  Object.defineProperties(words, Object.getOwnPropertyDescriptors(personWords(world)))
  return strict(words, refuseWord(Object.keys(words)))
}

/** The arguments that concern only the person. */
function personWords({ me, types }: World): object {
  return {
    me: meTerms(me, types),
    get signedIn() {
      return standingClause(named('signed in', signedIn(me)))
    },
    get today() {
      if (me.timeZone === undefined)
        throw new RulebookError(here(), "today needs a time zone. Name it in the definition of me: timeZone: 'Europe/Dublin'.")
      return todayTerm(me.timeZone)
    },
    role: (...names: unknown[]) => standingClause(roleCondition(me, names)),
  }
}

function refuseWord(known: readonly string[]): (name: string) => never {
  return (name) => {
    throw new RulebookError(here(), unknownName('word', name, known))
  }
}

/** A condition with a name. */
export function named(name: string, of: ConditionNode): ConditionNode {
  return Object.freeze({ kind: 'named', name, of })
}

/** A person is signed in if the claim with their id is present. */
export function signedIn(me: Pick<MeModel, 'key'>): ConditionNode {
  return presenceNode(Object.freeze({ kind: 'claim', path: Object.freeze([me.key]), type: 'id' }), true)
}

function roleCondition(me: MeModel, names: readonly unknown[]): ConditionNode {
  const { roles } = me
  if (roles === undefined) {
    throw new RulebookError(here(), 'role(...): the claims have no roles. Add roles: (me) => ... to the definition of me.')
  }
  if (names.length === 0) throw new RulebookError(here(), 'role() needs at least one role')
  const tests = names.map((name) => {
    const isNumber = typeOf(roles.term) === 'integer'
    if (isNumber ? !Number.isSafeInteger(name) : typeof name !== 'string' || name === '')
      throw new RulebookError(
        here(),
        `role(...): ${describeOdd(name)} is not a role${isNumber ? ': roles are whole numbers here' : ' name'}`,
      )
    const role = name as string | number
    if (roles.known !== undefined && !roles.known.includes(role))
      throw new RulebookError(here(), unknownName('role', name, roles.known.map(String)))
    const literal: LiteralNode = Object.freeze({ kind: 'literal', type: isNumber ? 'number' : 'text', value: role })
    return hasRole(roles, literal)
  })
  const title = `role ${names.join(' or ')}`
  return named(title, tests.length === 1 ? (tests[0] as ConditionNode) : anyOfNode(tests))
}
