import { sql } from 'kysely'
import type { Field } from '../../rulebook/index.js'
import type { Column, Fragment } from '../expressions.js'
import type { Known } from '../known.js'
import type { Ordering } from '../ordering.js'

/** How this database sorts. */
export const ordering: Ordering = Object.freeze({
  place: ({ ref }: Column, field: Field): Fragment | undefined => (field.type === 'time' ? ref : undefined),
  placed: (value: Known): Fragment => sql`${value.parameter((one) => (typeof one === 'boolean' ? Number(one) : one))}`,
  missingLast: 'descending',
  nullsLast: true,
  comparesRows: true,
})
