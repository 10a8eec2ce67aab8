import { allOfNode, asksAfter, type ConditionNode, describe, notNode, TRUE } from '../condition/index.js'
import { refuseHanging } from './absence.js'
import { useCondition } from './conditions.js'
import { RulebookError, unknownName } from './error.js'
import { ACTIONS, plainObject, type TypeModel, type TypeRules, type VetoNode } from './model.js'
import type { Action } from './types.js'

/** Reads the gate of a record type: what must hold for each action. @throws RulebookError */
export function readGates(type: TypeModel, given: unknown, at: string): TypeRules['gates'] {
  const gate = plainObject(given ?? {}, `${at}, gate`, ['all', ...ACTIONS])
  const conditions = Object.entries(gate).map(([name, condition]) => {
    const node = useCondition(condition, 'gate')
    if (asksAfter(node)) throw new RulebookError(`${at}, gate.${name}`, 'a gate speaks of the record as it is')
    refuseHanging(node, `${at}, gate.${name}`, type.name)
    return [name, node] as const
  })
  const gates: { [A in Action]?: ConditionNode } = {}
  for (const action of ACTIONS) {
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
  const odd = actions.find((action) => !ACTIONS.includes(action as Action))
  if (odd !== undefined) throw new RulebookError(at, unknownName('action', odd, ACTIONS))
  if (typeof saying !== 'string' || saying.trim() === '') throw new RulebookError(at, 'say in words why it is withheld, as saying: "..."')
  const applies = provided === undefined ? TRUE : useCondition(provided, 'provided')
  const exception = unless === undefined ? undefined : useCondition(unless, 'unless')
  const when = exception === undefined ? applies : allOfNode([applies, notNode(exception)])
  if (asksAfter(when) && actions.some((action) => action !== 'update')) {
    throw new RulebookError(at, 'the record as it becomes can be spoken of in rules of updates only')
  }
  // What a veto fails to withhold is granted: so the law holds for its complement.
  refuseHanging(notNode(when), at, type.name)
  const wording = { record: `the ${type.name}` }
  const title = `${describe(applies, wording)}${exception === undefined ? '' : `, unless ${describe(exception, wording)}`}`
  return Object.freeze({ title, actions: Object.freeze([...actions] as Action[]), when, saying })
}
