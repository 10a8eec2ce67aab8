import { sql } from 'kysely'
import type { Field } from '../../rulebook/index.js'
import type { Column, Fragment } from '../expressions.js'
import type { Ordering } from '../ordering.js'

/** How this database sorts. */
export const ordering: Ordering = Object.freeze({
  place: ({ ref }: Column, field: Field): Fragment | undefined => (field.type === 'time' ? ref : undefined),
  placed: (value: string | number | boolean): Fragment => sql`${typeof value === 'boolean' ? Number(value) : value}`,
  nullsLast: true,
  comparesRows: true,
})
