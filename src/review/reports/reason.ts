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

/** In one line, for developers: what allowed it, or what refused it and the nearest clause, with the values compared. */
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

/** The comparisons for which a clause does not count, with the values compared. */
export function missedBy(clause: ClauseTrace, wording: Wording): string {
  if (clause.onlyWithin !== undefined) return `only within ${clause.onlyWithin.join(' or ')}`
  if (!clause.trace.holds) return failing(clause.trace, wording).join('; ')
  return `afterwards, ${clause.after === undefined ? '' : failing(clause.after, wording).join('; ')}`
}

/** The comparisons by which a condition holds, with the values compared; of several that would do, the first. */
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

/** The comparisons for which a condition fails, with the values compared. */
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
  if ((part.looked ?? 0) === 0) return `there is no ${what}`
  const [nearest] = part.of
  return nearest === undefined ? `no ${what} matches` : failing(nearest, lookingAt(nearest, some, wording)).join('; ')
}

/** How the record that a `some` looks at is spoken of: by its key, its first field. */
function lookingAt(one: Trace, { over, each }: SomeNode, wording: Wording): Wording {
  const key = over.kind === 'elements' ? 'the value' : `${over.type} ${String(Object.values(one.on ?? {})[0] ?? '')}`
  return { ...wording, looking: { ...wording.looking, [each]: key } }
}

/** What a comparison says, in brackets with what stood on its sides. */
function saidOf(part: Trace, wording: Wording): string {
  const { node } = part
  // Of what is negated, the comparison itself.
  const values = comparedValues(part.of[0] ?? part)
  if (part.holds && node.kind === 'compare' && node.by === 'is') {
    // Where both are the same, one is enough; and none, where the rule says what it is.
    const said = [node.left, node.right].some(({ kind }) => kind === 'literal') ? '' : ` [${describeValue(part.values?.[0])}]`
    return `${describe(node, wording)}${said}`
  }
  return `${describe(node, wording)}${values === '' ? '' : ` [${values}]`}`
}

/** What stood on the sides of a comparison, but for what was written in the rule. */
export function comparedValues({ node, values = [] }: Trace): string {
  return (node.kind === 'some' ? [] : termsOf(node))
    .flatMap((term, at) => (isWritten(term) ? [] : [`${shortName(term)}: ${shown(term, values[at])}`]))
    .join(', ')
}

/** Whether the rule itself says what a term is. */
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

/** A value as people read it; an instant bare, and without milliseconds where there are none. */
function shown(term: TermNode, value: unknown): string {
  if (typeOf(term) !== 'time') return describeValue(value)
  const time = typeof value === 'number' ? value : instant(value)
  if (time === undefined || !Number.isFinite(time)) return describeValue(value)
  return instantText(time).replace('.000Z', 'Z')
}
