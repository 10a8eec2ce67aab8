import { sql } from 'kysely'
import type { Fragment } from '../expressions.js'
import type { Known } from '../known.js'
import type { Ordering } from '../ordering.js'

/** How this database sorts. */
export const ordering: Ordering = Object.freeze({
  // Columns are selected as they are.
  place: () => undefined,
  placed: (value: Known): Fragment => sql`${value.parameter((one) => (typeof one === 'boolean' ? Number(one) : one))}`,
  missingLast: 'descending',
  nullsLast: true,
  comparesRows: true,
})
