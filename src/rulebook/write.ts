import { implies } from '../condition/implies.js'
import { allOfNode, anyOfNode, type ConditionNode, type FieldNode } from '../condition/nodes.js'
import { fieldNodesIn, fieldsIn } from '../condition/walk.js'
import { refuseUnguardedNegations } from './absence.js'
import { noLeftovers } from './build-context.js'
import { gateWords, named, ruleWords, standingWords } from './callback-args.js'
import { useClause } from './clauses.js'
import { useCondition } from './conditions.js'
import { isName, plainObject } from './definition.js'
import { RulebookError, unknownName } from './error.js'
import { readGates, readVetoes, wordsOf } from './gates-and-vetoes.js'
import type { ClauseNode, Model, TypeModel, TypeRules } from './model.js'
import { finished } from './normalize.js'
import { recordTerms } from './record-terms.js'
import { readStamps } from './stamps.js'
import { conditionsOfType } from './type-conditions.js'

type Callback = (record: object, words: object) => unknown

/** Adds standings to the model. @throws RulebookError */
export function withStandings(model: Model, given: unknown): Model {
  const types = { ...model.types }
  for (const [name, callback] of callbacks(model, given, 'standings')) {
    const type = types[name] as TypeModel
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
  const warnings = [...model.warnings]
  for (const [name, callback] of callbacks(model, given, 'rules')) {
    const type = types[name] as TypeModel
    if (type.rules !== undefined) throw new RulebookError(`rules of ${name}`, 'it has rules already: write them in one place')
    const wanted = (callback as { type?: unknown }).type
    if (wanted !== undefined && wanted !== name) throw new RulebookError(`rules of ${name}`, `these are the rules of ${String(wanted)}`)
    const rules = noLeftovers(
      `rules of ${name}`,
      () => callback(recordTerms(model.types, type), ruleWords(model, type)),
      (result) => readRules(type, result, Object.keys(model.routines)),
    )
    types[name] = Object.freeze({ ...type, rules })
    warnings.push(...rulebookWarnings({ ...type, rules }))
  }
  return Object.freeze({ ...model, types: Object.freeze(types), warnings: Object.freeze(warnings) })
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
  const stamped = { create: Object.keys(stamps.create), update: Object.keys(stamps.update) }
  const may = Object.fromEntries(type.actions.map((action) => [action, []])) as Record<string, ClauseNode[]>
  for (const [action, clauses] of Object.entries(plainObject(given.may ?? {}, `${at}, may`, type.actions))) {
    if (!Array.isArray(clauses)) throw new RulebookError(`${at}, may.${action}`, 'needs a list of clauses')
    const mine = may[action] as ClauseNode[]
    clauses.forEach((one, index) => {
      const place = `${at}, may.${action}[${index}]`
      const clause = useClause(one, place, type, action, { stamped, routines })
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
  const messages = plainObject(given.messages ?? {}, `${at}, messages`, type.actions)
  for (const [action, words] of Object.entries(messages)) {
    if (typeof words !== 'string' || words.trim() === '') throw new RulebookError(`${at}, messages.${action}`, 'needs a text')
  }
  for (const clauses of Object.values(may)) Object.freeze(clauses)
  const gating = readGates(type, given.gate, at)
  const vetoes = readVetoes(type, given.vetoes, at)
  return Object.freeze({
    may: Object.freeze(may) as unknown as TypeRules['may'],
    messages: Object.freeze({ ...messages }) as TypeRules['messages'],
    stamps,
    ...gating,
    vetoes,
  })
}

/** Probable mistakes in the rules of a record type. */
export function rulebookWarnings(type: TypeModel): string[] {
  const { name, rules } = type
  return rules === undefined ? [] : [...uncovered(name, rules), ...stuck(name, rules), ...telling(type, rules)]
}

/** Warns of clauses for update and delete whose people may not read the record: such a clause allows nothing. */
function uncovered(type: string, rules: TypeRules): string[] {
  const warnings: string[] = []
  for (const [action, clauses] of Object.entries(rules.may)) {
    if (action === 'read' || action === 'create') continue
    for (const clause of clauses) {
      const covered = rules.may.read.some((read) => implies(clause.when, read.when))
      if (!covered) {
        warnings.push(
          `${type}: the ${action} clause "${clause.title}" may apply to records that its people cannot read, where it allows nothing. Add a read clause that covers it.`,
        )
      }
    }
  }
  return warnings
}

/** Warns of update clauses that include a field which they test themselves: it could only be set to values that pass the test again. */
function stuck(type: string, rules: TypeRules): string[] {
  return rules.may.update.flatMap(({ title, when, fields = [], limitedBy, afterwards }) => {
    const tested = limitedBy === 'only' && afterwards === undefined ? fieldsIn(when).filter((name) => fields.includes(name)) : []
    return tested.map(
      (name) =>
        `${type}: the update clause "${title}" allows ${name} to be changed, but also tests it, and has to hold after the update too. Say what has to hold then, with .afterwards(...).`,
    )
  })
}

/** Warns of conditions that compare a changed field with one that its writer may not see: they could find its value by trying. */
function telling(type: TypeModel, rules: TypeRules): string[] {
  const { name, key, fields } = type
  const { may } = rules
  const lets = (names: readonly string[] | undefined, field: string) => names?.includes(field) ?? true
  const conditions = conditionsOfType({}, { ...type, rules }, { actions: ['update'], roles: ['clause', 'afterwards', 'veto'] })
  const warnings = conditions
    .flatMap(({ condition }) => comparedSides(condition))
    .flatMap(([left, right]) => {
      const asked = [...left, ...right].map(({ of, path }) => ({ of, field: path[0] as string }))
      const written = asked.filter(({ of }) => of === 'after').map(({ field }) => field)
      return written.flatMap((field) =>
        asked.flatMap(({ of, field: told }) => {
          if (told === field || told === key || !(told in fields)) return []
          const writers = may.update.filter((clause) => lets(clause.fields, field) && !(of === 'after' && lets(clause.fields, told)))
          const blind = writers.find((writer) => !may.read.some((read) => lets(read.fields, told) && implies(writer.when, read.when)))
          const hint = `People who cannot see ${told} could find out its value by trying.`
          return blind
            ? [`${name}: the update clause "${blind.title}" allows ${field} to be changed, and rules compare it with ${told}. ${hint}`]
            : []
        }),
      )
    })
  return [...new Set(warnings)]
}

/** The fields on both sides of every comparison. */
function comparedSides(node: ConditionNode): [FieldNode[], FieldNode[]][] {
  switch (node.kind) {
    case 'allOf':
    case 'anyOf':
      return node.of.flatMap(comparedSides)
    case 'not':
    case 'named':
    case 'some':
      return comparedSides(node.of)
    case 'compare':
      return [[fieldNodesIn({ ...node, right: node.left }), fieldNodesIn({ ...node, left: node.right })]]
    case 'constant':
    case 'presence':
    case 'listChange':
      return []
  }
}
