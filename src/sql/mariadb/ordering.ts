import { sql } from 'kysely'
import type { Field } from '../../rulebook/index.js'
import type { Column, Fragment } from '../expressions.js'
import type { Known } from '../known.js'
import type { Ordering } from '../ordering.js'
import { inSession, inUtc, isEnum } from './storage-types.js'

/** How this database sorts. Enumerations are sorted by the position of their value, but compared by its text. */
export const ordering: Ordering = Object.freeze({
  place({ ref, as }: Column, field: Field): Fragment | undefined {
    if (field.type === 'time') return sql`date_format(${as === 'timestamp' ? inUtc(ref) : ref}, '%Y-%m-%d %H:%i:%s.%f')`
    if (as === 'decimal') return sql`cast(${ref} as char)`
    return as === 'float' ? sql`cast(${ref} as double)` : isEnum(as) ? sql`${ref} + 0` : undefined
  },
  placed(value: Known, { as }: Column, field: Field): Fragment {
    const place = value.parameter()
    if (field.type === 'time') return as === 'timestamp' ? inSession(place) : sql`cast(${place} as datetime(6))`
    if (as === 'decimal') return sql`cast(${place} as decimal(65, 30))`
    // A literal with a fraction would be a decimal with few digits.
    const isDouble = value.look((one) => typeof one === 'number' && !Number.isSafeInteger(one))
    return isDouble ? sql`cast(${value.parameter(String)} as double)` : sql`${place}`
  },
  compared: ({ ref, as }: Column): Fragment => (isEnum(as) ? sql`${ref} + 0` : ref),
  missingLast: 'descending',
  nullsLast: false,
  comparesRows: false,
})
