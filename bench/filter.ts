// Filters 1,000,000 plots in memory by a rule of three branches, compared with a hand-written predicate, and specialises the demo rulebook
// for one person: `npm run bench`.
import { allOf, indexed, rulebook, type WorldOf } from 'pachter'
import { z } from 'zod'
import { generateWorld } from '../examples/world/generate.js'
import { book } from '../examples/world/rulebook.js'
import { Plot as PlotShape } from '../examples/world/shapes.js'
import { timeInTurns } from './ratio.js'

const COUNT = 1_000_000
const now = new Date('2026-06-15T09:00:00Z')

const Session = z.object({ id: z.string(), roles: z.array(z.enum(['warden', 'treasurer'])), siteIds: z.array(z.string()) })
const plots3 = rulebook({ me: { shape: Session, key: 'id' }, records: { plot: { shape: PlotShape, key: 'id' } } })
  .standings({
    plot: (plot, { me }) => ({ holder: plot.holderId.is(me.id), warden: allOf(me.roles.has('warden'), me.siteIds.has(plot.siteId)) }),
  })
  .rules({
    plot: (plot, { standing: { holder, warden }, anyone }) => ({
      may: { read: [holder, warden, anyone.provided(plot.state.is('vacant'))] },
    }),
  })

type Plot = WorldOf<typeof book>['rows']['plot']

let seed = 1893
const random = () => {
  seed = (seed * 1_103_515_245 + 12_345) & 0x7fffffff
  return seed / 0x7fffffff
}
const plots = Array.from({ length: COUNT }, (_, at) => ({
  id: `p-${at}`,
  number: at + 1,
  siteId: `s-${Math.floor(random() * 20)}`,
  coHolderIds: [],
  holderId: random() < 0.1 ? null : `m-${Math.floor(random() * 1000)}`,
  state: random() < 0.1 ? ('vacant' as const) : ('let' as const),
  planting: 'leeks',
  rentDue: Math.floor(random() * 100),
}))

// As on a server, other people's viewpoints ran before.
const world = generateWorld(400)
const records = indexed(world)
for (const id of ['m-01', 'm-06', 'm-04']) {
  for (const type of ['plot', 'entry', 'job', 'notice'] as const) book.for({ id }, { now, records }).filter(type, world[type] as never)
}

// A warden of two sites who also holds plots: hers, those of her sites, and the vacant ones.
const me = { id: 'm-7', roles: ['warden' as const], siteIds: ['s-1', 's-2'] }
const viewpoint = plots3.for(me, { now })
const sites = new Set(me.siteIds)
const byHand = (plot: Plot) => plot.holderId === me.id || sites.has(plot.siteId) || plot.state === 'vacant'

const ours = viewpoint.filter('plot', plots)
const theirs = plots.filter(byHand)
if (ours.length !== theirs.length || ours.some((plot, at) => plot !== theirs[at])) throw new Error('the two filters disagree')

const [filter = 0, hand = 1] = timeInTurns(
  15,
  () => viewpoint.filter('plot', plots),
  () => plots.filter(byHand),
)
console.log(`filter ${COUNT.toLocaleString('en')} plots, ${ours.length.toLocaleString('en')} kept`)
console.log(`  by hand    ${hand.toFixed(1)} ms`)
console.log(`  viewpoint  ${filter.toFixed(1)} ms, ${(filter / hand).toFixed(2)}x (aim 1.5x)`)

const ACTIONS = ['read', 'create', 'update', 'delete'] as const
const types = Object.keys(book.model.types) as 'plot'[]
const everything = () => {
  const fresh = book.for({ id: 'm-05' }, { now, records })
  for (const type of types) for (const action of ACTIONS) fresh.condition(action, type)
}
const BATCH = 500
const [specialise = 0, one = 0] = timeInTurns(
  15,
  () => {
    for (let times = 0; times < BATCH; times++) everything()
  },
  () => {
    for (let times = 0; times < BATCH; times++) book.for({ id: 'm-05' }, { now, records }).condition('read', 'plot')
  },
)
console.log(`specialise the demo rulebook for one person (${types.length} record types, 4 actions)`)
console.log(`  all of it  ${((specialise / BATCH) * 1000).toFixed(1)} microseconds (aim 50)`)
console.log(`  one list   ${((one / BATCH) * 1000).toFixed(1)} microseconds`)
