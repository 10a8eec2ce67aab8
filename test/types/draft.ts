// A small rulebook without rules yet: what the files in refused/ add to it must not compile.
import { allOf, rulebook } from 'pachter'
import { z } from 'zod'

const Session = z.object({
  id: z.string(),
  roles: z.array(z.enum(['warden', 'treasurer'])),
  siteIds: z.array(z.string()),
  age: z.number().optional(),
})
const Plot = z.object({
  id: z.string(),
  number: z.int(),
  holderId: z.string().nullable(),
  siteId: z.string(),
  state: z.enum(['vacant', 'let']),
  until: z.date().optional(),
  sownOn: z.string().optional(),
  tags: z.array(z.string()),
  address: z.object({ town: z.string() }),
})
const Note = z.object({ id: z.string(), authorId: z.string(), text: z.string() })

/** What is begun, and has standings already. */
export const draft = rulebook({
  me: { shape: Session, key: 'id' },
  records: { plot: { shape: Plot, key: 'id', times: ['sownOn'] }, note: { shape: Note, key: 'id' } },
}).standings({
  plot: (plot, { me }) => ({ holder: plot.holderId.is(me.id), warden: allOf(me.roles.has('warden'), me.siteIds.has(plot.siteId)) }),
  note: (note, { me }) => ({ author: note.authorId.is(me.id) }),
})

/** Shapes, for files that begin anew. */
export const shapes = { Session, Plot, Note }
