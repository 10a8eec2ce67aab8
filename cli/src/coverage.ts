import { mkdirSync } from 'node:fs'
import { join, resolve } from 'node:path'
import { type Coverage, type CoveragePoint, coverageLcov, coverageListing, coverageReport, isCovered } from 'pachter/internal/review'
import pc from 'picocolors'
import { UsageError } from './errors.js'
import { shownPath } from './expectations.js'
import { say } from './output.js'
import { columns, printable, wrapped } from './table.js'
import { writeWhole } from './write.js'

/** Prints the coverage of the expectations, and writes it to a folder if one is named. */
export function reportCoverage(coverage: Coverage, folder: string | true, now: Date): void {
  const { points, questions } = coverage
  const types = [...new Set(points.map(({ type }) => type))]
  say()
  say(
    columns(
      ['type', 'rules and parts', 'both outcomes'],
      types.map((type) => {
        const mine = points.filter((point) => point.type === type)
        const both = mine.filter(isCovered).length
        return [type ?? 'every type', String(mine.length), both === mine.length ? pc.green(String(both)) : pc.yellow(String(both))]
      }),
      [1, 2],
    ),
  )
  say()
  const silent = new Set(points.filter((point) => point.depth === 0 && isSilent(point)).map(({ type, rule }) => `${type} ${rule}`))
  const uncovered = points.filter((point) => !isCovered(point))
  // If a rule was never evaluated, its parts are not listed.
  const open = uncovered.filter(({ type, rule, depth }) => depth === 0 || !silent.has(`${type} ${rule}`))
  if (open.length > 0) {
    say(pc.bold('Without both outcomes'))
    say(
      wrapped(
        ['type', 'rule', 'part', 'outcomes'],
        open.map((point) => [point.type ?? 'all', printable(point.rule), point.depth === 0 ? ' ' : printable(point.text), cameOut(point)]),
      ),
    )
    say()
  }
  say(`${points.length - uncovered.length} of ${points.length} rules and parts had both outcomes, in ${questions} checks.`)
  if (folder !== true) say(`Wrote index.html, lcov.info and rules.txt to ${write(coverage, folder, now)}.`)
}

function isSilent({ counts }: CoveragePoint): boolean {
  return counts.every((count) => count === 0)
}

function cameOut(point: CoveragePoint): string {
  if (isSilent(point)) return 'never evaluated'
  const { outcomes, counts } = point
  return outcomes.map((outcome, at) => (counts[at] === 0 ? `never ${outcome}` : `${outcome} ${counts[at]}`)).join(', ')
}

function write(coverage: Coverage, named: string, now: Date): string {
  const folder = resolve(named)
  try {
    mkdirSync(folder, { recursive: true })
  } catch (error) {
    throw new UsageError(`${named} cannot be made: ${error instanceof Error ? error.message : String(error)}`)
  }
  writeWhole(join(folder, 'rules.txt'), coverageListing(coverage))
  writeWhole(join(folder, 'lcov.info'), coverageLcov(coverage, join(folder, 'rules.txt')))
  writeWhole(join(folder, 'index.html'), coverageReport(coverage, { now }))
  return shownPath(folder)
}
