import { sql } from 'kysely'
import type { Column, Fragment } from '../expressions.js'
import type { Known } from '../known.js'
import type { Ordering } from '../ordering.js'
import { DAY } from './expressions.js'

/** How this database sorts. */
export const ordering: Ordering = Object.freeze({
  // Other columns are selected as they are.
  place: ({ ref, as }: Column): Fragment | undefined => (as === DAY ? ref : undefined),
  placed: (value: Known): Fragment => sql`${value.parameter((one) => (typeof one === 'boolean' ? Number(one) : one))}`,
  missingLast: 'descending',
  nullsLast: true,
  comparesRows: true,
})
