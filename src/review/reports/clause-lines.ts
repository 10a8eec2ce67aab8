import { describe, describeOver, NOT_REMOVED, type SomeNode, type Trace, type Wording } from '../../condition/index.js'
import type { ClauseTrace } from '../../viewpoint/index.js'
import { keyText } from './key-text.js'
import { comparedValues } from './reason.js'

/** One line of a clause with its result. */
export interface ClauseLine {
  /** The depth within the clause. */
  readonly depth: number
  readonly holds: boolean
  readonly text: string
  /** The compared values, or the number of records that were searched. */
  readonly values?: string
}

/**
 * A clause part by part: what holds and what fails, with the compared values. An update has two parts if the changed record is known:
 * before and after the change.
 */
export function clauseLines({ title, trace, after }: ClauseTrace, wording: Wording): ClauseLine[][] {
  const lines = traceLines(trace, wording, 0, title)
  if (after === undefined) return [lines]
  return [
    [{ depth: 0, holds: trace.holds, text: `${title}, on the record as it is` }, ...lines.slice(1)],
    [
      { depth: 0, holds: after.holds, text: `${title}, on the record as it would become` },
      ...traceLines(after, wording, 0, title).slice(1),
    ],
  ]
}

/**
 * A part with its sub-parts, as far as they decided: of an `anyOf` that holds, those that hold; of an `allOf` that fails, those that fail.
 * The others are only named.
 */
function traceLines(part: Trace, wording: Wording, depth: number, title?: string): ClauseLine[] {
  const { node, holds } = part
  switch (node.kind) {
    case 'named': {
      const inner = part.of[0] as Trace
      const head = { depth, holds, text: title ?? (node.name === NOT_REMOVED ? describe(node, wording) : node.name) }
      return inner.node.kind === 'constant' ? [head] : [head, ...insideLines(inner, wording, depth + 1)]
    }
    case 'allOf':
    case 'anyOf':
      return [
        { depth, holds, text: title ?? (node.kind === 'allOf' ? 'all of' : 'any of') },
        ...insideLines(part, wording, depth + 1, title),
      ]
    case 'not':
      if (node.of.kind === 'compare')
        return withTitle({ depth, holds, text: describe(node, wording), values: comparedValues(part.of[0] as Trace) }, title)
      return [{ depth, holds, text: title ?? 'not' }, ...traceLines(part.of[0] as Trace, wording, depth + 1)]
    case 'compare':
    case 'presence':
    case 'listChange':
      return withTitle({ depth, holds, text: describe(node, wording), values: comparedValues(part) }, title)
    case 'some':
      return someLines(part, wording, depth, title)
    case 'constant':
      return [{ depth, holds, text: title ?? describe(node) }]
  }
}

/** The parts of a condition, without a line for the whole. Parts of an `anyOf` get a heading; a standing that has the title already, none. */
function insideLines(part: Trace, wording: Wording, depth: number, title?: string): ClauseLine[] {
  switch (part.node.kind) {
    case 'named':
      return insideLines(part.of[0] as Trace, wording, depth)
    case 'allOf':
    case 'anyOf':
      return part.of.flatMap((one) => {
        const isSaid = one.node.kind === 'named' && one.node.name === title && one.holds === part.holds
        const lines = isSaid ? insideLines(one, wording, depth) : traceLines(one, wording, depth)
        return one.holds === part.holds ? lines : lines.slice(0, 1)
      })
    case 'constant':
    case 'not':
    case 'compare':
    case 'presence':
    case 'listChange':
    case 'some':
      return traceLines(part, wording, depth)
  }
}

/** The records of a `some`: the matching one, or the nearest ones that do not match. */
function someLines(part: Trace, wording: Wording, depth: number, title: string | undefined): ClauseLine[] {
  const { over, each, of } = part.node as SomeNode
  const { all, one } = describeOver(over, wording)
  const looked = part.looked ?? 0
  const { least } = part.node as SomeNode
  const few = least === undefined ? undefined : `${part.matching ?? 0} of ${looked} ${part.matching === 1 ? 'matches' : 'match'}`
  const count = few !== undefined ? few : looked === 0 ? 'there is none' : part.holds || looked === 1 ? '' : `none of ${looked} matches`
  const head: ClauseLine = {
    depth,
    holds: part.holds,
    text: title ?? (of.kind === 'named' ? describe(part.node, wording) : `for ${all}`),
    values: count,
  }
  const inner: Wording = { ...wording, looking: { ...wording.looking, [each]: one } }
  const found = part.of.flatMap((trace) => {
    if (over.kind === 'elements') return insideLines(trace, inner, depth + 1)
    const record: ClauseLine = { depth: depth + 1, holds: trace.holds, text: `${over.type} ${keyText(trace)}` }
    return [record, ...insideLines(trace, inner, depth + 2)]
  })
  return [head, ...found]
}

function withTitle(line: ClauseLine, title: string | undefined): ClauseLine[] {
  if (title === undefined || title === line.text) return [line]
  return [
    { depth: line.depth, holds: line.holds, text: title },
    { ...line, depth: line.depth + 1 },
  ]
}
