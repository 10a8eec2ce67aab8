// The data of the database benchmark: plots, shares and the people who ask, made by the world's generator.
import type { Kysely } from 'kysely'
import { allOf, forever, now, rulebook, toMany, toOne } from 'pachter'
import { createTables, type Dialect, missingIndexes } from 'pachter/sql'
import { generateWorld } from '../examples/world/generate.js'
import { Member, Plot, Session, Share } from '../examples/world/shapes.js'

/** The time of all questions. */
export const NOW = new Date('2026-06-15T09:00:00Z')

/** Rules of four branches over two tables: mine, shared with me, of my sites, or public. */
export const book = rulebook({
  me: { shape: Session, key: 'id', links: { member: toOne('member', 'id') }, roles: (me) => me.member.roles },
  records: {
    member: { shape: Member, key: 'id' },
    plot: { shape: Plot, key: 'id', links: { shares: toMany('share', 'plotId', { onDelete: 'follow' }) } },
    share: { shape: Share, key: 'id', times: ['until'] },
  },
})
  .standings({
    plot: (plot, { me }) => ({
      holder: plot.holderId.is(me.id),
      helper: plot.shares.some((share) => allOf(share.memberId.is(me.id), share.until.orElse(forever).isAfter(now))),
      warden: allOf(me.member.roles.has('warden'), me.member.siteIds.has(plot.siteId)),
    }),
  })
  .rules({
    plot: (plot, { standing: { holder, helper, warden }, role, anyone }) => ({
      may: {
        read: [holder, helper, warden, role('treasurer'), anyone.provided(plot.state.is('vacant'))],
        update: [holder, helper, warden],
      },
    }),
  })

/** The people, with the number of plots that each may read, by the size of the garden. */
export const PEOPLE = {
  holder: { id: 'm-09', email: 'someone@marshlane.example' },
  helper: { id: 'm-02', email: 'bram@marshlane.example' },
  warden: { id: 'm-04', email: 'tomasz@marshlane.example' },
  treasurer: { id: 'm-06', email: 'farah@marshlane.example' },
  visitor: null,
} as const

/** Few plots are vacant, as in places with a waiting list. Bram helps on one in 250 of the shared ones. */
export function garden(plots: number, members = 10) {
  const world = generateWorld(plots)
  const plot = world.plot.map((one, at) =>
    one.state === 'vacant' && at % 10_000 !== 5
      ? { ...one, state: 'let' as const, holderId: world.member[(at * 7) % world.member.length]?.id ?? null }
      : one,
  )
  const share = world.share.map((one, at) => (at % 250 === 7 ? { ...one, memberId: 'm-02', until: undefined } : one))
  return { member: world.member.slice(0, members), plot, share }
}

/** Creates and fills the tables, then creates the indexes that the rules could use, and one for the order of lists. */
export async function fill(
  db: Kysely<any>,
  dialect: Dialect,
  plots: number,
  progress: (text: string) => void,
  members?: number,
): Promise<void> {
  await createTables(db, book, dialect)
  const records = garden(plots, members)
  for (const [type, rows] of Object.entries(records)) {
    const fields = Object.entries(book.model.types[type]?.fields ?? {})
    for (let from = 0; from < rows.length; from += 2000) {
      const batch = rows.slice(from, from + 2000) as { [field: string]: unknown }[]
      const values = batch.map((row) => Object.fromEntries(fields.map(([name, field]) => [name, dialect.codec.encode(field, row[name])])))
      await db.insertInto(type).values(values).execute()
      if (from % 100_000 === 0) progress(`${type}: ${from.toLocaleString('en')} of ${rows.length.toLocaleString('en')}`)
    }
  }
  for (const { statement } of (await missingIndexes(db, dialect, book)).missing) if (statement) await run(db, statement)
  await db.schema.createIndex('plot_number').on('plot').column('number').execute()
  await db.schema.createIndex('plot_state').on('plot').column('state').execute()
  await run(db, dialect.name === 'postgres' ? 'vacuum analyze' : 'analyze table plot, share, member')
}

async function run(db: Kysely<any>, statement: string): Promise<void> {
  const { sql } = await import('kysely')
  await sql.raw(statement.replace(/;$/, '')).execute(db)
}
