import pc from 'picocolors'
import {
  describe,
  describeTerm,
  describeValue,
  instant,
  instantText,
  type TermNode,
  type Trace,
  typeOf,
  type Wording,
} from '../condition/index.js'
import type { ClauseTrace } from '../viewpoint/index.js'
import { outputWidth, printable } from './table.js'

const HOLDS = 'holds'
const FAILS = 'fails'

interface Line {
  readonly depth: number
  readonly holds: boolean
  readonly text: string
  readonly values?: string
}

/** A clause part by part: what holds and what fails, with the values compared. */
export function clauseLines(clause: ClauseTrace, wording: Wording): string[] {
  const lines = traceLines(clause.trace, wording, 0, clause.title)
  if (clause.after === undefined) return aligned(lines)
  return [
    ...aligned([{ depth: 0, holds: clause.trace.holds, text: `${clause.title}, on the record as it is` }, ...lines.slice(1)]),
    ...aligned([
      { depth: 0, holds: clause.after.holds, text: `${clause.title}, on the record as it would become` },
      ...traceLines(clause.after, wording, 0, clause.title).slice(1),
    ]),
  ]
}

function traceLines(part: Trace, wording: Wording, depth: number, title?: string): Line[] {
  const { node, holds } = part
  switch (node.kind) {
    case 'named': {
      const inner = part.of[0] as Trace
      const head = { depth, holds, text: title ?? node.name }
      if (inner.node.kind === 'constant') return [head]
      const nested = inner.node.kind === 'allOf' ? inner.of : [inner]
      return [head, ...nested.flatMap((one) => traceLines(one, wording, depth + 1))]
    }
    case 'allOf':
    case 'anyOf': {
      const text = title ?? (node.kind === 'allOf' ? 'all of' : 'any of')
      return [{ depth, holds, text }, ...part.of.flatMap((one) => traceLines(one, wording, depth + 1))]
    }
    case 'not':
      if (node.of.kind === 'compare')
        return withTitle({ depth, holds, text: describe(node, wording), values: values(part.of[0] as Trace) }, title)
      return [{ depth, holds, text: title ?? 'not' }, ...traceLines(part.of[0] as Trace, wording, depth + 1)]
    case 'compare':
    case 'presence':
      return withTitle({ depth, holds, text: describe(node, wording), values: values(part) }, title)
    case 'constant':
      return [{ depth, holds, text: title ?? describe(node) }]
  }
}

function withTitle(line: Line, title: string | undefined): Line[] {
  if (title === undefined || title === line.text) return [line]
  return [
    { depth: line.depth, holds: line.holds, text: title },
    { ...line, depth: line.depth + 1 },
  ]
}

/** What stood on the sides of a comparison, but for what was written in the rule. */
function values({ node, values = [] }: Trace): string {
  const terms: TermNode[] = node.kind === 'compare' ? [node.left, node.right] : node.kind === 'presence' ? [node.term] : []
  return terms
    .flatMap((term, at) => (term.kind === 'literal' || term.kind === 'forever' ? [] : [`${shortName(term)}: ${shown(term, values[at])}`]))
    .join(', ')
}

function shortName(term: TermNode): string {
  if (term.kind === 'claim') return `me.${term.path.join('.')}`
  if (term.kind === 'field') return term.path.join('.')
  return term.kind === 'orElse' ? shortName(term.term) : describeTerm(term)
}

/** A value as people read it; an instant bare, and without milliseconds where there are none. */
function shown(term: TermNode, value: unknown): string {
  if (typeOf(term) !== 'time') return printable(describeValue(value))
  const time = typeof value === 'number' ? value : instant(value)
  if (time === undefined || !Number.isFinite(time)) return printable(describeValue(value))
  return instantText(time).replace('.000Z', 'Z')
}

function aligned(lines: readonly Line[]): string[] {
  const widthOf = ({ depth, text }: Line) => depth * 2 + text.length
  const width = Math.max(0, ...lines.filter(({ values }) => values).map(widthOf))
  return lines.flatMap((line) => {
    const { depth, holds, text, values = '' } = line
    const body = `  ${holds ? pc.green(HOLDS) : pc.red(FAILS)}  ${'  '.repeat(depth)}${printable(text)}`
    if (values === '') return [body]
    const left = MARGIN + width + 2
    if (left + values.length + 2 <= outputWidth()) return [`${body}${' '.repeat(width - widthOf(line) + 2)}${pc.dim(`[${values}]`)}`]
    return [body, pc.dim(`${' '.repeat(MARGIN + depth * 2 + 2)}[${values}]`)]
  })
}

// Two spaces, "holds" or "fails", two spaces.
const MARGIN = 9
