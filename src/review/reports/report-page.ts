// The styles and scripts of the report, embedded in its page.

/** A self-contained page. */
export function htmlPage(title: string, style: string, body: string): string {
  return `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>${escaped(title)}</title>
<style>${style}</style>
</head>
<body>
${body}
</body>
</html>
`
}

const ESCAPES: { readonly [character: string]: string } = { '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;', "'": '&#39;' }

/** Escapes text for HTML. */
export function escaped(text: string): string {
  return text.replace(/[&<>"']/g, (character) => ESCAPES[character] as string)
}

/** A time to the minute. */
export function minute(time: Date): string {
  return `${time.toISOString().slice(0, 16).replace('T', ' ')} UTC`
}

/** Dark text on light, or the other way round in dark mode. */
export const COLOURS = `
:root { color-scheme: light dark; --paper: #fbfaf6; --ink: #1e2a22; --quiet: #5d665f; --line: #dad6c8; --whole: #cfe3cf; --part: #cfe3cf; --change: #2f6b46; --on-change: #ffffff; --here: #8a5a00; }
@media (prefers-color-scheme: dark) { :root { --paper: #171c18; --ink: #e6e9e2; --quiet: #a3aca4; --line: #38423a; --whole: #35523e; --part: #35523e; --change: #8fc7a0; --on-change: #102016; --here: #f0c060; } }
`

/** The styles of the matrix. Print leaves out what only works on a screen. */
export const STYLE = `${COLOURS}
* { box-sizing: border-box; }
body { margin: 0; font: 15px/1.4 system-ui, sans-serif; background: var(--paper); color: var(--ink); }
header, main, footer { padding: 0 1rem; }
h1 { font-size: 1.4rem; margin: .8rem 0 0; }
h2 { font-size: 1.1rem; margin: 1rem 0 .4rem; }
header p { margin: .1rem 0 .6rem; color: var(--quiet); }
form { display: flex; flex-wrap: wrap; gap: .5rem 1.2rem; align-items: center; padding-bottom: .6rem; border-bottom: 1px solid var(--line); }
input[type=search], select { font: inherit; width: 9rem; padding: .2rem .4rem; color: inherit; background: var(--paper); border: 1px solid var(--quiet); border-radius: 3px; }
main { padding-bottom: 9rem; }
.scroll { overflow-x: auto; max-width: 100%; }
table { border-collapse: separate; border-spacing: 2px; }
thead th { position: sticky; top: 0; background: var(--paper); text-align: center; font-weight: 600; vertical-align: bottom; padding: 0 .2rem .2rem; }
thead th:first-child, th[scope=row] { position: sticky; left: 0; background: var(--paper); text-align: left; font-weight: 400; padding: 0 .8rem 0 0; white-space: nowrap; z-index: 1; }
tbody td { min-width: 3.2rem; height: 1.7rem; text-align: center; font-weight: 600; letter-spacing: .06em; border-radius: 3px; }
td.none { background: transparent; box-shadow: inset 0 0 0 1px var(--line); }
td.whole, .tile.whole { background: var(--whole); }
td.part, .tile.part { background: linear-gradient(to top, var(--part) 45%, transparent 45%); box-shadow: inset 0 0 0 1px var(--whole); }
td.change, .tile.change { background: var(--change); color: var(--on-change); }
td.change.partial { background: linear-gradient(to top, var(--change) 82%, var(--whole) 82%); }
td:focus, td.here { outline: 3px solid var(--here); outline-offset: -1px; }
.sum, tfoot td, tfoot th { color: var(--quiet); font-weight: 400; text-align: center; font-variant-numeric: tabular-nums; }
tfoot tr:first-child > * { padding-top: .5rem; }
.lost { color: var(--quiet); max-width: 70rem; }
footer { position: fixed; bottom: 0; left: 0; right: 0; height: 7.5rem; background: var(--paper); border-top: 1px solid var(--line); overflow-y: auto; z-index: 2; }
@media (max-width: 40rem) { footer { height: 11rem; } main { padding-bottom: 12rem; } }
#why { white-space: pre-line; margin: .5rem 0; min-height: 4.2rem; }
.legend { margin: 0 0 .4rem; color: var(--quiet); }
.tile { display: inline-block; width: 1.6rem; height: 1.1rem; border-radius: 3px; vertical-align: -.2rem; margin-left: .8rem; text-align: center; font-size: .8rem; line-height: 1.1rem; }
.tile.none { box-shadow: inset 0 0 0 1px var(--line); }
[hidden] { display: none !important; }
@media print { form, #why { display: none; } footer { position: static; height: auto; } main { padding-bottom: 0; } section[hidden] { display: block !important; } td { -webkit-print-color-adjust: exact; print-color-adjust: exact; } @page { size: landscape; } }
`

/** Filters, and details of the cell under the pointer or with the focus. */
export const SCRIPT = `
const texts = JSON.parse(document.getElementById('texts').textContent)
const $ = (id) => document.getElementById(id)
const sections = [...document.querySelectorAll('section')]
const why = $('why')
const nameOf = (cell) => cell.closest('table').tHead.rows[0].cells[cell.cellIndex].textContent
const keyOf = (cell) => cell.parentElement.cells[0].textContent
function say(cell) {
  document.querySelector('td.here')?.classList.remove('here')
  cell.classList.add('here')
  const text = cell.dataset.why === undefined ? 'nothing' : texts[cell.dataset.why]
  why.textContent = nameOf(cell) + ' and ' + cell.closest('section').dataset.type + ' ' + keyOf(cell) + '\\n' + text
}
const cells = (row) => [...row.cells].filter((cell) => cell.tagName === 'TD' && !cell.classList.contains('sum'))
for (const section of sections) {
  const body = section.querySelector('tbody')
  for (const row of body.rows) for (const cell of cells(row)) {
    cell.tabIndex = -1
    const text = cell.dataset.why === undefined ? 'nothing' : texts[cell.dataset.why]
    cell.setAttribute('aria-label', nameOf(cell) + ', ' + keyOf(cell) + ': ' + text)
  }
  body.addEventListener('pointerover', (event) => { const cell = event.target.closest('td:not(.sum)'); if (cell) say(cell) })
  body.addEventListener('focusin', (event) => { if (event.target.tagName === 'TD') say(event.target) })
  body.addEventListener('click', (event) => { const cell = event.target.closest('td:not(.sum)'); if (cell) cell.focus() })
  body.addEventListener('keydown', (event) => {
    const step = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key]
    if (!step || event.target.tagName !== 'TD') return
    event.preventDefault()
    let [row, at] = [event.target.parentElement, event.target.cellIndex]
    if (step[1]) do row = step[1] > 0 ? row.nextElementSibling : row.previousElementSibling; while (row && row.hidden)
    else do at += step[0]; while (row.cells[at] && row.cells[at].hidden)
    const next = row && row.cells[at]
    if (next && next.tagName === 'TD' && !next.classList.contains('sum')) go(next)
  })
}
function go(cell) {
  for (const other of cell.closest('tbody').querySelectorAll('td[tabindex="0"]')) other.tabIndex = -1
  cell.tabIndex = 0
  cell.focus()
}
function entry(section) {
  const first = [...section.querySelectorAll('tbody tr')].find((row) => !row.hidden)
  const cell = first && cells(first).find((one) => !one.hidden)
  for (const other of section.querySelectorAll('td[tabindex="0"]')) other.tabIndex = -1
  if (cell) cell.tabIndex = 0
}
function sums(section) {
  const rows = [...section.querySelectorAll('tbody tr')].filter((row) => !row.hidden)
  for (const row of rows) row.cells[row.cells.length - 1].textContent = cells(row).filter((cell) => !cell.hidden && !cell.classList.contains('none')).length
  for (const total of section.querySelectorAll('tfoot tr[data-letter]')) for (const cell of [...total.cells].slice(1, -1)) {
    const counted = rows.filter((row) => { const it = row.cells[cell.cellIndex]; return !it.classList.contains('none') && it.textContent.includes(total.dataset.letter) })
    cell.textContent = counted.length || '·'
  }
}
function apply() {
  const chosen = $('type') ? $('type').value : sections[0] && sections[0].dataset.type
  const [people, keys] = [$('people'), $('keys')].map((input) => input.value.trim().toLowerCase().split(/[ ,]+/).filter(Boolean))
  const among = (words, text) => words.length === 0 || words.some((word) => text.toLowerCase().includes(word))
  let left = 0
  for (const section of sections) {
    section.hidden = section.dataset.type !== chosen
    if (section.hidden) continue
    const head = section.querySelector('thead tr')
    const shown = [...head.cells].map((cell, at) => at === 0 || at === head.cells.length - 1 || among(people, cell.textContent))
    for (const row of section.querySelectorAll('tr')) [...row.cells].forEach((cell, at) => { cell.hidden = !shown[at] })
    for (const row of section.querySelectorAll('tbody tr')) {
      const seen = cells(row).filter((cell) => !cell.hidden)
      const kinds = new Set(seen.map((cell) => cell.className.replace('here', '').trim() + cell.textContent))
      const differ = !$('unlike').checked || kinds.size > 1
      const changes = !$('changes').checked || seen.some((cell) => cell.classList.contains('change'))
      row.hidden = !(seen.length > 0 && among(keys, row.cells[0].textContent) && differ && changes)
      left += row.hidden ? 0 : 1
    }
    sums(section)
    entry(section)
  }
  $('empty').hidden = left > 0
}
$('filters').addEventListener('input', apply)
$('filters').addEventListener('submit', (event) => event.preventDefault())
apply()
`
