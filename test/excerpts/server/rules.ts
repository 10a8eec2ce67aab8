import { rulebook } from 'pachter'
import { z } from 'zod'

const Session = z.object({ id: z.string(), roles: z.array(z.enum(['warden'])) })
const Plot = z.object({
  id: z.string(),
  holderId: z.string().nullable(),
  state: z.enum(['vacant', 'let']),
  planting: z.string(),
})

/** The rules of the excerpts: those of the README, with one field more. */
export const book = rulebook({ me: { shape: Session, key: 'id' }, records: { plot: { shape: Plot, key: 'id' } } })
  .standings({ plot: (plot, { me }) => ({ holder: plot.holderId.is(me.id) }) })
  .rules({
    plot: (plot, { standing: { holder }, role, anyone }) => ({
      may: {
        read: [holder, role('warden'), anyone.provided(plot.state.is('vacant'))],
        update: [holder.only('planting')],
        delete: [role('warden').provided(plot.state.is('vacant'))],
      },
      messages: { delete: 'Only a warden removes a plot.' },
    }),
  })
