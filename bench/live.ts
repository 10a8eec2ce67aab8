// npm run bench:live -- --people 100000: the cost of one change while this many people watch their list of plots, compared with evaluating
// each person's rules.
import { parseArgs } from 'node:util'
import { indexed } from 'pachter'
import { liveLists } from 'pachter/http'
import { inMemory, openStore } from 'pachter/store'
import { generateWorld } from '../examples/world/generate.js'
import { book } from '../examples/world/rulebook.js'

const { values } = parseArgs({ options: { people: { type: 'string', default: '100000' }, changes: { type: 'string', default: '200' } } })
const people = Number(values.people)
const changes = Number(values.changes)
const now = new Date('2026-06-15T09:00:00Z')

const plots = 300
const world = generateWorld(plots)
// One member per subscriber. Members of the demo world hold, share and look after plots; the others watch too.
const member = [
  ...world.member,
  ...Array.from({ length: Math.max(0, people - world.member.length) }, (_, at) => ({
    ...(world.member[8] as (typeof world.member)[number]),
    id: `x-${at}`,
    email: `x-${at}@marshlane.example`,
    roles: [],
    siteIds: [],
  })),
]
const store = openStore(book, inMemory({ ...world, member } as never), { now })
const system = store.asSystem('a benchmark')
const who = member.slice(0, people).map(({ id, email }) => ({ id, email }))
const live = liveLists({ tick: 60_000, most: people })

let told = 0
const began = performance.now()
// With `node --expose-gc`, garbage is not counted.
const heap = () => {
  globalThis.gc?.()
  return process.memoryUsage().heapUsed
}
const memoryBefore = heap()
const where = (plot: { state: { is(value: string): never } }) => plot.state.is('let')
for (const [at, me] of who.entries()) {
  await live.watch(store as never, me as never, 'plot', { where: where as never, name: 'let' }, ({ event }) => {
    if (event !== 'listed') told++
  })
  if (at % 2000 === 0) {
    await live.settled()
    process.stderr.write(`\r${at.toLocaleString('en')} watch `)
  }
}
await live.settled()
const watching = performance.now() - began
const memory = (heap() - memoryBefore) / 2 ** 20
process.stderr.write('\r')

const keys = (await system.list('plot', { where: (plot) => plot.state.is('let') })).map(({ id }) => id)
const times: number[] = []
for (let round = 0; round < changes; round++) {
  const key = keys[(round * 7919) % keys.length] as string
  const [plot] = await system.list('plot', { where: (one) => one.id.is(key) })
  const before = { ...plot } as never
  const after = { ...plot, planting: `crop ${round}` } as never
  await system.update('plot', key, { planting: `crop ${round}` })
  await live.settled()
  // This measures finding and notifying the subscriptions, not writing.
  const from = performance.now()
  live.changed([{ type: 'plot', key, before, after }])
  await live.settled()
  times.push(performance.now() - from)
}
times.sort((a, b) => a - b)
const median = times[Math.floor(times.length / 2)] as number

// Evaluating each person: rules are specialised already, and linked records are indexed.
const all = Object.fromEntries(
  await Promise.all(['member', 'share', 'plot'].map(async (type) => [type, await system.list(type as 'plot')])),
)
const linked = indexed(all as never)
const SAMPLE = Math.min(2000, people)
const step = Math.max(1, Math.floor(people / SAMPLE))
const views = who
  .filter((_, at) => at % step === 0)
  .slice(0, SAMPLE)
  .map((me) => book.for(me, { records: linked as never, now }))
const plot = (all as unknown as { plot: never[] }).plot[0] as never
for (const view of views) view.filter('plot', [plot])
const asked = performance.now()
let seen = 0
for (const view of views) seen += view.filter('plot', [plot]).length
const each = ((performance.now() - asked) / views.length) * people

console.log(
  `${people.toLocaleString('en')} people watch ${plots.toLocaleString('en')} plots (${live.watching.lists.toLocaleString('en')} lists): set up in ${(watching / 1000).toFixed(1)} s, ${memory.toFixed(0)} MB`,
)
console.log(
  `one change: ${median.toFixed(2)} ms (median of ${changes}; slowest ${times.at(-1)?.toFixed(1)} ms), ${(told / changes).toFixed(1)} told of each`,
)
console.log(
  `asking each: ${each.toFixed(0)} ms (by a sample of ${views.length}, of which ${seen} see it): ${(each / median).toFixed(0)} times as long`,
)
await live.close()
process.exit(0)
