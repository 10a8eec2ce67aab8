import {
  allOfNode,
  anyOfNode,
  type CompareNode,
  type ConditionNode,
  claimNodesIn,
  compareNode,
  predicate,
  presenceNode,
  type TermNode,
} from '../condition/index.js'
import { DocumentError } from './error.js'
import { fieldBesideKnown, knownBesideField, twoFields } from './operators.js'
import { ALL, all, any, apartFromLists, END, type FilterDocument, NONE, not, pathOf, type Written } from './parts.js'

/**
 * Writes a condition without links as a filter document. Each comparison has one type and no list: a value that does not fit the shape
 * equals nothing. @throws DocumentError
 */
export function write(node: ConditionNode, written: Written, within?: number): FilterDocument {
  const to = (part: ConditionNode) => write(part, written, within)
  switch (node.kind) {
    case 'constant':
      return node.value ? ALL : NONE
    case 'named':
      return to(node.of)
    case 'allOf':
      return all(node.of.map(to))
    case 'anyOf':
      return any(node.of.map(to))
    case 'not':
      return not(to(node.of))
    case 'presence': {
      const missing = isMissing(node.term, written, within)
      return node.present ? not(missing) : missing
    }
    case 'compare':
      return compared(node, written, within)
    case 'listChange':
      return NONE
    case 'some': {
      const { over } = node
      if (over.kind !== 'elements') throw new DocumentError('a link that was not resolved')
      const path = pathOf(over.list, written, within)
      return all([
        { [path.at(-1) as string]: { $elemMatch: { $and: [write(node.of, written, node.each)] } } },
        ...apartFromLists(path.slice(0, -1)),
      ])
    }
  }
}

function isMissing(term: TermNode, written: Written, within: number | undefined): FilterDocument {
  switch (term.kind) {
    case 'field': {
      const path = pathOf(term, written, within)
      const own = path.at(-1) as string
      const outer = path.slice(0, -1)
      const empty: FilterDocument[] = [{ [own]: null }]
      if (term.type === 'id' && !term.list) empty.push({ [own]: { $regex: `^ *${END}` } })
      return any([...outer.map((place) => ({ [place]: { $type: 'array' } })), all([any(empty), ...apartFromLists(path)])])
    }
    case 'orElse':
      return all([isMissing(term.term, written, within), isMissing(term.otherwise, written, within)])
    case 'literal':
      return term.value === null ? ALL : NONE
    case 'now':
    case 'forever':
      return NONE
    case 'claim':
      throw new DocumentError(`the claim ${term.path.join('.')}`)
  }
}

function compared(node: CompareNode, written: Written, within: number | undefined): FilterDocument {
  const { left, by, right } = node
  // The alternative counts if the first term is missing.
  for (const [side, other, put] of [
    [left, right, (one: TermNode) => compareNode(one, by, right)],
    [right, left, (one: TermNode) => compareNode(left, by, one)],
  ] as const) {
    if (side.kind !== 'orElse' || other === undefined) continue
    const first = allOfNode([presenceNode(side.term, true), put(side.term)])
    return write(anyOfNode([first, allOfNode([presenceNode(side.term, false), put(side.otherwise)])]), written, within)
  }
  if (claimNodesIn(node).length > 0) throw new DocumentError('a claim')
  if (left.kind === 'field' && right.kind === 'field') return twoFields(node, left, right, { written, within })
  if (left.kind === 'field') return fieldBesideKnown(node.by, left, right, { written, within })
  if (right.kind === 'field') return knownBesideField(node.by, left, right, { written, within })
  return predicate(node)({}, { me: null, now: written.now }) ? ALL : NONE
}
