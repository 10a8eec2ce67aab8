import { allOfNode, anyOfNode, type ConditionNode, fieldsIn, sameCondition } from '../condition/nodes.js'
import { refuseHanging } from './absence.js'
import { type ClauseNode, useClause } from './clauses.js'
import { useCondition } from './conditions.js'
import { RulebookError, unknownName } from './error.js'
import { ACTIONS, isName, type Model, plainObject, type TypeModel, type TypeRules } from './model.js'
import { readStamps } from './stamps.js'
import type { Action } from './types.js'
import { noLeftovers } from './upkeep.js'
import { readGates, readVetoes } from './withhold.js'
import { gateWords, named, recordTerms, ruleWords, standingWords } from './words.js'

type Callback = (record: object, words: object) => unknown

/** The model with more standings. @throws RulebookError */
export function withStandings(model: Model, given: unknown): Model {
  const types = { ...model.types }
  for (const [name, callback] of callbacks(model, given, 'standings')) {
    const type = types[name] as TypeModel
    const standings: Record<string, ConditionNode> = { ...type.standings }
    noLeftovers(
      `standings of ${name}`,
      () => callback(recordTerms(type), standingWords(model.me)),
      (result) => {
        for (const [standing, condition] of Object.entries(plainObject(result, `standings of ${name}`))) {
          const at = `standings of ${name}, ${standing}`
          if (!isName(standing)) throw new RulebookError(at, 'a standing needs a name of letters, digits and _')
          if (Object.hasOwn(standings, standing)) throw new RulebookError(at, 'a standing of this name is there already')
          standings[standing] = named(standing, useCondition(condition, standing))
        }
      },
    )
    types[name] = Object.freeze({ ...type, standings: Object.freeze(standings) })
  }
  return Object.freeze({ ...model, types: Object.freeze(types) })
}

/** The model with the rules of one or more record types. @throws RulebookError */
export function withRules(model: Model, given: unknown): Model {
  const types = { ...model.types }
  const warnings = [...model.warnings]
  for (const [name, callback] of callbacks(model, given, 'rules')) {
    const type = types[name] as TypeModel
    if (type.rules !== undefined) throw new RulebookError(`rules of ${name}`, 'there are rules for it already: keep them in one place')
    const wanted = (callback as { type?: unknown }).type
    if (wanted !== undefined && wanted !== name) throw new RulebookError(`rules of ${name}`, `these are the rules of ${String(wanted)}`)
    const rules = noLeftovers(
      `rules of ${name}`,
      () => callback(recordTerms(type), ruleWords(model.me, type)),
      (result) => readRules(type, result),
    )
    types[name] = Object.freeze({ ...type, rules })
    warnings.push(...uncovered(name, rules), ...stuck(name, rules))
  }
  return Object.freeze({ ...model, types: Object.freeze(types), warnings: Object.freeze(warnings) })
}

/** The model with a gate before everything. @throws RulebookError */
export function withGate(model: Model, given: unknown): Model {
  if (typeof given !== 'function') throw new RulebookError('gate', 'a function is needed: ({ me }) => ...')
  const gate = noLeftovers(
    'gate',
    () => (given as (words: object) => unknown)(gateWords(model.me)),
    (result) => useCondition(result, 'gate'),
  )
  refuseHanging(gate, 'gate', 'record')
  return Object.freeze({ ...model, gate: model.gate === undefined ? gate : allOfNode([model.gate, gate]) })
}

/** The model with more privileges. @throws RulebookError */
export function withPrivileges(model: Model, given: unknown): Model {
  const privileges: Record<string, ConditionNode> = { ...model.privileges }
  for (const [name, callback] of Object.entries(plainObject(given, 'privileges'))) {
    const at = `privileges, ${name}`
    if (!isName(name)) throw new RulebookError(at, 'a privilege needs a name of letters, digits and _')
    if (Object.hasOwn(privileges, name)) throw new RulebookError(at, 'a privilege of this name is there already')
    if (typeof callback !== 'function') throw new RulebookError(at, 'a function is needed: ({ role }) => [...]')
    const granting = noLeftovers(
      at,
      () => (callback as (words: object) => unknown)(gateWords(model.me)),
      (result) => {
        if (!Array.isArray(result)) throw new RulebookError(at, 'must return a list of conditions')
        return anyOfNode(result.map((one) => useCondition(one, name)))
      },
    )
    refuseHanging(granting, at, 'record')
    privileges[name] = granting
  }
  return Object.freeze({ ...model, privileges: Object.freeze(privileges) })
}

function callbacks(model: Model, given: unknown, what: string): [string, Callback][] {
  return Object.entries(plainObject(given, what)).map(([name, callback]) => {
    if (!Object.hasOwn(model.types, name)) throw new RulebookError(what, unknownName('record type', name, Object.keys(model.types)))
    if (typeof callback !== 'function') throw new RulebookError(`${what} of ${name}`, `a function is needed: (${name}, words) => ({ ... })`)
    return [name, callback as Callback]
  })
}

function readRules(type: TypeModel, result: unknown): TypeRules {
  const at = `rules of ${type.name}`
  const given = plainObject(result, at, ['may', 'saying', 'stamps', 'gate', 'vetoes'])
  const stamps = readStamps(type, given.stamps, at)
  const stamped = { create: Object.keys(stamps.create), update: Object.keys(stamps.update) }
  const may = { read: [], create: [], update: [], delete: [] } as Record<Action, ClauseNode[]>
  for (const [action, clauses] of Object.entries(plainObject(given.may ?? {}, `${at}, may`, ACTIONS))) {
    if (!Array.isArray(clauses)) throw new RulebookError(`${at}, may.${action}`, 'a list of clauses is needed')
    clauses.forEach((one, index) => {
      const place = `${at}, may.${action}[${index}]`
      const clause = useClause(one, place, type, action as Action, stamped)
      refuseHanging(clause.when, place, type.name)
      if (clause.afterwards) refuseHanging(clause.afterwards, place, type.name)
      if (may[action as Action].some((other) => other.title === clause.title)) {
        throw new RulebookError(
          place,
          `the clause "${clause.title}" is there twice: take one out, or give it another name with .titled('...')`,
        )
      }
      may[action as Action].push(clause)
    })
  }
  const saying = plainObject(given.saying ?? {}, `${at}, saying`, ACTIONS)
  for (const [action, words] of Object.entries(saying)) {
    if (typeof words !== 'string' || words.trim() === '') throw new RulebookError(`${at}, saying.${action}`, 'words are needed')
  }
  for (const clauses of Object.values(may)) Object.freeze(clauses)
  const gates = readGates(type, given.gate, at)
  const vetoes = readVetoes(type, given.vetoes, at)
  return Object.freeze({ may: Object.freeze(may), saying: Object.freeze({ ...saying }) as TypeRules['saying'], stamps, gates, vetoes })
}

/** Warns of clauses for update and delete whose records nobody is let to read by it: such a clause lets nothing happen. */
function uncovered(type: string, rules: TypeRules): string[] {
  const warnings: string[] = []
  for (const action of ['update', 'delete'] as const) {
    for (const clause of rules.may[action]) {
      const covered = rules.may.read.some((read) => implies(clause.when, read.when))
      if (!covered) {
        warnings.push(
          `${type}: "${clause.title}" may ${action}, but no read clause is sure to cover it: what one cannot read, one cannot ${action}`,
        )
      }
    }
  }
  return warnings
}

/** Warns of update clauses that name a field which they test themselves: it could only be set to what passes the test again. */
function stuck(type: string, rules: TypeRules): string[] {
  return rules.may.update.flatMap(({ title, when, fields = [], limitedBy, afterwards }) => {
    const tested = limitedBy === 'only' && afterwards === undefined ? fieldsIn(when).filter((name) => fields.includes(name)) : []
    return tested.map((name) => `${type}: "${title}" may change ${name}, but must hold afterwards too, and asks for ${name} itself`)
  })
}

/** Whether one condition follows from another by the way they are written. False may just mean: not seen. */
function implies(given: ConditionNode, wanted: ConditionNode): boolean {
  if (sameCondition(given, wanted)) return true
  if (wanted.kind === 'constant') return wanted.value
  if (wanted.kind === 'named') return implies(given, wanted.of)
  if (wanted.kind === 'allOf') return wanted.of.every((part) => implies(given, part))
  if (given.kind === 'named') return implies(given.of, wanted)
  if (given.kind === 'anyOf') return given.of.length > 0 && given.of.every((part) => implies(part, wanted))
  if (wanted.kind === 'anyOf' && wanted.of.some((part) => implies(given, part))) return true
  return given.kind === 'allOf' && given.of.some((part) => implies(part, wanted))
}
