// A small rulebook whose record types lead to each other, without rules yet: for the files in refused/.
import { rulebook, toMany, toOne } from 'pachter'
import { z } from 'zod'

/** Shapes, for files that begin anew. */
export const linkedShapes = {
  Session: z.object({ id: z.string() }),
  Member: z.object({ id: z.string(), roles: z.array(z.enum(['warden'])) }),
  Plot: z.object({ id: z.string(), holderId: z.string().nullable(), beds: z.array(z.object({ crop: z.string() })) }),
  Entry: z.object({ id: z.string(), plotId: z.string(), aboveId: z.string().optional() }),
}
const { Session, Member, Plot, Entry } = linkedShapes

/** What is begun, and has a standing of plots already. */
export const linked = rulebook({
  me: { shape: Session, key: 'id', links: { member: toOne('member', 'id') }, roles: (me) => me.member.roles },
  records: {
    member: { shape: Member, key: 'id' },
    plot: { shape: Plot, key: 'id', links: { entries: toMany('entry', 'plotId') } },
    entry: { shape: Entry, key: 'id', links: { plot: toOne('plot', 'plotId'), above: toOne('entry', 'aboveId') } },
  },
}).standings({ plot: (plot, { me }) => ({ holder: plot.holderId.is(me.id) }) })
