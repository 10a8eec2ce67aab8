import { frozen } from './freeze.js'
import {
  type AncestorsNode,
  allOfNode,
  anyOfNode,
  type CompareNode,
  type ConditionNode,
  compareNode,
  type FieldNode,
  isList,
  type JoinNode,
  type LinkNode,
  type ListChangeNode,
  listChangeNode,
  notNode,
  type OverNode,
  type PlaceNode,
  type PresenceNode,
  presenceNode,
  type RecordsNode,
  type SomeNode,
  someNode,
  type TermNode,
} from './nodes.js'
import { onLinked } from './removal.js'
import { anyNode, childrenOf, mapChildren, mapOver, mapTerm, partsOfTerm, termsOfOver } from './visit.js'
import { anyLeaf, highestEach } from './walk.js'

/**
 * The same condition with links followed by `some` alone: `entry.plot.holderId is X` becomes "some plot that the entry links to has the
 * holderId X". So a missing linked record means the same in every backend.
 * `highest` is the highest number of a `some` in the whole condition, if this is a part of one.
 */
export function lower(node: ConditionNode, highest = 0): ConditionNode {
  if (!anyLeaf(node, isLinked)) return inConditions(node)
  let last = Math.max(highest, highestEach(node))
  const fresh = () => ++last
  const lowered = (part: ConditionNode): ConditionNode => {
    switch (part.kind) {
      case 'constant':
      case 'not':
      case 'named':
      case 'allOf':
      case 'anyOf':
        return frozen(mapChildren(part, lowered))
      case 'presence':
        return loweredPresence(part, fresh)
      case 'compare':
        return loweredCompare(part, fresh)
      case 'listChange':
        return loweredChange(part, fresh)
      case 'some':
        return loweredSome(part.over, fresh, (over) => someNode(part.each, over, lowered(part.of), part.least))
    }
  }
  return inConditions(lowered(node))
}

/** The same, with joins that ignore case as conditions on the records: only comparisons know of it. */
function inConditions(node: ConditionNode): ConditionNode {
  if (!anyNode(node, joinsIgnoringCase)) return node
  const inner = mapChildren(node, inConditions)
  if (!joinsIgnoringCase(inner) || inner.kind !== 'some' || inner.over.kind !== 'records') return inner
  const { over, each, of, least } = inner
  const tests = over.by.filter(ignoresCase).map((join) => equality(join, each))
  return frozen(someNode(each, { ...over, by: over.by.filter((join) => !ignoresCase(join)) }, allOfNode([...tests, of]), least))
}

function joinsIgnoringCase(node: ConditionNode): boolean {
  return node.kind === 'some' && node.over.kind === 'records' && node.over.by.some(ignoresCase)
}

function ignoresCase({ to }: JoinNode): boolean {
  return to.ignoringCase === true
}

type Fresh = () => number

function isLinked(term: TermNode): boolean {
  return term.kind === 'field' && term.via !== undefined
}

function holdsLink(term: TermNode): boolean {
  return term.kind === 'orElse' ? holdsLink(term.term) || holdsLink(term.otherwise) : isLinked(term)
}

function loweredPresence(node: PresenceNode, fresh: Fresh): ConditionNode {
  const { term, present } = node
  if (!holdsLink(term)) return node
  if (!present) return notNode(loweredPresence(presenceNode(term, true), fresh))
  if (term.kind === 'orElse') {
    return anyOfNode([term.term, term.otherwise].map((one) => loweredPresence(presenceNode(one, true), fresh)))
  }
  return reached(term as FieldNode, fresh, (inner) => presenceNode(inner, true))
}

function loweredCompare(node: CompareNode, fresh: Fresh): ConditionNode {
  const { left, right, by } = node
  if (holdsLink(left)) return loweredSide(left, fresh, (term) => loweredCompare(compareNode(term, by, right), fresh))
  if (holdsLink(right)) return loweredSide(right, fresh, (term) => loweredCompare(compareNode(left, by, term), fresh))
  return node
}

function loweredChange(node: ListChangeNode, fresh: Fresh): ConditionNode {
  const { by, list, from, item } = node
  if (!holdsLink(item)) return node
  return loweredSide(item, fresh, (term) => loweredChange(listChangeNode(by, list, from, term), fresh))
}

function loweredSide(term: TermNode, fresh: Fresh, compare: (term: TermNode) => ConditionNode): ConditionNode {
  if (term.kind !== 'orElse') return reached(term as FieldNode, fresh, compare)
  const there = loweredPresence(presenceNode(term.term, true), fresh)
  return anyOfNode([allOfNode([there, compare(term.term)]), allOfNode([notNode(there), compare(term.otherwise)])])
}

/** True if a record at the end of the field's links matches. */
function reached(field: FieldNode, fresh: Fresh, fits: (field: FieldNode) => ConditionNode): ConditionNode {
  const { via = [], ...last } = field
  let of = field.of
  const steps = via.map((link) => {
    const over = overLink(link, of)
    const each = fresh()
    of = each
    return { each, over, link }
  })
  return steps.reduceRight<ConditionNode>(
    (inner, { each, over, link }) => someNode(each, over, onLinked(link, each, inner)),
    fits({ ...last, of }),
  )
}

/** The record that a link to one leads to. */
export function overLink(link: LinkNode, of: FieldNode['of'], via?: readonly LinkNode[]): OverNode {
  return {
    kind: 'records',
    type: link.to,
    name: link.name,
    one: true,
    by: link.by.map(({ to, from: { ignoringCase: _how, ...from } }) => ({
      to,
      from: { kind: 'field', of, ...from, ...(via ? { via } : {}) },
    })),
  }
}

/** Turns a `some` that starts at a linked record into nested ones. All its joins start at the same record. */
function loweredSome(over: OverNode, fresh: Fresh, make: (over: OverNode) => ConditionNode): ConditionNode {
  const start = termsOfOver(over).flatMap(partsOfTerm).find(isLinked) as FieldNode | undefined
  if (start === undefined) return make(over)
  return reached(start, fresh, ({ of }) => {
    const near = (term: TermNode): TermNode => {
      if (!isLinked(term)) return term
      const { via: _via, ...last } = term as FieldNode
      return { ...last, of }
    }
    return make(mapOver(over, (term) => mapTerm(term, near)))
  })
}

/**
 * Splits a `some` over records into equalities, which an index can serve, and the rest. Equalities among the conditions join the pairs,
 * except those that `leave` keeps.
 */
export function joinsOf(
  node: Pick<SomeNode, 'each' | 'of'>,
  over: RecordsNode,
  leave: (from: TermNode) => boolean = () => false,
): {
  readonly by: readonly JoinNode[]
  readonly rest: ConditionNode
} {
  const by = [...over.by]
  const rest: ConditionNode[] = []
  const take = (part: ConditionNode): void => {
    switch (part.kind) {
      case 'named':
      case 'allOf':
        return childrenOf(part).forEach(take)
      case 'compare': {
        const join = part.by === 'is' ? (joinOf(part.left, part.right, node.each) ?? joinOf(part.right, part.left, node.each)) : undefined
        if (join === undefined || leave(join.from)) rest.push(part)
        else by.push(join)
        return
      }
      case 'constant':
      case 'anyOf':
      case 'not':
      case 'presence':
      case 'listChange':
      case 'some':
        rest.push(part)
    }
  }
  take(node.of)
  return { by, rest: allOfNode(rest) }
}

function joinOf(to: TermNode, from: TermNode, each: number): JoinNode | undefined {
  if (to.kind !== 'field' || to.of !== each || to.via !== undefined || to.type === 'other') return undefined
  return canJoin(from, each) ? { to: { path: to.path, type: to.type }, from } : undefined
}

/** Whether a term is a single value that does not depend on the record of that number. */
function canJoin(from: TermNode, each: number): boolean {
  switch (from.kind) {
    case 'field':
      return from.of !== each && from.via === undefined && from.type !== 'other'
    case 'claim':
    case 'literal':
    case 'now':
    case 'forever':
      return true
    case 'orElse':
      return false
  }
}

/** The same for any `some` over records. In a chain, equalities among the conditions are not part of its steps. */
export function linkOf(
  node: SomeNode,
  over: RecordsNode | AncestorsNode,
): { readonly by: readonly JoinNode[]; readonly rest: ConditionNode } {
  switch (over.kind) {
    case 'records':
      return joinsOf(node, over)
    case 'ancestors':
      return { by: over.by, rest: node.of }
  }
}

/** A place in the records of a `some`, as a field. */
export function placeOf({ ignoringCase: _how, ...place }: PlaceNode, each: number): FieldNode {
  return { kind: 'field', of: each, ...place }
}

/** The join of a link as a comparison. */
export function equality({ to, from }: JoinNode, each: number): CompareNode {
  const term = placeOf(to, each)
  if (to.ignoringCase) {
    if (isList(from)) return compareNode(from, 'hasIgnoringCase', term)
    return compareNode(term, to.list ? 'hasIgnoringCase' : 'isIgnoringCase', from)
  }
  if (isList(from)) return compareNode(term, 'isOneOf', from)
  return to.list ? compareNode(term, 'has', from) : compareNode(term, 'is', from)
}
