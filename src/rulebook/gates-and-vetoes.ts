import { allOfNode, asksAfter, type ConditionNode, describe, notNode, TRUE } from '../condition/index.js'
import { refuseUnguardedNegations } from './absence.js'
import { useCondition } from './conditions.js'
import { plainObject } from './definition.js'
import { RulebookError, unknownName } from './error.js'
import type { EveryRecordNode, GateWordsNode, TypeModel, TypeRules, VetoNode } from './model.js'
import { conditionNode } from './node.js'
import { finished } from './normalize.js'

type Gates = Pick<TypeRules, 'gates' | 'gateMessages'>

/** Reads the gate of a record type: what must hold for each action. @throws RulebookError */
export function readGates(type: TypeModel, given: unknown, at: string): Gates {
  const gate = plainObject(given ?? {}, `${at}, gate`, ['all', ...type.actions])
  const conditions = Object.entries(gate).map(([name, one]) => {
    const { condition, message } = readGate(one, `${at}, gate.${name}`)
    const node = finished(useCondition(condition, 'gate'), `${at}, gate.${name}`)
    if (asksAfter(node)) throw new RulebookError(`${at}, gate.${name}`, 'a gate cannot use "after": it always tests the record as it is')
    refuseUnguardedNegations(node, `${at}, gate.${name}`, type.name)
    return { name, node, message }
  })
  return gatesOf(type, [...(type.everyRecord ?? []).map(forAll), ...conditions])
}

/** A condition of a gate: what must hold for one action, or for all. */
interface GateCondition {
  readonly name: string
  readonly node: ConditionNode
  readonly message?: string | undefined
}

function forAll({ when, message }: EveryRecordNode): GateCondition {
  return { name: 'all', node: when, message }
}

/** The rules of a type with one more condition for every action. */
export function gatedForAll(type: TypeModel, rules: TypeRules, { when, message }: EveryRecordNode): TypeRules {
  const gates = type.actions.map((action) => {
    const before = rules.gates[action]
    return [action, before === undefined ? when : allOfNode([when, ...(before.kind === 'allOf' ? before.of : [before])])]
  })
  const spoken = message === undefined ? [] : [Object.freeze({ when, message })]
  const words = type.actions
    .map((action) => [action, Object.freeze([...spoken, ...(rules.gateMessages?.[action] ?? [])])] as const)
    .filter(([, all]) => all.length > 0)
  const gateMessages = words.length === 0 ? {} : { gateMessages: Object.freeze(Object.fromEntries(words)) }
  return Object.freeze({ ...rules, gates: Object.freeze(Object.fromEntries(gates)), ...gateMessages })
}

function gatesOf(type: TypeModel, conditions: readonly GateCondition[]): Gates {
  const gates: Record<string, ConditionNode> = {}
  const gateMessages: Record<string, readonly GateWordsNode[]> = {}
  for (const action of type.actions) {
    const mine = conditions.filter(({ name }) => name === 'all' || name === action)
    const nodes = mine.map(({ node }) => node)
    if (nodes.length > 0) gates[action] = nodes.length === 1 ? (nodes[0] as ConditionNode) : allOfNode(nodes)
    const spoken = mine.flatMap(({ node, message }) => (message === undefined ? [] : [Object.freeze({ when: node, message })]))
    if (spoken.length > 0) gateMessages[action] = Object.freeze(spoken)
  }
  const words = Object.keys(gateMessages).length === 0 ? {} : { gateMessages: Object.freeze(gateMessages) }
  return { gates: Object.freeze(gates), ...words }
}

/** A condition, or one with a message for the people that it refuses. */
function readGate(given: unknown, at: string): { readonly condition: unknown; readonly message?: string } {
  if (conditionNode(given) !== undefined || typeof given !== 'object' || given === null || !('message' in given))
    return { condition: given }
  const { provided, message } = plainObject(given, at, ['provided', 'message'])
  return { condition: provided, message: wordsOf(message, at) }
}

/** The message for a refused person. @throws RulebookError */
export function wordsOf(message: unknown, at: string): string {
  if (typeof message !== 'string' || message.trim() === '')
    throw new RulebookError(at, 'add the message for the people that it refuses: message: "..."')
  return message
}

/** Reads the vetoes of a record type. @throws RulebookError */
export function readVetoes(type: TypeModel, given: unknown, at: string): readonly VetoNode[] {
  if (given !== undefined && !Array.isArray(given)) throw new RulebookError(`${at}, vetoes`, 'needs a list of vetoes')
  return Object.freeze(((given as unknown[] | undefined) ?? []).map((one, index) => readVeto(type, one, `${at}, vetoes[${index}]`)))
}

function readVeto(type: TypeModel, given: unknown, at: string): VetoNode {
  const { actions, provided, unless, message } = plainObject(given, at, ['actions', 'provided', 'unless', 'message'])
  if (!Array.isArray(actions) || actions.length === 0)
    throw new RulebookError(at, 'name the actions that it refuses, as in actions: ["update"]')
  const odd = actions.find((action) => !type.actions.includes(action))
  if (odd !== undefined) throw new RulebookError(at, unknownName('action', odd, type.actions))
  const words = wordsOf(message, at)
  const applies = provided === undefined ? TRUE : finished(useCondition(provided, 'provided'), at)
  const exception = unless === undefined ? undefined : finished(useCondition(unless, 'unless'), at)
  const when = exception === undefined ? applies : allOfNode([applies, notNode(exception)])
  if (asksAfter(when) && actions.some((action) => action !== 'update')) {
    throw new RulebookError(at, '"after", the record as it becomes, can be used in rules of update only')
  }
  // A person is allowed where a veto does not apply, so absence is checked on its complement.
  refuseUnguardedNegations(notNode(when), at, type.name)
  const wording = { record: `the ${type.name}` }
  const title = `${describe(applies, wording)}${exception === undefined ? '' : `, unless ${describe(exception, wording)}`}`
  return Object.freeze({ title, actions: Object.freeze([...actions] as string[]), when, message: words })
}
