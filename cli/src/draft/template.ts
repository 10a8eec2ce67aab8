// The project that `pachter init` writes without a database: a record type, three people and some records, which run at once.
import type { ProjectFiles } from './write-project.js'

const RULEBOOK = `import { rulebook } from 'pachter'
import { z } from 'zod'

/** What your sign-in says of a person. Take it from your session or token, never from the request. */
export const Session = z.object({ id: z.string(), roles: z.array(z.enum(['warden'])) })

export const Plot = z.object({
  id: z.string(),
  holderId: z.string().nullable(),
  state: z.enum(['vacant', 'let']),
  planting: z.string(),
  rent: z.number(),
})

export const book = rulebook({
  me: { shape: Session, key: 'id' },
  records: { plot: { shape: Plot, key: 'id' } },
})
  .standings({
    plot: (plot, { me }) => ({ holder: plot.holderId.is(me.id) }),
  })
  .rules({
    plot: (plot, { standing: { holder }, role, anyone }) => ({
      may: {
        read: [holder, role('warden'), anyone.provided(plot.state.is('vacant')).only('state')],
        create: [role('warden')],
        update: [holder.only('planting'), role('warden')],
        delete: [role('warden').provided(plot.state.is('vacant'))],
      },
    }),
  })
`

const CONFIG = `import { configure } from 'pachter-cli'
import { book } from './rulebook.js'

export default configure({
  rulebook: book,
  people: {
    ines: { id: 'm-1', roles: [] },
    bram: { id: 'm-2', roles: [] },
    tomasz: { id: 'm-3', roles: ['warden'] },
  },
})
`

const PLOTS = `[
  { "id": "p-1", "holderId": "m-1", "state": "let", "planting": "kale", "rent": 30 },
  { "id": "p-2", "holderId": "m-2", "state": "let", "planting": "beans", "rent": 28 },
  { "id": "p-3", "holderId": null, "state": "vacant", "planting": "", "rent": 28 }
]
`

export const TEMPLATE: ProjectFiles = { 'rulebook.ts': RULEBOOK, 'pachter.config.ts': CONFIG, 'data/plot.json': PLOTS }
