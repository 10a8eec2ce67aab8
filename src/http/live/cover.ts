import {
  type Comparable,
  type CompareNode,
  type ConditionNode,
  type FieldNode,
  isList,
  joinsOf,
  type LiteralNode,
  lower,
  lowerAscii,
  type PlaceNode,
  proper,
  properList,
  type RecordRef,
  type SomeNode,
  type TermNode,
} from '../../condition/index.js'
import { type Field, type Model, typeModel } from '../../rulebook/index.js'
import { type Pair, placeId, type Step } from './steps.js'

/** A value that a record, or one that its links lead to, has to have. */
export interface Anchor {
  readonly steps: readonly Step[]
  readonly place: PlaceNode
  readonly value: Comparable
  /** Letter case from A to Z does not count. */
  readonly folded?: true
}

/**
 * Values of which a record has to have at least one for the condition to hold: what an index finds the condition by. Undefined
 * where there are none, so that every record has to be looked at; empty where it holds of nothing.
 */
export function coverOf(condition: ConditionNode, type: string, model: Model): readonly Anchor[] | undefined {
  const isCommon = ({ steps, place }: Anchor): boolean => {
    let fields: { readonly [name: string]: Field } | undefined = typeModel(model, steps.at(-1)?.type ?? type).fields
    let field: Field | undefined
    for (const step of place.path) {
      field = fields !== undefined && Object.hasOwn(fields, step) ? fields[step] : undefined
      fields = field?.fields
    }
    return field?.values !== undefined || place.type === 'boolean'
  }
  return coverIn(lower(condition), 'record', (anchor) => (isCommon(anchor) ? COMMON : 1))
}

type Weigh = (anchor: Anchor) => number

function coverIn(node: ConditionNode, of: RecordRef, weigh: Weigh): readonly Anchor[] | undefined {
  const cover = (part: ConditionNode, whose: RecordRef) => coverIn(part, whose, weigh)
  switch (node.kind) {
    case 'constant':
      return node.value ? undefined : []
    case 'named':
      return cover(node.of, of)
    case 'allOf':
      return best(
        node.of.map((part) => cover(part, of)),
        weigh,
      )
    case 'anyOf': {
      const parts = node.of.map((part) => cover(part, of))
      return parts.every((part) => part !== undefined) ? parts.flat() : undefined
    }
    case 'compare':
      return compared(node, of)
    case 'some':
      return linked(node, of, weigh)
    default:
      return undefined
  }
}

/** Of several that must all hold, one is enough to find it by: the one with the fewest values, keys before anything else. */
function best(covers: readonly (readonly Anchor[] | undefined)[], weigh: Weigh): readonly Anchor[] | undefined {
  const weight = (anchors: readonly Anchor[]) => anchors.reduce((sum, anchor) => sum + weigh(anchor), 0)
  let found: readonly Anchor[] | undefined
  for (const one of covers) {
    if (one === undefined) continue
    const left = one.filter((anchor) => covers.every((other) => other === one || !rulesOut(other, anchor)))
    if (found === undefined || weight(left) < weight(found)) found = left
  }
  return found
}

/** Whether a cover says of one place of the record alone what it is, and that is something else. */
function rulesOut(cover: readonly Anchor[] | undefined, { steps, place, folded, value }: Anchor): boolean {
  if (cover === undefined || steps.length > 0 || place.list || folded) return false
  const same = (one: Anchor) => one.steps.length === 0 && !one.folded && placeId(one.place) === placeId(place)
  return cover.every((one) => same(one) && one.value !== value)
}

/** What many records have in common finds too many: a state, a yes or no. */
const COMMON = 1000

function compared({ by, left, right }: CompareNode, of: RecordRef): readonly Anchor[] | undefined {
  if (by === 'is') return at(left, right, of) ?? at(right, left, of)
  if (by === 'isIgnoringCase') return at(left, right, of, true) ?? at(right, left, of, true)
  if (by === 'isOneOf') return at(left, right, of)
  if (by === 'has') return at(left, right, of) ?? at(right, left, of)
  if (by === 'hasIgnoringCase') return at(left, right, of, true) ?? at(right, left, of, true)
  if (by === 'overlaps') return at(left, right, of) ?? at(right, left, of)
  return undefined
}

function at(term: TermNode, known: TermNode, of: RecordRef, folded?: true): readonly Anchor[] | undefined {
  if (term.kind !== 'field' || term.of !== of || term.via !== undefined || term.type === 'other' || known.kind !== 'literal')
    return undefined
  const place = placeIn(term)
  const fold = (value: Comparable) => (folded ? lowerAscii(value as string) : value)
  return valuesOf(known).map((value) => ({ steps: [], place, value: fold(value), ...(folded ? { folded } : {}) }))
}

function placeIn({ path, type, list }: FieldNode): PlaceNode {
  return { path, type: type as PlaceNode['type'], ...(list ? { list } : {}) }
}

function valuesOf({ value, type, list }: LiteralNode): readonly Comparable[] {
  if (list) return properList(value, type) ?? []
  const one = proper(value, type)
  return one === undefined ? [] : [one]
}

function linked(node: SomeNode, of: RecordRef, weigh: Weigh): readonly Anchor[] | undefined {
  const { over, each } = node
  if (over.kind === 'elements') return undefined
  const { by, rest } = over.kind === 'records' ? joinsOf(node as SomeNode & { over: typeof over }) : { by: over.by, rest: node.of }
  const pairs = by.flatMap(({ from, to }): Pair[] =>
    from.kind === 'field' && from.of === of && from.via === undefined && from.type !== 'other' ? [{ from: placeIn(from), to }] : [],
  )
  if (pairs.length === 0) return undefined
  const known = by.flatMap(({ from, to }) =>
    from.kind === 'literal' ? [valuesOf(from).map((value): Anchor => ({ steps: [], place: to, value }))] : [],
  )
  const step: Step =
    over.kind === 'records'
      ? { kind: 'records', type: over.type, by: pairs }
      : { kind: 'ancestors', type: over.type, by: pairs, link: over.link, key: over.key }
  const within = (anchors: readonly Anchor[]) => anchors.map((anchor) => ({ ...anchor, steps: [step, ...anchor.steps] }))
  // Weighed as they will be, at the end of the way.
  const inner = [
    ...(over.kind === 'records' ? known : []),
    coverIn(rest, each, (anchor) => weigh({ ...anchor, steps: [step, ...anchor.steps] })),
  ]
  return best(
    inner.map((anchors) => anchors && within(anchors)),
    weigh,
  )
}

/** The instants that a condition, specialised for somebody, compares the time with: when they pass, it may come out otherwise. */
export function instantsIn(condition: ConditionNode): readonly number[] {
  switch (condition.kind) {
    case 'not':
    case 'named':
      return instantsIn(condition.of)
    case 'some':
      return instantsIn(condition.of)
    case 'allOf':
    case 'anyOf':
      return condition.of.flatMap(instantsIn)
    case 'compare': {
      const { left, right } = condition
      const known = left.kind === 'now' ? right : right.kind === 'now' ? left : undefined
      if (known === undefined) return []
      return literalsIn(known).flatMap((literal) => (isList(literal) ? [] : (valuesOf(literal) as number[])))
    }
    default:
      return []
  }
}

function literalsIn(term: TermNode): LiteralNode[] {
  if (term.kind === 'literal') return [term]
  return term.kind === 'orElse' ? [...literalsIn(term.term), ...literalsIn(term.otherwise)] : []
}
