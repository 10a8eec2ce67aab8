import { allOfNode, asksAfter, type ConditionNode, describe, notNode, TRUE } from '../condition/index.js'
import { refuseHanging } from './absence.js'
import { useCondition } from './conditions.js'
import { RulebookError, unknownName } from './error.js'
import { finished } from './finished.js'
import { plainObject, type TypeModel, type TypeRules, type VetoNode } from './model.js'

/** Reads the gate of a record type: what must hold for each action. @throws RulebookError */
export function readGates(type: TypeModel, given: unknown, at: string): TypeRules['gates'] {
  const gate = plainObject(given ?? {}, `${at}, gate`, ['all', ...type.actions])
  const conditions = Object.entries(gate).map(([name, condition]) => {
    const node = finished(useCondition(condition, 'gate'), `${at}, gate.${name}`)
    if (asksAfter(node)) throw new RulebookError(`${at}, gate.${name}`, 'a gate speaks of the record as it is')
    refuseHanging(node, `${at}, gate.${name}`, type.name)
    return [name, node] as const
  })
  const gates: Record<string, ConditionNode> = {}
  for (const action of type.actions) {
    const mine = conditions.filter(([name]) => name === 'all' || name === action).map(([, node]) => node)
    if (mine.length > 0) gates[action] = mine.length === 1 ? (mine[0] as ConditionNode) : allOfNode(mine)
  }
  return Object.freeze(gates)
}

/** Reads the vetoes of a record type. @throws RulebookError */
export function readVetoes(type: TypeModel, given: unknown, at: string): readonly VetoNode[] {
  if (given !== undefined && !Array.isArray(given)) throw new RulebookError(`${at}, vetoes`, 'a list of vetoes is needed')
  return Object.freeze(((given as unknown[] | undefined) ?? []).map((one, index) => readVeto(type, one, `${at}, vetoes[${index}]`)))
}

function readVeto(type: TypeModel, given: unknown, at: string): VetoNode {
  const { actions, provided, unless, saying } = plainObject(given, at, ['actions', 'provided', 'unless', 'saying'])
  if (!Array.isArray(actions) || actions.length === 0)
    throw new RulebookError(at, 'name the actions that it withholds, as in actions: ["update"]')
  const odd = actions.find((action) => !type.actions.includes(action))
  if (odd !== undefined) throw new RulebookError(at, unknownName('action', odd, type.actions))
  if (typeof saying !== 'string' || saying.trim() === '') throw new RulebookError(at, 'say in words why it is withheld, as saying: "..."')
  const applies = provided === undefined ? TRUE : finished(useCondition(provided, 'provided'), at)
  const exception = unless === undefined ? undefined : finished(useCondition(unless, 'unless'), at)
  const when = exception === undefined ? applies : allOfNode([applies, notNode(exception)])
  if (asksAfter(when) && actions.some((action) => action !== 'update')) {
    throw new RulebookError(at, 'the record as it becomes can be spoken of in rules of updates only')
  }
  // What a veto fails to withhold is granted: so the law holds for its complement.
  refuseHanging(notNode(when), at, type.name)
  const wording = { record: `the ${type.name}` }
  const title = `${describe(applies, wording)}${exception === undefined ? '' : `, unless ${describe(exception, wording)}`}`
  return Object.freeze({ title, actions: Object.freeze([...actions] as string[]), when, saying })
}
