import {
  type Comparable,
  type CompareNode,
  type ConditionNode,
  type FieldNode,
  isOverRecords,
  type LiteralNode,
  linkOf,
  lower,
  lowerAscii,
  operatorOf,
  type PlaceNode,
  type RecordRef,
  type SomeNode,
  type TermNode,
  toComparable,
  toComparables,
} from '../../condition/index.js'
import { type Field, type Model, typeModel } from '../../rulebook/index.js'
import { type Pair, placeId, type Step, stepOf } from './steps.js'

/** A value that a record, or one that its links lead to, must have. */
export interface Anchor {
  readonly steps: readonly Step[]
  readonly place: PlaceNode
  readonly value: Comparable
  /** The comparison ignores the case of A to Z. */
  readonly folded?: true
}

/**
 * Values of which a record must have at least one for the condition to hold: the index finds the condition by them. Undefined if there are
 * none, so that every record must be checked. Empty if the condition never holds.
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
    // A negation says nothing about which records to look for.
    case 'not':
    case 'presence':
    case 'listChange':
      return undefined
  }
}

/** If several must hold, one is enough to find the condition: the one with the fewest values, keys first. */
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

/** Whether these values include a place of the record itself that has another value. */
function rulesOut(cover: readonly Anchor[] | undefined, { steps, place, folded, value }: Anchor): boolean {
  if (cover === undefined || steps.length > 0 || place.list || folded) return false
  const same = (one: Anchor) => one.steps.length === 0 && !one.folded && placeId(one.place) === placeId(place)
  return cover.every((one) => same(one) && one.value !== value)
}

/** Values shared by many records find too many: a state, true or false. */
const COMMON = 1000

function compared({ by, left, right }: CompareNode, of: RecordRef): readonly Anchor[] | undefined {
  switch (operatorOf(by).lookup) {
    case 'equality':
      return at(left, right, of) ?? at(right, left, of)
    case 'equalityIgnoringCase':
      return at(left, right, of, true) ?? at(right, left, of, true)
    case 'start':
    case 'none':
      return undefined
  }
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
  if (list) return toComparables(value, type) ?? []
  const one = toComparable(value, type)
  return one === undefined ? [] : [one]
}

function linked(node: SomeNode, of: RecordRef, weigh: Weigh): readonly Anchor[] | undefined {
  const { over, each } = node
  if (!isOverRecords(over)) return undefined
  const { by, rest } = linkOf(node, over)
  const pairs = by.flatMap(({ from, to }): Pair[] =>
    from.kind === 'field' && from.of === of && from.via === undefined && from.type !== 'other' ? [{ from: placeIn(from), to }] : [],
  )
  if (pairs.length === 0) return undefined
  // The places of a chain are those of its first step only.
  const known = (over.kind === 'ancestors' ? [] : by).flatMap(({ from, to }) =>
    from.kind === 'literal' ? [valuesOf(from).map((value): Anchor => ({ steps: [], place: to, value }))] : [],
  )
  const step = stepOf(over, pairs)
  const within = (anchors: readonly Anchor[]) => anchors.map((anchor) => ({ ...anchor, steps: [step, ...anchor.steps] }))
  // Weighed by their places at the end of the path.
  const inner = [...known, coverIn(rest, each, (anchor) => weigh({ ...anchor, steps: [step, ...anchor.steps] }))]
  return best(
    inner.map((anchors) => anchors && within(anchors)),
    weigh,
  )
}
