// What a person sees of a database, as types know it.
import { rulebook, type WorldOf } from 'pachter'
import type { OwnQueries, SeenDatabase } from 'pachter/kysely'
import { z } from 'zod'

const plots = rulebook({
  me: { shape: z.object({ id: z.string() }), key: 'id' },
  records: { plot: { shape: z.object({ id: z.string(), siteId: z.string(), rent: z.number() }), key: 'id' } },
}).rules({ plot: (plot, { me, anyone }) => ({ may: { read: [anyone.provided(plot.siteId.is(me.id)), anyone.except('rent')] } }) })

export interface Database {
  plot: { id: string; site_id: string; rent: number; secret: string }
  audit: { id: string }
}

export declare const mine: OwnQueries<SeenDatabase<Database, WorldOf<typeof plots>>>
