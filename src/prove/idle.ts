import { allOfNode, anyOfNode, type ConditionNode, notNode, sameCondition } from '../condition/index.js'
import { type ClauseNode, isKeyField, type Model, type TypeModel, typeModel, type VetoNode } from '../rulebook/index.js'
import { ask } from './ask.js'
import { clausesOf, countsFor, type Permission, permitted } from './permissions.js'
import { DEFAULT_LIMITS, type SearchLimits } from './search.js'

/** A rule that makes no difference for any person and any records, or of which that is not known. */
export interface IdleRule {
  readonly type: string
  readonly action: string
  readonly what: 'clause' | 'veto' | 'gate'
  readonly title: string
  /** `never`: it can never hold. `implied`: what it allows or refuses, the others do anyway. */
  readonly why: 'never' | 'implied' | 'undecided'
  /** The clauses that allow all of it. */
  readonly by: readonly string[]
}

/**
 * Looks at each rule, whether it does nothing, for every person and all records. Of those that do something, undefined.
 * @example
 * const idle = [...idleRules(book.model)].filter((rule) => rule !== undefined)
 * @throws ProofError if the solver made a mistake
 */
export function* idleRules(
  model: Model,
  types: readonly string[] = Object.keys(model.types),
  limits: SearchLimits = DEFAULT_LIMITS,
): Generator<IdleRule | undefined> {
  for (const type of types.map((name) => typeModel(model, name))) {
    for (const [action, clauses] of Object.entries(type.rules?.may ?? {}))
      for (const clause of clauses) yield idleClause(model, type, action, clause, limits)
    for (const veto of type.rules?.vetoes ?? []) yield idleVeto(model, type, veto, limits)
    for (const [gate, actions] of gatesOf(type)) yield idleGate(model, type, gate, actions, limits)
  }
}

/** Whether there is a world in which the condition holds. */
function can(model: Model, permission: Permission, when: ConditionNode, limits: SearchLimits): 'yes' | 'no' | 'unknown' {
  const found = ask({ model, permission, when }, limits)
  return found.kind === 'example' ? 'yes' : found.kind === 'none' ? 'no' : 'unknown'
}

function idleClause(model: Model, type: TypeModel, action: string, clause: ClauseNode, limits: SearchLimits): IdleRule | undefined {
  const rule = { type: type.name, action, what: 'clause', title: clause.title } as const
  const alone = (field: string | undefined) => permitted(model, { type: type.name, action, field }, { clauses: (one) => one === clause })
  const ever = can(model, { type: type.name, action }, alone(undefined), limits)
  if (ever === 'no') return { ...rule, why: 'never', by: [] }
  const others = (type.rules?.may[action] ?? []).filter((other) => other !== clause)
  if (others.length === 0) return undefined
  const fields = fieldsLet(type, action, clause, others)
  /** Whether some of the other clauses allow all that it does. */
  const isCovered = (some: readonly ClauseNode[]): 'yes' | 'no' | 'unknown' => {
    let worst: 'yes' | 'no' | 'unknown' = 'no'
    for (const field of fields) {
      const letting = clausesOf(type, action, field).filter((other) => some.includes(other))
      const beyond = allOfNode([alone(field), notNode(anyOfNode(letting.map((other) => countsFor(model, other, action))))])
      const found = can(model, { type: type.name, action, field }, beyond, limits)
      if (found === 'yes') return 'no'
      if (found === 'unknown') worst = 'unknown'
    }
    return worst === 'unknown' ? 'unknown' : 'yes'
  }
  const covered = isCovered(others)
  if (covered === 'no') return undefined
  if (covered === 'unknown') return { ...rule, why: 'undecided', by: [] }
  const single = others.find((other) => isCovered([other]) === 'yes')
  return { ...rule, why: 'implied', by: (single === undefined ? others : [single]).map(({ title }) => title) }
}

/** The fields for which a clause could matter. Without limits anywhere, the action alone. */
function fieldsLet(type: TypeModel, action: string, clause: ClauseNode, others: readonly ClauseNode[]): readonly (string | undefined)[] {
  if (action !== 'read' && action !== 'create' && action !== 'update') return [undefined]
  if ([clause, ...others].every(({ fields, overriding }) => fields === undefined && overriding === undefined)) return [undefined]
  const all = Object.keys(type.fields).filter((name) => !isKeyField(type, name))
  const mine = all.filter((name) => clausesOf(type, action, name).includes(clause))
  // Of a record, reading tells also that it is there.
  return action === 'read' ? [undefined, ...mine] : mine
}

function idleVeto(model: Model, type: TypeModel, veto: VetoNode, limits: SearchLimits): IdleRule | undefined {
  const found = veto.actions.map((action) => {
    const permission = { type: type.name, action }
    return can(model, permission, allOfNode([permitted(model, permission, { veto }), veto.when]), limits)
  })
  if (found.includes('yes')) return undefined
  const why = found.includes('unknown') ? 'undecided' : 'implied'
  return { type: type.name, action: veto.actions.join(', '), what: 'veto', title: veto.title, why, by: [] }
}

/** The gates of a record type, each with the actions that have it: what is written once for several is one gate. */
function gatesOf({ rules }: TypeModel): readonly (readonly [gate: ConditionNode, actions: readonly string[]])[] {
  const gates: [ConditionNode, string[]][] = []
  for (const [action, gate] of Object.entries(rules?.gates ?? {})) {
    const there = gates.find(([one]) => sameCondition(one, gate))
    if (there === undefined) gates.push([gate, [action]])
    else there[1].push(action)
  }
  return gates
}

function idleGate(
  model: Model,
  type: TypeModel,
  gate: ConditionNode,
  actions: readonly string[],
  limits: SearchLimits,
): IdleRule | undefined {
  const found = actions.map((action) => {
    const permission = { type: type.name, action }
    return can(model, permission, allOfNode([permitted(model, permission, { gate: true }), notNode(gate)]), limits)
  })
  if (found.includes('yes')) return undefined
  const action = actions.join(', ')
  return {
    type: type.name,
    action,
    what: 'gate',
    title: `gate of ${action}`,
    why: found.includes('unknown') ? 'undecided' : 'implied',
    by: [],
  }
}
