import { allOfNode, anyOfNode, type ConditionNode } from '../condition/nodes.js'
import { refuseUnguardedNegations } from './absence.js'
import { noLeftovers } from './build-context.js'
import { gateWords, grantWords, named, ruleWords, standingWords } from './callback-args.js'
import { type ClauseScope, type Stamped, useClause } from './clauses.js'
import { useCondition } from './conditions.js'
import { isName, plainObject } from './definition.js'
import { RulebookError, unknownName } from './error.js'
import { readGates, readVetoes, wordsOf } from './gates-and-vetoes.js'
import { checkGenerated } from './generated.js'
import type { ClauseNode, Model, TypeModel, TypeRules } from './model.js'
import { finished } from './normalize.js'
import { recordTerms } from './record-terms.js'
import { readStamps } from './stamps.js'

type Callback = (record: object, words: object) => unknown

/** Adds standings to the model. @throws RulebookError */
export function withStandings(model: Model, given: unknown): Model {
  const types = { ...model.types }
  for (const [name, callback] of callbacks(model, given, 'standings')) {
    const type = types[name] as TypeModel
    checkTied(callback, name, 'standings')
    const standings: Record<string, ConditionNode> = { ...type.standings }
    noLeftovers(
      `standings of ${name}`,
      () => callback(recordTerms(model.types, type), standingWords(model, type)),
      (result) => {
        for (const [standing, condition] of Object.entries(plainObject(result, `standings of ${name}`))) {
          const at = `standings of ${name}, ${standing}`
          if (!isName(standing)) throw new RulebookError(at, 'a standing needs a name of letters, digits and _')
          if (Object.hasOwn(standings, standing)) throw new RulebookError(at, 'a standing of this name exists already')
          standings[standing] = named(standing, finished(useCondition(condition, standing), at))
        }
      },
    )
    types[name] = Object.freeze({ ...type, standings: Object.freeze(standings) })
  }
  return Object.freeze({ ...model, types: Object.freeze(types) })
}

/** Adds the rules of one or more record types to the model. @throws RulebookError */
export function withRules(model: Model, given: unknown): Model {
  const types = { ...model.types }
  for (const [name, callback] of callbacks(model, given, 'rules')) {
    const type = types[name] as TypeModel
    if (type.rules !== undefined && !type.grantsOnly)
      throw new RulebookError(`rules of ${name}`, 'it has rules already: write them in one place')
    checkTied(callback, name, 'rules')
    const rules = noLeftovers(
      `rules of ${name}`,
      () => callback(recordTerms(model.types, type), ruleWords(model, type)),
      (result) => readRules(type, result, Object.keys(model.routines)),
    )
    const { grantsOnly: _, rules: granted, ...bare } = type
    const ruled = Object.freeze({ ...bare, rules: granted === undefined ? rules : withClauses(type, rules, granted.may) })
    checkGenerated(ruled)
    types[name] = ruled
  }
  return Object.freeze({ ...model, types: Object.freeze(types) })
}

/** Adds the same clauses to several record types. @throws RulebookError */
export function withGrant(model: Model, names: unknown, given: unknown): Model {
  if (!Array.isArray(names) || names.length === 0) throw new RulebookError('grant', "needs a list of record types: grant(['room'], ...)")
  if (typeof given !== 'function') throw new RulebookError('grant', 'needs a function: ({ role }) => ({ read: [...] })')
  const types = { ...model.types }
  for (const name of new Set(names)) {
    const type = Object.hasOwn(types, name as string) ? types[name as string] : undefined
    if (type === undefined) throw new RulebookError('grant', unknownName('record type', name, Object.keys(types)))
    const at = `grant, ${type.name}`
    const may = noLeftovers(
      at,
      () => (given as (words: object) => unknown)(grantWords(model, type)),
      (result) => readClauses(type, result, at, { routines: Object.keys(model.routines), stamped: stampedOf(type.rules?.stamps) }),
    )
    const bare = readRules(type, {}, [])
    const own = type.rules === undefined ? { grantsOnly: true as const } : {}
    const ruled = Object.freeze({ ...type, ...own, rules: withClauses(type, type.rules ?? bare, may) })
    checkGenerated(ruled)
    types[type.name] = ruled
  }
  return Object.freeze({ ...model, types: Object.freeze(types) })
}

/** Rules with more clauses behind their own. */
function withClauses({ name, actions }: TypeModel, rules: TypeRules, more: TypeRules['may']): TypeRules {
  const may = actions.map((action) => {
    const clauses = [...(rules.may[action] ?? []), ...(more[action] ?? [])]
    const twice = clauses.find(({ title }, at) => clauses.findIndex((other) => other.title === title) !== at)
    if (twice !== undefined)
      throw new RulebookError(`rules of ${name}, may.${action}`, `the clause "${twice.title}" occurs twice: remove one`)
    return [action, Object.freeze(clauses)]
  })
  return Object.freeze({ ...rules, may: Object.freeze(Object.fromEntries(may)) })
}

function stampedOf(stamps: TypeRules['stamps'] | undefined): Stamped {
  return { create: Object.keys(stamps?.create ?? {}), update: Object.keys(stamps?.update ?? {}) }
}

/** Adds a gate of the whole rulebook to the model. @throws RulebookError */
export function withGate(model: Model, given: unknown, options: unknown = {}): Model {
  if (typeof given !== 'function') throw new RulebookError('gate', 'needs a function: ({ me }) => ...')
  const gate = noLeftovers(
    'gate',
    () => (given as (words: object) => unknown)(gateWords(model)),
    (result) => finished(useCondition(result, 'gate'), 'gate'),
  )
  refuseUnguardedNegations(gate, 'gate', 'record')
  const { message } = plainObject(options, 'gate, options', ['message'])
  const words = message === undefined ? [] : [Object.freeze({ when: gate, message: wordsOf(message, 'gate') })]
  const spoken = [...(model.gateMessages ?? []), ...words]
  return Object.freeze({
    ...model,
    gate: model.gate === undefined ? gate : allOfNode([model.gate, gate]),
    ...(spoken.length === 0 ? {} : { gateMessages: Object.freeze(spoken) }),
  })
}

/** Adds privileges or routines to the model. Neither belongs to a record, and any of the conditions grants it. @throws RulebookError */
export function withGrants(model: Model, kind: 'privileges' | 'routines', given: unknown): Model {
  const grants: Record<string, ConditionNode> = { ...model[kind] }
  const one = kind.slice(0, -1)
  for (const [name, callback] of Object.entries(plainObject(given, kind))) {
    const at = `${kind}, ${name}`
    if (!isName(name)) throw new RulebookError(at, `a ${one} needs a name of letters, digits and _`)
    if (Object.hasOwn(grants, name)) throw new RulebookError(at, `a ${one} of this name exists already`)
    if (typeof callback !== 'function') throw new RulebookError(at, 'needs a function: ({ role }) => [...]')
    const granting = noLeftovers(
      at,
      () => (callback as (words: object) => unknown)(gateWords(model)),
      (result) => {
        if (!Array.isArray(result)) throw new RulebookError(at, 'must return a list of conditions')
        return anyOfNode(result.map((one) => finished(useCondition(one, name), at)))
      },
    )
    refuseUnguardedNegations(granting, at, 'record')
    grants[name] = granting
  }
  return Object.freeze({ ...model, [kind]: Object.freeze(grants) })
}

/** What was written with `rulesOf` or `standingsOf` belongs to its record type. */
function checkTied(callback: Callback, name: string, what: 'rules' | 'standings'): void {
  const wanted = (callback as { type?: unknown }).type
  if (wanted !== undefined && wanted !== name) throw new RulebookError(`${what} of ${name}`, `these are the ${what} of ${String(wanted)}`)
}

function callbacks(model: Model, given: unknown, what: string): [string, Callback][] {
  return Object.entries(plainObject(given, what)).map(([name, callback]) => {
    if (!Object.hasOwn(model.types, name)) throw new RulebookError(what, unknownName('record type', name, Object.keys(model.types)))
    if (typeof callback !== 'function') throw new RulebookError(`${what} of ${name}`, `needs a function: (${name}, words) => ({ ... })`)
    return [name, callback as Callback]
  })
}

function readRules(type: TypeModel, result: unknown, routines: readonly string[]): TypeRules {
  const at = `rules of ${type.name}`
  const given = plainObject(result, at, ['may', 'messages', 'stamps', 'gate', 'vetoes'])
  const stamps = readStamps(type, given.stamps, at)
  const stamped = stampedOf(stamps)
  const may = readClauses(type, given.may, `${at}, may`, { stamped, routines })
  const messages = plainObject(given.messages ?? {}, `${at}, messages`, type.actions)
  for (const [action, words] of Object.entries(messages)) {
    if (typeof words !== 'string' || words.trim() === '') throw new RulebookError(`${at}, messages.${action}`, 'needs a text')
  }
  const gating = readGates(type, given.gate, at)
  const vetoes = readVetoes(type, given.vetoes, at)
  return Object.freeze({
    may,
    messages: Object.freeze({ ...messages }) as TypeRules['messages'],
    stamps,
    ...gating,
    vetoes,
  })
}

function readClauses(type: TypeModel, given: unknown, at: string, known: ClauseScope): TypeRules['may'] {
  const may = Object.fromEntries(type.actions.map((action) => [action, []])) as Record<string, ClauseNode[]>
  for (const [action, clauses] of Object.entries(plainObject(given ?? {}, at, type.actions))) {
    if (!Array.isArray(clauses)) throw new RulebookError(`${at}.${action}`, 'needs a list of clauses')
    const mine = may[action] as ClauseNode[]
    clauses.forEach((one, index) => {
      const place = `${at}.${action}[${index}]`
      const clause = useClause(one, place, type, action, known)
      refuseUnguardedNegations(clause.when, place, type.name)
      if (clause.afterwards) refuseUnguardedNegations(clause.afterwards, place, type.name)
      if (mine.some((other) => other.title === clause.title)) {
        throw new RulebookError(
          place,
          `the clause "${clause.title}" occurs twice: remove one, or give it another title with .titled('...')`,
        )
      }
      mine.push(clause)
    })
  }
  for (const clauses of Object.values(may)) Object.freeze(clauses)
  return Object.freeze(may) as unknown as TypeRules['may']
}
