import type { Wording } from 'pachter/internal/condition'
import { type ClauseLine, clauseLines } from 'pachter/internal/review'
import type { ClauseTrace } from 'pachter/internal/viewpoint'
import pc from 'picocolors'
import { outputWidth, printable } from './table.js'

const HOLDS = 'holds'
const FAILS = 'fails'

/** A clause part by part, for a terminal. */
export function clauseText(clause: ClauseTrace, wording: Wording): string[] {
  return clauseLines(clause, wording).flatMap(aligned)
}

function aligned(lines: readonly ClauseLine[]): string[] {
  const widthOf = ({ depth, text }: ClauseLine) => depth * 2 + text.length
  const width = Math.max(0, ...lines.filter(({ values }) => values).map(widthOf))
  return lines.flatMap((line) => {
    const { depth, holds, text } = line
    const values = printable(line.values ?? '')
    const body = `  ${holds ? pc.green(HOLDS) : pc.red(FAILS)}  ${'  '.repeat(depth)}${printable(text)}`
    if (values === '') return [body]
    const left = MARGIN + width + 2
    if (left + values.length + 2 <= outputWidth()) return [`${body}${' '.repeat(width - widthOf(line) + 2)}${pc.dim(`[${values}]`)}`]
    return [body, pc.dim(`${' '.repeat(MARGIN + depth * 2 + 2)}[${values}]`)]
  })
}

// Two spaces, "holds" or "fails", two spaces.
const MARGIN = 9
