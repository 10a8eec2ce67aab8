import {
  type ConditionNode,
  childrenOf,
  type FieldNode,
  isSelfContained,
  linkOf,
  lower,
  type NowNode,
  type PlaceNode,
  partsOfTerm,
  type RecordRef,
  type SomeNode,
  type TermNode,
} from '../../condition/index.js'
import { conditionsOfType, keyPlaces, type Model, type Reference, referencesTo, type TypeModel, typeModel } from '../../rulebook/index.js'
import { placeId, type Step, stepOf, stepsId } from '../../store/read/steps.js'

/** What the rules of some actions read for records of a type. A change there may affect a subscriber. */
export interface Reach {
  /** Paths from a record to others, each ending in its last step. */
  readonly ways: readonly (readonly Step[])[]
  /** Record types that rules read wherever a record leads. Any change of them may affect every subscriber. */
  readonly anywhere: ReadonlySet<string>
  /** The places of times that are compared with the current time, in the record itself or in other types. */
  readonly times: readonly TimedPlace[]
  /** Some of the compared times cannot be found by an index, such as those in lists of objects, so check regularly. */
  readonly ticking: boolean
}

/** A time that is compared with the current one, or a day that is compared with the current day. */
export interface TimedPlace {
  readonly type: string
  readonly place: PlaceNode
  readonly by: NowNode
}

/** What the rules of a type's actions read. */
export function reachOf(model: Model, type: string, actions: readonly string[]): Reach {
  const found: Found = { ways: new Map(), anywhere: new Set(), times: new Map(), ticking: false }
  const start: ReachedRecord = { type, steps: [] }
  collectRules(model, start, actions, found)
  if (actions.includes('delete')) collectAlong(model, start, new Set([type]), found)
  return { ways: [...found.ways.values()], anywhere: found.anywhere, times: [...found.times.values()], ticking: found.ticking }
}

function collectRules(model: Model, place: ReachedRecord, actions: readonly string[], found: Found): void {
  const conditions = conditionsOfType(model, typeModel(model, place.type), { actions })
  const at = new Map<RecordRef, ReachedRecord>([
    ['record', place],
    ['after', place],
  ])
  for (const { condition } of conditions) collect(lower(condition), { at }, found)
}

/** What can block a deletion, or is deleted or unlinked with it as the asker's own action. */
function collectAlong(model: Model, { type, steps }: ReachedRecord, met: ReadonlySet<string>, found: Found): void {
  for (const reference of referencesTo(model, type)) {
    const owner = reference.type
    // A chain that returns to a type may continue forever. From there on, any change of its types may affect every subscriber.
    const again = met.has(owner)
    if (again && steps === undefined) continue
    const step: Step = { kind: 'records', type: owner, by: heldBy(typeModel(model, type), reference) }
    const place: ReachedRecord = { type: owner, steps: again || steps === undefined ? undefined : [...steps, step] }
    if (place.steps === undefined) found.anywhere.add(owner)
    else found.ways.set(stepsId(place.steps), place.steps)
    // The message names a blocking record if the asker may see it.
    collectRules(model, place, ['read', ...(ALONG[reference.onDelete] ?? [])], found)
    if (reference.onDelete === 'delete' || reference.onDelete === 'follow')
      collectAlong(model, place, again ? new Set([owner]) : new Set([...met, owner]), found)
  }
}

/** From the key of a record to the fields that hold it. */
function heldBy(type: TypeModel, { places }: Reference): Step['by'] {
  return keyPlaces(type).map((from, at) => ({ from, to: places[at] as PlaceNode }))
}

const ALONG: { readonly [onDelete: string]: readonly string[] } = { delete: ['delete'], unlink: ['update'] }

interface Found {
  readonly ways: Map<string, readonly Step[]>
  readonly anywhere: Set<string>
  readonly times: Map<string, TimedPlace>
  ticking: boolean
}

/** The type of the record that a field belongs to, and the path to it. */
interface ReachedRecord {
  readonly type: string
  /** Undefined if no path leads here from the record. */
  readonly steps: readonly Step[] | undefined
  /** An object in a list of the record. */
  readonly inList?: true
}

interface Scope {
  readonly at: ReadonlyMap<RecordRef, ReachedRecord>
}

function collect(node: ConditionNode, scope: Scope, found: Found): void {
  switch (node.kind) {
    case 'not':
    case 'named':
    case 'allOf':
    case 'anyOf':
      for (const part of childrenOf(node)) collect(part, scope, found)
      return
    case 'compare': {
      const { left, right } = node
      const [by] = [left, right].flatMap(nowIn)
      const other = nowIn(left).length > 0 ? right : left
      for (const field of by === undefined ? [] : fieldsOf(other)) {
        const at = scope.at.get(field.of)
        if (at === undefined || field.type !== 'time') continue
        if (at.inList || field.list) {
          found.ticking = true
          continue
        }
        const place: PlaceNode = { path: field.path, type: 'time' }
        found.times.set(`${at.type} ${placeId(place)} ${by?.zone} ${by?.days}`, { type: at.type, place, by: by as NowNode })
      }
      return
    }
    case 'some':
      return collectSome(node, scope, found)
    case 'constant':
    case 'presence':
    case 'listChange':
      return
  }
}

function collectSome(node: SomeNode, scope: Scope, found: Found): void {
  const { over, each } = node
  if (over.kind === 'elements') {
    const at = scope.at.get(over.list.of)
    // The objects belong to the record itself.
    return collect(node.of, at === undefined ? scope : { at: new Map(scope.at).set(each, { ...at, inList: true }) }, found)
  }
  const { by, rest } = linkOf(node, over)
  // The pairs that lead here from one record. Which record does not matter, except that its own path must be known.
  const from = [...scope.at].find(([of]) => by.some((join) => join.from.kind === 'field' && join.from.of === of))
  // Inside a list, places belong to its objects, and no index covers them.
  if (from?.[1].steps === undefined || from[1].inList) {
    found.anywhere.add(over.type)
    return collect(node.of, { at: new Map(scope.at).set(each, { type: over.type, steps: undefined }) }, found)
  }
  const pairs = by.flatMap(({ from: term, to }) =>
    term.kind === 'field' && term.of === from[0] && term.type !== 'other'
      ? [{ from: { path: term.path, type: term.type, ...(term.list ? { list: true as const } : {}) }, to }]
      : [],
  )
  const steps = [...from[1].steps, stepOf(over, pairs)]
  found.ways.set(stepsId(steps), steps)
  collect(isSelfContained(rest, each) ? rest : node.of, { at: new Map(scope.at).set(each, { type: over.type, steps }) }, found)
}

function nowIn(term: TermNode): NowNode[] {
  return partsOfTerm(term).filter((part) => part.kind === 'now')
}

function fieldsOf(term: TermNode): FieldNode[] {
  return partsOfTerm(term).filter((leaf) => leaf.kind === 'field')
}
