import {
  askedOf,
  askedWithin,
  type ConditionNode,
  highestEach,
  isOverRecords,
  mapChildren,
  type NamedNode,
  numbered,
  type RecordRef,
  sameCondition,
} from '../condition/index.js'
import type { ClauseNode, Model, TypeModel } from '../rulebook/index.js'

/** The model with a standing defined otherwise, wherever rules ask for it: of the record itself, or of one that a link leads to. */
export function withStanding(model: Model, type: string, name: string, definition: ConditionNode): Model {
  const was = model.types[type]?.standings[name] as NamedNode
  const change = (owner: string) => (node: ConditionNode) => redefined(node, owner, { type, was, definition })
  const types = Object.fromEntries(Object.entries(model.types).map(([owner, one]) => [owner, typeWith(one, change(owner))]))
  return Object.freeze({ ...model, types: Object.freeze(types) })
}

/** The types of the records that are spoken of. */
export type Refs = ReadonlyMap<RecordRef, string>

const known = new WeakMap<NamedNode, string | null>()

/** The record type of which a named condition is a standing; undefined where it is another condition of that name, or none of any type. */
export function standingOf(model: Model, node: NamedNode, refs: Refs): string | undefined {
  const found = known.get(node)
  if (found !== undefined) return found ?? undefined
  const type = [...new Set([...refs.values()].reverse())].find((of) => {
    const was = model.types[of]?.standings[node.name]
    return was?.kind === 'named' && refOf(node, refs, { type: of, was }) !== undefined
  })
  known.set(node, type ?? null)
  return type
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
      if (ref !== undefined) return { ...part, of: asked(by.definition, ref, highest) }
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

/** The types of the records that are spoken of within a condition. */
function refsWithin(node: ConditionNode, refs: Refs): Refs {
  return node.kind === 'some' && isOverRecords(node.over) ? new Map(refs).set(node.each, node.over.type) : refs
}

/** The record that the standing is asked of there, if it is this one; undefined where it is another of the same name. */
function refOf(node: NamedNode, refs: Refs, { type, was }: Omit<Redefined, 'definition'>): RecordRef | undefined {
  for (const [ref, of] of refs) if (of === type && sameCondition(plain(asked(was, ref, highestEach(node))), plain(node))) return ref
  return undefined
}

/** Asked of a record, with numbers of its own above those that are there. */
function asked(node: ConditionNode, ref: RecordRef, highest: number): ConditionNode {
  if (typeof ref === 'number') return askedWithin(node, ref, Math.max(ref, highest))
  if (ref === 'record') return node
  return askedOf(node, 'record', ref)
}

/** Numbered by depth, whatever it is asked within: far from the numbers that are free in it. */
function plain(node: ConditionNode): ConditionNode {
  return numbered(node, (of) => of as never, FAR)
}

const FAR = 1000

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
