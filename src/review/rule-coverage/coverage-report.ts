import { COLOURS, escaped, htmlPage, minute } from '../reports/report-page.js'
import type { Coverage, CoveragePoint } from './coverage.js'

/** Whether both results occurred. */
export function isCovered({ counts }: CoveragePoint): boolean {
  return counts.every((count) => count > 0)
}

/** The rules and their parts as text, one per line. The tracefile refers to these lines. */
export function coverageListing({ points }: Coverage): string {
  return `${points.map(lineOf).join('\n')}\n`
}

function lineOf({ type, text, depth }: CoveragePoint): string {
  return depth === 0 ? `${type === undefined ? '' : `${type}: `}${text}` : `${'  '.repeat(depth + 1)}${text}`
}

/**
 * Coverage as an LCOV tracefile, as `geninfo` describes it: a line for each rule and part of the listing, and two branches for its two
 * results.
 * @param listing the path of the listing, relative to a reader of the tracefile
 */
export function coverageLcov({ points }: Coverage, listing: string): string {
  const records = points.flatMap(({ counts: [first, second] }, at) => {
    // A branch that was never evaluated has "-" instead of 0.
    const taken = (count: number) => (first + second === 0 ? '-' : String(count))
    return [`DA:${at + 1},${first + second}`, `BRDA:${at + 1},0,0,${taken(first)}`, `BRDA:${at + 1},0,1,${taken(second)}`]
  })
  const reached = points.filter(({ counts: [first, second] }) => first + second > 0).length
  const branches = points.flatMap(({ counts }) => counts)
  const sums = [`LF:${points.length}`, `LH:${reached}`, `BRF:${branches.length}`, `BRH:${branches.filter((count) => count > 0).length}`]
  return ['TN:pachter', `SF:${listing}`, ...records, ...sums, 'end_of_record', ''].join('\n')
}

const STYLE = `${COLOURS}
body { margin: 0 auto; max-width: 76rem; padding: 0 1rem 3rem; font: 15px/1.45 system-ui, sans-serif; background: var(--paper); color: var(--ink); }
h1 { font-size: 1.4rem; margin: .8rem 0 0; }
h2 { font-size: 1.1rem; margin: 1.4rem 0 .3rem; }
p { margin: .2rem 0 .6rem; color: var(--quiet); }
label { display: inline-block; padding: .3rem 0; }
table { border-collapse: collapse; width: 100%; }
th, td { text-align: left; font-weight: 400; padding: .16rem .5rem; vertical-align: top; border-top: 1px solid var(--line); }
thead th { color: var(--quiet); border-top: 0; }
td.count { width: 8.5rem; white-space: nowrap; font-variant-numeric: tabular-nums; color: var(--quiet); }
td.never { color: var(--here); font-weight: 600; }
tr.rule > th { font-weight: 600; }
tr.open > th { border-left: 4px solid var(--here); }
tr.both > th { border-left: 4px solid var(--whole); }
tr[hidden], section[hidden] { display: none; }
@media (max-width: 40rem) { td.count { width: auto; white-space: normal; } }
@media print { form { display: none; } }
`

const SCRIPT = `
const only = document.getElementById('only')
function apply() {
  for (const section of document.querySelectorAll('section')) {
    let left = 0
    for (const row of section.querySelectorAll('tbody tr')) { row.hidden = only.checked && row.classList.contains('both'); left += row.hidden ? 0 : 1 }
    section.hidden = left === 0
  }
  document.getElementById('all').hidden = [...document.querySelectorAll('section')].some((section) => !section.hidden)
}
only.addEventListener('input', apply)
apply()
`

/** Coverage as one self-contained HTML page. */
export function coverageReport(
  coverage: Coverage,
  { now, title = 'Rule coverage' }: { readonly now: Date; readonly title?: string },
): string {
  const { points, questions } = coverage
  const types = [...new Set(points.map(({ type }) => type))]
  const both = points.filter(isCovered).length
  const section = (type: string | undefined) => {
    const mine = points.filter((point) => point.type === type)
    return `<section><h2>${escaped(type ?? 'every record type')}</h2>
<table><thead><tr><th scope="col">rule</th><th scope="col" colspan="2">outcomes</th></tr></thead><tbody>
${mine.map(row).join('\n')}
</tbody></table></section>`
  }
  return htmlPage(
    title,
    STYLE,
    `<header><h1>${escaped(title)}</h1>
<p>${questions} questions, as of ${minute(now)}. Of ${points.length} rules and parts of them, ${both} had both outcomes.</p>
<form><label><input id="only" type="checkbox"> Show only rules without both outcomes</label></form></header>
<main>
${types.map(section).join('\n')}
<p id="all" hidden>Everything came out both ways.</p>
</main>
<script>${SCRIPT}</script>`,
  )
}

function row(point: CoveragePoint): string {
  const { text, depth, outcomes, counts } = point
  const cells = outcomes.map((outcome, at) => {
    const count = counts[at] as number
    return count > 0 ? `<td class="count">${escaped(outcome)} ${count}</td>` : `<td class="count never">never ${escaped(outcome)}</td>`
  })
  const indent = depth === 0 ? '' : ` style="padding-left: ${depth * 1.6 + 0.5}rem"`
  return `<tr class="${depth === 0 ? 'rule ' : ''}${isCovered(point) ? 'both' : 'open'}"><th scope="row"${indent}>${escaped(text)}</th>${cells.join('')}</tr>`
}
