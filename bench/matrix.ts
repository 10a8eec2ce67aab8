// The access matrix by sets, compared with asking cell by cell: npm run bench:matrix -- --people 1000 --plots 10000 --plots 100000
import { parseArgs } from 'node:util'
import { indexed } from 'pachter'
import { accessMatrix } from 'pachter/review'
import { generateWorld } from '../examples/world/generate.js'
import { book } from '../examples/world/rulebook.js'

const { values } = parseArgs({
  options: { people: { type: 'string', default: '1000' }, plots: { type: 'string', multiple: true, default: ['10000', '100000'] } },
})
const now = new Date('2026-06-15T09:00:00Z')
const SAMPLE = { people: 25, plots: 400 }

console.log(`${Number(values.people).toLocaleString('en')} people, plots: read, update, delete and create`)
for (const plots of values.plots.map(Number)) {
  // Only what the rules of plots read: a world of a million plots has three million entries.
  const { member, site, plot, share } = generateWorld(plots)
  const records = { member, site, plot, share }
  const step = Math.max(1, Math.floor(member.length / Number(values.people)))
  // The people of the demo, with their roles, come first; the others are spread over all members.
  const asking = [...member.slice(0, 10), ...member.filter((_, at) => at >= 10 && at % step === 0)].slice(0, Number(values.people))
  const people = Object.fromEntries(asking.map(({ id, email }) => [id, { id, email }]))
  const before = process.memoryUsage().rss
  const begun = performance.now()
  const matrix = accessMatrix(book, 'plot', { people, records, now })
  const taken = performance.now() - begun
  const allowed = matrix.people.reduce((sum, name) => sum + matrix.actions.reduce((all, action) => all + matrix.count(name, action), 0), 0)
  const memory = (process.memoryUsage().rss - before) / 2 ** 20

  const linked = indexed(records)
  let start = performance.now()
  let cells = 0
  // The first person is not measured, because indexes are built meanwhile.
  for (const [at, name] of matrix.people.slice(0, SAMPLE.people + 1).entries()) {
    if (at === 1) {
      start = performance.now()
      cells = 0
    }
    const view = book.for(people[name] as never, { now, records: linked as never })
    for (let at = 0; at < SAMPLE.plots; at++) {
      const row = plot[Math.floor((at * plot.length) / SAMPLE.plots)] as (typeof plot)[number]
      for (const action of matrix.actions) {
        if (view.verdict(action as 'read', 'plot', row).allowed !== matrix.allows(name, row.id, action))
          throw new Error(`${name} ${action} ${row.id}`)
        cells++
      }
    }
  }
  const each = (performance.now() - start) / cells
  const all = matrix.people.length * plot.length * matrix.actions.length
  console.log(
    `${plot.length.toLocaleString('en').padStart(9)} plots, ${all.toLocaleString('en')} cells, ${allowed.toLocaleString('en')} allowed: ` +
      `${(taken / 1000).toFixed(2)} s and ${memory.toFixed(0)} MB by sets; cell by cell ${((each * all) / 1000).toFixed(0)} s, by ${cells.toLocaleString('en')} of them: ${((each * all) / taken).toFixed(0)}x`,
  )
}
