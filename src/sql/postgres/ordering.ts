import { sql } from 'kysely'
import type { Field } from '../../rulebook/index.js'
import type { Column, Fragment } from '../expressions.js'
import type { Known } from '../known.js'
import type { Ordering } from '../ordering.js'
import { hasForeignOrder } from './storage-types.js'

/**
 * How this database sorts. A place is text without a type: PostgreSQL then gives it the type of the column that it is compared with, and
 * compares in the collation of that column.
 */
export const ordering: Ordering = Object.freeze({
  place({ ref, as }: Column, field: Field): Fragment | undefined {
    if (field.type === 'time') return timeText(ref, as)
    return as === 'numeric' || as === 'real' ? sql`${ref}::text` : undefined
  },
  sorted: comparable,
  compared: comparable,
  placed: (value: Known): Fragment => sql`${value.parameter()}`,
  missingLast: 'ascending',
  nullsLast: true,
  comparesRows: true,
})

function comparable({ ref, as }: Column): Fragment {
  return hasForeignOrder(as) ? sql`${ref}::text` : ref
}

/** A time as text in ISO form with microseconds, whatever the settings of the session. */
function timeText(ref: Fragment, as: string | undefined): Fragment {
  if (as === 'date')
    return sql`case when isfinite(${ref}) then to_char(${ref}, ${sql.lit(DAY)}) || ${era(sql`${ref}`)} else ${ref}::text end`
  const time = as === 'timestamp' ? ref : sql`(${ref} at time zone 'UTC')`
  const zone = as === 'timestamp' ? '' : '+00'
  const text = sql`to_char(${time}, ${sql.lit(`${DAY} HH24:MI:SS.US`)}) || ${sql.lit(zone)} || ${era(time)}`
  return sql`case when isfinite(${ref}) then ${text} else ${ref}::text end`
}

const DAY = 'YYYY-MM-DD'

/** to_char writes the years before Christ without a sign. */
function era(time: Fragment): Fragment {
  return sql`case when ${time} < '0001-01-01' then ' BC' else '' end`
}
