import {
  describe,
  describeTerm,
  describeValue,
  instant,
  instantText,
  type SomeNode,
  type TermNode,
  type Trace,
  termsOf,
  typeOf,
  type Wording,
} from '../../condition/index.js'
import type { ClauseTrace, Explanation } from '../../viewpoint/index.js'
import { keyText } from './key-text.js'

/** One line for developers: what allowed it, or what refused it and the nearest clause, with the compared values. */
export function reasonOf({ verdict, decidedBy, clauses, clause, withheldBy }: Explanation): string {
  const wording = { record: `the ${verdict.type}` }
  if (verdict.allowed) {
    const [first, ...others] = clauses.filter(({ holds }) => holds)
    if (first === undefined) return 'let'
    const why = [...new Set(holding(first.trace, wording))].join('; ')
    return [`allowed by ${first.title}${why === '' ? '' : `: ${why}`}`, ...others.map(({ title }) => `or by ${title}`)].join('; ')
  }
  const [withheld] = withheldBy
  if (withheld?.kind === 'gate')
    return `refused by the gate${withheld.afterwards ? ' for the record as it would become' : ''}: ${failing(withheld.trace, wording).join('; ') || withheld.title}`
  if (withheld !== undefined) return `refused by the veto: ${withheld.title}`
  if (clause === undefined) return `no clause allows ${decidedBy}`
  if (clause.holds) return `${clause.title} allows it, but not these fields`
  const first = decidedBy === verdict.action ? '' : `fields that may not be ${decidedBy}: `
  return `${first}the nearest clause is ${clause.title}: ${missedBy(clause, wording)}`
}

/** The comparisons that prevent a clause from counting, with the compared values. */
export function missedBy(clause: ClauseTrace, wording: Wording): string {
  if (clause.onlyWithin !== undefined) return `only within ${clause.onlyWithin.join(' or ')}`
  if (!clause.trace.holds) return failing(clause.trace, wording).join('; ')
  return `afterwards, ${clause.after === undefined ? '' : failing(clause.after, wording).join('; ')}`
}

/** The comparisons that make a condition true, with the compared values. Of several possibilities, the first. */
function holding(part: Trace, wording: Wording): string[] {
  const { node } = part
  switch (node.kind) {
    case 'constant':
      return []
    case 'named':
    case 'allOf':
      return part.of.flatMap((inner) => holding(inner, wording))
    case 'anyOf':
      return part.of
        .filter((inner) => inner.holds)
        .slice(0, 1)
        .flatMap((inner) => holding(inner, wording))
    case 'some': {
      const [fitting] = part.of
      return fitting === undefined ? [] : holding(fitting, lookingAt(fitting, node, wording))
    }
    case 'not':
    case 'compare':
    case 'presence':
    case 'listChange':
      return [saidOf(part, wording)]
  }
}

/** The comparisons that make a condition false, with the compared values. */
function failing(part: Trace, wording: Wording): string[] {
  if (part.holds) return []
  const { node } = part
  switch (node.kind) {
    case 'named':
    case 'allOf':
      return part.of.flatMap((inner) => failing(inner, wording))
    case 'anyOf': {
      const ways = part.of.map((inner) => failing(inner, wording).join(', and '))
      return [ways.length > 2 ? `${ways[0]}, nor any of ${ways.length - 1} others` : ways.join(', nor ')]
    }
    case 'some':
      return [missedAmong(part, node, wording)]
    case 'constant':
    case 'not':
    case 'compare':
    case 'presence':
    case 'listChange':
      return [saidOf(part, wording)]
  }
}

function missedAmong(part: Trace, some: SomeNode, wording: Wording): string {
  const { over } = some
  const what = over.kind === 'elements' ? 'value' : over.type
  if (some.least !== undefined) return `${part.matching ?? 0} of at least ${some.least} match`
  if ((part.looked ?? 0) === 0) return `there is no ${what}`
  const [nearest] = part.of
  return nearest === undefined ? `no ${what} matches` : failing(nearest, lookingAt(nearest, some, wording)).join('; ')
}

/** The name of the current record of a `some`: its key. */
function lookingAt(one: Trace, { over, each }: SomeNode, wording: Wording): Wording {
  const key = over.kind === 'elements' ? 'the value' : `${over.type} ${keyText(one)}`
  return { ...wording, looking: { ...wording.looking, [each]: key } }
}

/** Formats a comparison, with the values of its sides in brackets. */
function saidOf(part: Trace, wording: Wording): string {
  const { node } = part
  // For a negation, format the comparison itself.
  const values = comparedValues(part.of[0] ?? part)
  if (part.holds && node.kind === 'compare' && node.by === 'is') {
    // If both values are equal, show one. If the rule states the value, show none.
    const said = [node.left, node.right].some(({ kind }) => kind === 'literal') ? '' : ` [${describeValue(part.values?.[0])}]`
    return `${describe(node, wording)}${said}`
  }
  return `${describe(node, wording)}${values === '' ? '' : ` [${values}]`}`
}

/** The values of a comparison that are not constants of the rule. */
export function comparedValues({ node, values = [] }: Trace): string {
  const terms = node.kind === 'some' ? [] : termsOf(node)
  // What is compared with today is a day.
  const isDay = terms.some((term) => term.kind === 'now' && term.zone !== undefined)
  return terms.flatMap((term, at) => (isWritten(term) ? [] : [`${shortName(term)}: ${shown(term, values[at], isDay)}`])).join(', ')
}

/** Whether a term is a constant of the rule. */
function isWritten(term: TermNode): boolean {
  switch (term.kind) {
    case 'literal':
    case 'forever':
      return true
    case 'field':
    case 'claim':
    case 'now':
    case 'orElse':
      return false
  }
}

function shortName(term: TermNode): string {
  switch (term.kind) {
    case 'claim':
      return `me.${term.path.join('.')}`
    case 'field':
      return [...(term.via ?? []).map(({ name }) => name), ...term.path].join('.')
    case 'orElse':
      return shortName(term.term)
    case 'literal':
    case 'now':
    case 'forever':
      return describeTerm(term)
  }
}

/** A value as people read it; a time without quotes, and without zero milliseconds. */
function shown(term: TermNode, value: unknown, isDay = false): string {
  if (typeOf(term) !== 'time') return describeValue(value)
  const time = typeof value === 'number' ? value : instant(value)
  if (time === undefined || !Number.isFinite(time)) return describeValue(value)
  return instantText(time).replace(isDay ? 'T00:00:00.000Z' : '.000Z', isDay ? '' : 'Z')
}
