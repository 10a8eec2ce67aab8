import { jsonText } from '../../condition/index.js'
import type { Key } from '../../rulebook/index.js'
import { lettersOf } from '../matrix/letters.js'
import type { Access, AccessMatrix } from '../matrix/matrix.js'
import { escaped, htmlPage, minute, SCRIPT, STYLE } from './report-page.js'

/** The options of a report. */
export interface ReportOptions {
  readonly title?: string
  /** The time at which everything was judged. */
  readonly now: Date
}

/**
 * Access matrices as one self-contained HTML page: no network, no server, no other files. The clauses behind a cell are shown under the
 * pointer, or with the arrow keys.
 * @example
 * writeFileSync('matrix.html', accessReport([accessMatrix(book, 'plot', options)], { now: new Date() }))
 */
export function accessReport(matrices: readonly AccessMatrix[], { title = 'Access matrix', now }: ReportOptions): string {
  const texts = new Map<string, number>()
  const numberOf = (text: string): number => {
    const there = texts.get(text)
    if (there !== undefined) return there
    texts.set(text, texts.size)
    return texts.size - 1
  }
  const sections = matrices.map((matrix) => section(matrix, numberOf))
  const types = matrices.map(({ type }) => `<option>${escaped(type)}</option>`).join('')
  const chooser = matrices.length > 1 ? `<label>Records <select id="type">${types}</select></label>` : ''
  return htmlPage(
    title,
    STYLE,
    `<header>
<h1>${escaped(title)}</h1>
<p>Who may read, create, change or delete which record, as of ${minute(now)}.</p>
<form id="filters">${chooser}<label>People <input id="people" type="search" placeholder="all" autocomplete="off"></label><label>Keys <input id="keys" type="search" placeholder="all" autocomplete="off"></label><label class="check"><input id="unlike" type="checkbox"> Show differences only</label><label class="check"><input id="changes" type="checkbox"> Show changes only</label></form>
</header>
<main>
${sections.join('\n')}
<p id="empty" hidden>No records match the filters.</p>
</main>
<footer>
<p id="why" aria-live="polite">Point at a cell, or move to it with the arrow keys, to see the clauses.</p>
<p class="legend"><span class="tile whole"></span> read <span class="tile part"></span> read some fields <span class="tile change">u</span> other actions, by letter <span class="tile none"></span> nothing is allowed. A pale top edge: some fields are hidden. create ?: depends on the record.</p>
</footer>
<script type="application/json" id="texts">${inScript([...texts.keys()])}</script>
<script>${SCRIPT}</script>`,
  )
}

function section(matrix: AccessMatrix, numberOf: (text: string) => number): string {
  const letters = lettersOf(matrix.actions)
  const head = matrix.people.map((person) => `<th scope="col"><span>${escaped(person)}</span></th>`).join('')
  // Person by person, so that the rules are specialised once for each.
  const access = matrix.people.map((person) => matrix.keys.map((key) => matrix.access(person, key)))
  const rows = matrix.keys.map((key, at) =>
    row(
      matrix,
      key,
      access.map((ofPerson) => ofPerson[at] as readonly Access[]),
      letters,
      numberOf,
    ),
  )
  const totals = matrix.actions.map((action) => {
    const letter = action === 'read' ? '' : ` (${letters.get(action)})`
    const counts = matrix.people.map((person) => `<td>${matrix.count(person, action) || '·'}</td>`).join('')
    return `<tr data-letter="${letters.get(action) ?? ''}"><th scope="row">${escaped(action)}${letter}</th>${counts}<td></td></tr>`
  })
  const creates = matrix.people
    .map((person) => `<td>${{ always: 'may', never: '·', depending: '?' }[matrix.creates(person)]}</td>`)
    .join('')
  const lost =
    matrix.unreached.length === 0
      ? ''
      : `<p class="lost">No person has a standing on ${matrix.unreached.length} of ${matrix.keys.length} records: ${escaped(matrix.unreached.slice(0, 40).join(', '))}${matrix.unreached.length > 40 ? ', ...' : ''}.</p>`
  return `<section data-type="${escaped(matrix.type)}">
<h2>${escaped(matrix.type)}</h2>
${matrix.keys.length === 0 ? '<p class="lost">There are no records of this type.</p>' : ''}<div class="scroll"><table>
<thead><tr><th scope="col">${escaped(matrix.type)}</th>${head}<th scope="col" class="sum">people</th></tr></thead>
<tbody>
${rows.join('\n')}
</tbody>
<tfoot>${totals.join('\n')}<tr><th scope="row">create</th>${creates}<td></td></tr></tfoot>
</table></div>
${lost}
</section>`
}

function row(
  matrix: AccessMatrix,
  key: Key,
  cellsOf: readonly (readonly Access[])[],
  letters: ReadonlyMap<string, string>,
  numberOf: (text: string) => number,
): string {
  let reading = 0
  const cells = matrix.people.map((person, at) => {
    const access = cellsOf[at] as readonly Access[]
    if (access.length === 0) return '<td class="none"></td>'
    reading++
    const marks = access.map(({ action }) => letters.get(action) ?? '').join('')
    const kind = marks !== '' ? 'change' : matrix.isPartial(person, key) ? 'part' : 'whole'
    const partial = marks !== '' && matrix.isPartial(person, key) ? ' partial' : ''
    return `<td class="${kind}${partial}" data-why="${numberOf(access.map(said).join('\n'))}">${marks}</td>`
  })
  return `<tr><th scope="row">${escaped(String(key))}</th>${cells.join('')}<td class="sum">${reading}</td></tr>`
}

/** "read, all but rent: holder". */
function said({ action, clauses, fields }: Access): string {
  const of = fields === undefined ? '' : ` (${fields.join(', ') || 'the key alone'})`
  return `${action}${of}, by: ${clauses.join('; or ')}`
}

/** JSON that cannot end the element around it. */
function inScript(value: unknown): string {
  return jsonText(value).replace(/[<>&\u2028\u2029]/g, (character) => `\\u${character.charCodeAt(0).toString(16).padStart(4, '0')}`)
}
