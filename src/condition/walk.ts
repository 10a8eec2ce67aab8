import type { ClaimNode, ConditionNode, FieldNode, OverNode, RecordRef, TermNode } from './nodes.js'

/** A term that holds no other. */
type LeafNode = Exclude<TermNode, { readonly kind: 'orElse' }>

/**
 * The same condition with every field, claim and literal put through a function, those that a `some` goes by too.
 * Where that changes nothing, it is the same node.
 */
export function mapTerms(node: ConditionNode, change: (leaf: LeafNode) => TermNode): ConditionNode {
  switch (node.kind) {
    case 'constant':
      return node
    case 'not':
    case 'named': {
      const of = mapTerms(node.of, change)
      return of === node.of ? node : { ...node, of }
    }
    case 'allOf':
    case 'anyOf': {
      const of = mapAll(node.of, (part) => mapTerms(part, change))
      return of === node.of ? node : { ...node, of }
    }
    case 'presence': {
      const term = mapTerm(node.term, change)
      return term === node.term ? node : { ...node, term }
    }
    case 'compare': {
      const left = mapTerm(node.left, change)
      const right = mapTerm(node.right, change)
      return left === node.left && right === node.right ? node : { ...node, left, right }
    }
    case 'listChange': {
      const list = mapTerm(node.list, change)
      const from = mapTerm(node.from, change)
      const item = mapTerm(node.item, change)
      return list === node.list && from === node.from && item === node.item ? node : { ...node, list, from, item }
    }
    case 'some': {
      const over = mapOver(node.over, change)
      const of = mapTerms(node.of, change)
      return over === node.over && of === node.of ? node : { ...node, over, of }
    }
  }
}

/** A condition on the record that a `some` looks at, asked of a record by itself. */
export function asRecord(node: ConditionNode, each: number): ConditionNode {
  return mapTerms(node, (leaf) => (leaf.kind === 'field' && leaf.of === each ? { ...leaf, of: 'record' } : leaf))
}

/** What a `some` looks through, with its terms put through a function. */
export function mapOver(over: OverNode, change: (leaf: LeafNode) => TermNode): OverNode {
  if (over.kind === 'elements') {
    const list = change(over.list) as FieldNode
    return list === over.list ? over : { ...over, list }
  }
  const by = mapAll(over.by, (join) => {
    const from = mapTerm(join.from, change)
    return from === join.from ? join : { to: join.to, from }
  })
  if (over.kind === 'records') return by === over.by ? over : { ...over, by }
  const self = mapTerm(over.self, change)
  return by === over.by && self === over.self ? over : { ...over, by, self }
}

function mapTerm(term: TermNode, change: (leaf: LeafNode) => TermNode): TermNode {
  if (term.kind !== 'orElse') return change(term)
  const first = mapTerm(term.term, change)
  const otherwise = mapTerm(term.otherwise, change)
  return first === term.term && otherwise === term.otherwise ? term : { kind: 'orElse', term: first, otherwise }
}

function mapAll<T>(list: readonly T[], change: (one: T) => T): readonly T[] {
  const changed = list.map(change)
  return changed.every((one, at) => one === list[at]) ? list : changed
}

/** Every term in a condition that holds no other, those that a `some` goes by too. */
export function leavesOf(node: ConditionNode): LeafNode[] {
  switch (node.kind) {
    case 'constant':
      return []
    case 'not':
    case 'named':
      return leavesOf(node.of)
    case 'allOf':
    case 'anyOf':
      return node.of.flatMap(leavesOf)
    case 'presence':
      return leavesOfTerm(node.term)
    case 'compare':
      return [...leavesOfTerm(node.left), ...leavesOfTerm(node.right)]
    case 'listChange':
      return [node.list, node.from, node.item].flatMap(leavesOfTerm)
    case 'some':
      return [...leavesOfOver(node.over), ...leavesOf(node.of)]
  }
}

/** The terms that a `some` goes by. */
export function leavesOfOver(over: OverNode): LeafNode[] {
  if (over.kind === 'elements') return [over.list]
  const joins = over.by.flatMap(({ from }) => leavesOfTerm(from))
  return over.kind === 'records' ? joins : [...joins, ...leavesOfTerm(over.self)]
}

function leavesOfTerm(term: TermNode): LeafNode[] {
  return term.kind === 'orElse' ? [...leavesOfTerm(term.term), ...leavesOfTerm(term.otherwise)] : [term]
}

/** The fields that a condition reads. */
export function fieldNodesIn(node: ConditionNode): FieldNode[] {
  return leavesOf(node).filter((leaf) => leaf.kind === 'field')
}

/** The claims that a condition asks for. */
export function claimNodesIn(node: ConditionNode): ClaimNode[] {
  return leavesOf(node).filter((leaf) => leaf.kind === 'claim')
}

/** The names of the fields that a condition asks for on the record as it is, those that its links go by too. */
export function fieldsIn(node: ConditionNode): string[] {
  const names = fieldNodesIn(node)
    .filter(({ of }) => of === 'record')
    .flatMap(({ path, via }) => (via === undefined ? [path[0]] : (via[0]?.by ?? []).map(({ from }) => from.path[0])))
  return [...new Set(names as string[])]
}

/** Whether a condition asks for the record as it would become. */
export function asksAfter(node: ConditionNode): boolean {
  return fieldNodesIn(node).some(({ of }) => of === 'after')
}

/** Whether a condition asks which value is added to a list or removed. */
export function changesList(node: ConditionNode): boolean {
  if (node.kind === 'allOf' || node.kind === 'anyOf') return node.of.some(changesList)
  if (node.kind === 'not' || node.kind === 'named' || node.kind === 'some') return changesList(node.of)
  return node.kind === 'listChange'
}

/** Whether a condition reads records besides the one that it is asked about, as it is or as it would become. */
export function followsLinks(node: ConditionNode): boolean {
  switch (node.kind) {
    case 'not':
    case 'named':
      return followsLinks(node.of)
    case 'allOf':
    case 'anyOf':
      return node.of.some(followsLinks)
    case 'some':
      return node.over.kind !== 'elements' || followsLinks(node.of) || node.over.list.via !== undefined
    default:
      return leavesOf(node).some((leaf) => leaf.kind === 'field' && leaf.via !== undefined)
  }
}

/** The highest number that a `some` in a condition has; 0 where there is none. */
export function highestEach(node: ConditionNode): number {
  switch (node.kind) {
    case 'not':
    case 'named':
      return highestEach(node.of)
    case 'allOf':
    case 'anyOf':
      return Math.max(0, ...node.of.map(highestEach))
    case 'some':
      return Math.max(node.each, highestEach(node.of))
    default:
      return 0
  }
}

/**
 * Numbers every `some` by its depth, from 1, so that conditions that are written alike are alike.
 * `unbound` is told of a field whose record no enclosing `some` is looking at. `from` is the first number.
 */
export function numbered(node: ConditionNode, unbound: (of: number) => never, from = 1): ConditionNode {
  return renumber(node, new Map(), from, unbound)
}

function renumber(node: ConditionNode, numbers: ReadonlyMap<number, number>, depth: number, unbound: (of: number) => never): ConditionNode {
  const field = (leaf: LeafNode): TermNode => {
    if (leaf.kind !== 'field' || typeof leaf.of !== 'number') return leaf
    const of = numbers.get(leaf.of) ?? unbound(leaf.of)
    return of === leaf.of ? leaf : Object.freeze({ ...leaf, of })
  }
  switch (node.kind) {
    case 'not':
    case 'named': {
      const of = renumber(node.of, numbers, depth, unbound)
      return of === node.of ? node : Object.freeze({ ...node, of })
    }
    case 'allOf':
    case 'anyOf': {
      const of = mapAll(node.of, (part) => renumber(part, numbers, depth, unbound))
      return of === node.of ? node : Object.freeze({ ...node, of: Object.freeze(of) })
    }
    case 'some': {
      const each = depth
      const of = renumber(node.of, new Map([...numbers, [node.each, each]]), depth + 1, unbound)
      const over = mapOver(node.over, field)
      if (each === node.each && over === node.over && of === node.of) return node
      return Object.freeze({ kind: 'some', each, over: Object.freeze(over), of })
    }
    default:
      return Object.freeze(mapTerms(node, field))
  }
}

/** A condition on a record, asked of the one that a `some` of the number `each` looks at. Its own are numbered above `highest`. */
export function askedWithin(node: ConditionNode, each: number, highest = each): ConditionNode {
  const apart = numbered(
    node,
    (of) => {
      throw new Error(`no "some" looks at the record ${of}`)
    },
    highest + 1,
  )
  return askedOf(apart, 'record', each)
}

/** A condition on a record, asked about another: every field of `from` becomes one of `to`. */
export function askedOf(node: ConditionNode, from: RecordRef, to: RecordRef): ConditionNode {
  return mapTerms(node, (leaf) => (leaf.kind === 'field' && leaf.of === from ? { ...leaf, of: to } : leaf))
}
