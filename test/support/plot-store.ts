import { allOf, now, rulebook } from 'pachter'
import { z } from 'zod'

export const Session = z.object({ id: z.string(), roles: z.array(z.enum(['warden', 'editor'])), siteIds: z.array(z.string()) })
export const Plot = z.object({
  id: z.string(),
  number: z.int(),
  siteId: z.string(),
  holderId: z.string().nullable(),
  state: z.enum(['vacant', 'let']),
  rent: z.number().optional(),
  note: z.string().nullable().optional(),
  tags: z.array(z.string()).default([]),
  endsAt: z.date().optional(),
  sownOn: z.iso.datetime().optional(),
  shed: z.object({ roof: z.string(), builtAt: z.date().optional() }).optional(),
  open: z.boolean().optional(),
})
export type Plot = z.infer<typeof Plot>
export const NOW = new Date('2026-06-15T09:00:00Z')

export const book = rulebook({
  me: { shape: Session, key: 'id' },
  records: {
    plot: { shape: Plot, key: 'id', times: ['sownOn'] },
    counter: { shape: z.object({ id: z.int(), total: z.int() }), key: 'id' },
  },
})
  .standings({
    plot: (plot, { me }) => ({ holder: plot.holderId.is(me.id), warden: allOf(me.roles.has('warden'), me.siteIds.has(plot.siteId)) }),
  })
  .rules({
    plot: (plot, { standing: { holder, warden }, anyone }) => ({
      may: {
        read: [holder, warden, anyone.provided(plot.state.is('vacant'))],
        create: [warden],
        update: [holder.provided(plot.endsAt.orElse(new Date('9999-01-01')).isAfter(now)), warden],
        delete: [warden.provided(plot.state.is('vacant'))],
      },
      messages: { delete: 'Only vacant plots are removed.' },
    }),
    counter: (_counter, { signedIn }) => ({ may: { read: [signedIn], create: [signedIn] } }),
  })

export const DATA: { plot: Plot[] } = {
  plot: [
    {
      id: 'p-1',
      number: 3,
      siteId: 's-1',
      holderId: 'm-1',
      state: 'let',
      rent: 30,
      tags: ['sunny', 'ünïcode 🌱'],
      shed: { roof: 'tin', builtAt: new Date(5000) },
      open: true,
    },
    {
      id: 'p-2',
      number: 1,
      siteId: 's-1',
      holderId: 'm-2',
      state: 'let',
      rent: 10,
      note: null,
      tags: [],
      sownOn: '2026-03-01T08:00:00.000Z',
    },
    { id: 'p-3', number: 2, siteId: 's-2', holderId: null, state: 'vacant', tags: [], open: false },
    { id: 'p-4', number: 4, siteId: 's-2', holderId: null, state: 'let', rent: 5.5, tags: ['orphan'] },
    { id: 'p-5', number: 5, siteId: 's-2', holderId: 'm-1', state: 'let', tags: [], endsAt: new Date('2026-01-31T00:00:00Z') },
  ],
}
for (const plot of DATA.plot) plot.note ??= null
export const INES = { id: 'm-1', roles: [], siteIds: ['s-1'] }
export const WARDEN = { id: 'm-4', roles: ['warden' as const], siteIds: ['s-1'] }
