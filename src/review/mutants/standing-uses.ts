import {
  type ConditionNode,
  highestEach,
  isOverRecords,
  mapChildren,
  type NamedNode,
  numbered,
  type RecordRef,
} from '../../condition/index.js'
import type { ClauseNode, Model, TypeModel } from '../../rulebook/index.js'
import { type Refs, refOf, standingAsked } from '../standing-of.js'

/** The model with another definition of a standing, wherever rules use it: on the record itself or through a link. */
export function withStanding(model: Model, type: string, name: string, definition: ConditionNode): Model {
  const was = model.types[type]?.standings[name] as NamedNode
  const change = (owner: string) => (node: ConditionNode) => redefined(node, owner, { type, was, definition })
  const types = Object.fromEntries(Object.entries(model.types).map(([owner, one]) => [owner, typeWith(one, change(owner))]))
  return Object.freeze({ ...model, types: Object.freeze(types) })
}

interface Redefined {
  readonly type: string
  readonly was: NamedNode
  readonly definition: ConditionNode
}

function redefined(node: ConditionNode, owner: string, by: Redefined): ConditionNode {
  const highest = highestEach(node)
  const change = (part: ConditionNode, refs: Refs): ConditionNode => {
    if (part.kind === 'named') {
      const ref = part.name === by.was.name ? refOf(part, refs, by) : undefined
      if (ref !== undefined) return { ...part, of: standingAsked(by.definition, ref, highest) }
    }
    const inner = refsWithin(part, refs)
    return mapChildren(part, (child) => change(child, inner))
  }
  const own = new Map<RecordRef, string>([
    ['record', owner],
    ['after', owner],
  ])
  const changed = change(node, own)
  if (changed === node) return node
  return numbered(changed, (of) => {
    throw new Error(`no "some" looks at the record ${of}`)
  })
}

/** The types of the records that a condition reads. */
function refsWithin(node: ConditionNode, refs: Refs): Refs {
  return node.kind === 'some' && isOverRecords(node.over) ? new Map(refs).set(node.each, node.over.type) : refs
}

function typeWith(type: TypeModel, change: (node: ConditionNode) => ConditionNode): TypeModel {
  const { rules } = type
  let changed = false
  const put = (node: ConditionNode): ConditionNode => {
    const after = change(node)
    if (after !== node) changed = true
    return after
  }
  const all = <T>(of: { readonly [name: string]: T }, each: (one: T) => T) =>
    Object.freeze(Object.fromEntries(Object.entries(of).map(([name, one]) => [name, each(one)])))
  const clause = (one: ClauseNode): ClauseNode => {
    const [when, afterwards] = [put(one.when), one.afterwards && put(one.afterwards)]
    const limits = afterwards === undefined ? {} : { afterwards }
    return Object.freeze({ ...one, when, who: change(one.who), provided: one.provided.map(change), ...limits })
  }
  const standings = all(type.standings, put)
  const made = rules && {
    ...rules,
    may: all(rules.may, (clauses: readonly ClauseNode[]) => Object.freeze(clauses.map(clause))),
    gates: all(rules.gates, put),
    vetoes: Object.freeze(rules.vetoes.map((veto) => ({ ...veto, when: put(veto.when) }))),
  }
  if (!changed) return type
  return Object.freeze({ ...type, standings, ...(made ? { rules: Object.freeze(made) as never } : {}) })
}
