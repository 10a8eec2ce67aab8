// Which conditions can be answered by sets, and how.
import {
  allOfNode,
  asRecord,
  type CompareNode,
  type ConditionNode,
  equality,
  type FieldNode,
  isList,
  isSelfContained,
  type JoinNode,
  joinsOf,
  type LiteralNode,
  operatorOf,
  type PlaceNode,
  type RecordsNode,
  type SomeNode,
} from '../../condition/index.js'

/** How indexes follow a link: from these places of a record to those of the others, on which the rest must hold. */
export interface LinkPlan {
  readonly from: readonly PlaceNode[]
  readonly to: readonly PlaceNode[]
  readonly fits: ConditionNode
}

const plans = new WeakMap<SomeNode, LinkPlan | false>()

/** How indexes follow a link; undefined if they cannot. */
export function planOf(node: SomeNode, over: RecordsNode): LinkPlan | undefined {
  const known = plans.get(node)
  if (known !== undefined) return known || undefined
  const { by, rest } = joinsOf(node, over, (from) => from.kind !== 'field')
  const open = by.filter(({ from }) => from.kind === 'field')
  const bound = by.filter(({ from }) => from.kind !== 'field').map((join) => equality(join, node.each))
  const fits = allOfNode([...bound, rest])
  const plan = isSelfContained(fits, node.each) &&
    open.every(isOwn) && {
      from: open.map(({ from }) => placeOfField(from as FieldNode)),
      to: open.map(({ to }) => to),
      fits: asRecord(fits, node.each),
    }
  plans.set(node, plan)
  return plan || undefined
}

/** A field compared with a known value. */
export interface Sides {
  readonly field: FieldNode
  readonly literal: LiteralNode
}

/** A field of the record itself compared with a known value, if an index can answer it. */
export function sides({ by, left, right }: CompareNode): Sides | undefined {
  if (operatorOf(by).lookup !== 'equality') return undefined
  const [field, literal] = left.kind === 'field' ? [left, right] : [right, left]
  if (field.kind !== 'field' || literal.kind !== 'literal' || !isOwnField(field)) return undefined
  return field === right && isList(field) && !isList(literal) ? undefined : { field, literal }
}

function isOwnField(term: FieldNode): boolean {
  return term.of === 'record' && term.via === undefined && term.type !== 'other'
}

/** Whether a link starts at the record itself. */
export function isOwn({ from }: JoinNode): boolean {
  return from.kind === 'field' && isOwnField(from)
}

/** Whether sets can answer a condition without evaluating it on each record. */
export function isDirect(node: ConditionNode): boolean {
  switch (node.kind) {
    case 'constant':
      return true
    case 'named':
    case 'not':
      return isDirect(node.of)
    case 'allOf':
    case 'anyOf':
      return node.of.every(isDirect)
    case 'compare':
      return sides(node) !== undefined
    case 'some':
      return node.least === undefined && node.over.kind !== 'elements' && isSelfContained(node.of, node.each)
    case 'presence':
    case 'listChange':
      return false
  }
}

/** The place of a field. */
export function placeOfField({ path, type, list }: FieldNode): PlaceNode {
  return { path, type: type as PlaceNode['type'], ...(list ? { list } : {}) }
}
