// A rulebook of what is deleted along with what, and records for it.
import fc from 'fast-check'
import { rulebook, toMany, toOne } from 'pachter'
import { z } from 'zod'

export const Session = z.object({ id: z.string() })
export const Named = z.object({ id: z.string(), ownerId: z.string() })
export const Child = Named.extend({ plotId: z.string().nullable() })
const Pin = Named.extend({ noteId: z.string() })
const Job = Named.extend({ plotIds: z.array(z.string()) })
export const Note = Named.extend({ childId: z.string(), aboveId: z.string().nullable() })

/** Record types that lead to each other in every way that a deletion may take. */
export const book = rulebook({
  me: { shape: Session, key: 'id' },
  records: {
    plot: { shape: Named, key: 'id' },
    // Deleted along with their plot, refusing it, unlinked from it, and following it.
    entry: { shape: Child, key: 'id', links: { plot: toOne('plot', 'plotId', { onDelete: 'delete' }) } },
    // Anybody might delete these, and nobody sees them.
    trace: { shape: Child, key: 'id', links: { plot: toOne('plot', 'plotId', { onDelete: 'delete' }) } },
    bill: { shape: Child, key: 'id', links: { plot: toOne('plot', 'plotId') } },
    share: { shape: Child, key: 'id', links: { plot: toOne('plot', 'plotId', { onDelete: 'follow' }) } },
    key: { shape: Child, key: 'id', links: { plot: toOne('plot', 'plotId', { onDelete: 'unlink' }) } },
    // Stands in the way of a note, and so of those above it.
    pin: { shape: Pin, key: 'id', links: { note: toOne('note', 'noteId') } },
    job: { shape: Job, key: 'id', links: { plots: toMany('plot', { id: 'plotIds' }, { onDelete: 'unlink' }) } },
    note: {
      shape: Note,
      key: 'id',
      links: { entry: toOne('entry', 'childId', { onDelete: 'follow' }), above: toOne('note', 'aboveId', { onDelete: 'follow' }) },
    },
  },
})
  .standings(
    Object.fromEntries(
      ['plot', 'entry', 'bill', 'share', 'key', 'job', 'note', 'pin'].map((type) => [
        type,
        (record: any, { me }: any) => ({ owner: record.ownerId.is(me.id) }),
      ]),
    ) as never,
  )
  .rules(
    Object.fromEntries(
      ['plot', 'entry', 'bill', 'share', 'key', 'job', 'note', 'pin'].map((type) => [
        type,
        (_record: any, { standing: { owner } }: any) => ({ may: { read: [owner], update: [owner], delete: [owner] } }),
      ]),
    ) as never,
  )
  .rules({ trace: (_trace, { anyone }) => ({ may: { delete: [anyone] } }) })

/** Records of this book at random: which of its type's links lead where, and whose it is. */
const id = fc.constantFrom('p1', 'p2', 'x1', 'x2', 'x3', 'x4')
export const anyRecord = fc
  .record({
    id,
    type: fc.constantFrom('entry', 'trace', 'bill', 'share', 'key', 'job', 'note', 'note', 'note', 'pin', 'pin'),
    to: id,
    above: id,
    owner: fc.constantFrom('a', 'a', 'a', 'b'),
  })
  .map(({ id: key, type, to, above, owner }) => {
    const own = { id: key, ownerId: owner, plotId: to, plotIds: [to, above], childId: to, aboveId: above, noteId: to }
    const fields = Object.keys(book.model.types[type]?.fields ?? {})
    return { type, record: Object.fromEntries(fields.map((name) => [name, own[name as 'id']])) }
  })
