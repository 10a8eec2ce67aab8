import type { Row } from './evaluate.js'
import { lower } from './lower.js'
import { anyOfNode, type ConditionNode, FALSE, type LiteralNode, type RecordRef, someNode, type TermNode } from './nodes.js'
import { instantText } from './time.js'
import { type Comparable, IMPROPER, inside, isMissing, proper, properList, type Scalar } from './value.js'
import { asksAfter, mapTerms } from './walk.js'

/** A condition with what it asks of the record as it would become filled in, so that a database can be asked the rest. */
export function withAfter(node: ConditionNode, after: Row): ConditionNode {
  return asksAfter(node) ? filledIn(lower(node), 'after', after) : node
}

/**
 * A condition about one record that is at hand: what it asks of it (and of the record as it would become, which it stands
 * for where there is none) is filled in. What is left asks about other records, or nothing.
 */
export function about(node: ConditionNode, record: Row, after: Row = record): ConditionNode {
  return filledIn(filledIn(lower(node), 'record', record), 'after', after)
}

function filledIn(node: ConditionNode, of: RecordRef, row: Row): ConditionNode {
  const fill = (term: TermNode): TermNode =>
    term.kind === 'field' && term.of === of ? literalOf(inside(row, term.path), term.type, term.list === true) : term
  const filled = (part: ConditionNode): ConditionNode => {
    switch (part.kind) {
      case 'allOf':
      case 'anyOf':
        return { ...part, of: part.of.map(filled) }
      case 'not':
        return { kind: 'not', of: filled(part.of) }
      case 'named':
        return filled(part.of)
      case 'listChange':
        // A literal has no place for values that equal nothing; a list that has some is no match for any.
        return [part.list, part.from].some((term) => term.kind === 'field' && term.of === of && !isWhole(inside(row, term.path), term.type))
          ? FALSE
          : mapTerms(part, fill)
      case 'some': {
        if (part.over.kind !== 'elements' || part.over.list.of !== of) {
          const { over } = mapTerms(someNode(part.each, part.over, { kind: 'constant', value: true }), fill) as typeof part
          return { ...part, over, of: filled(part.of) }
        }
        const elements = inside(row, part.over.list.path)
        const inner = filled(part.of)
        return anyOfNode(Array.isArray(elements) ? elements.filter(isGroup).map((element) => filledIn(inner, part.each, element)) : [])
      }
      default:
        return mapTerms(part, fill)
    }
  }
  return filled(node)
}

function isWhole(value: unknown, type: Scalar | 'other'): boolean {
  return Array.isArray(value) && type !== 'other' && properList(value, type)?.length === value.length
}

function isGroup(value: unknown): value is Row {
  return typeof value === 'object' && value !== null && !Array.isArray(value)
}

function literalOf(value: unknown, type: Scalar | 'other', list: boolean): LiteralNode {
  const missing = isMissing(value, list ? 'other' : type)
  if (type === 'other') return { kind: 'literal', type: 'boolean', value: missing ? null : true }
  const written = (one: Comparable) => (type === 'time' ? instantText(one as number) : one)
  if (list)
    return missing
      ? { kind: 'literal', type, value: null }
      : { kind: 'literal', type, list: true, value: (properList(value, type) ?? []).map(written) }
  const known = proper(value, type)
  return { kind: 'literal', type, value: known === undefined ? (missing ? null : IMPROPER) : written(known) }
}
