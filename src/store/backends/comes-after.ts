import { type RawBuilder, type SqlBool, sql } from 'kysely'
import type { Comparable, Scalar } from '../../condition/index.js'
import type { Expressions, Fragment } from '../../sql/index.js'

/** A value in the sort order. */
interface OrderStep {
  readonly value: Fragment
  readonly descending: boolean
  /** The value is never missing. */
  readonly always: boolean
  readonly type: Scalar
}

/** Tests whether a record comes later in the order: at the first step where it differs. Missing values come last. */
export function comesAfter(
  expressions: Expressions,
  order: readonly OrderStep[],
  after: readonly (Comparable | null)[],
): RawBuilder<SqlBool> {
  const ways: Fragment[] = []
  const same: Fragment[] = []
  for (const [at, { value, descending, always, type }] of order.entries()) {
    const place = after[at] ?? null
    if (place === null) {
      same.push(sql`${value} is null`)
      continue
    }
    const known = expressions.value(place, type)
    const further = sql`${value} ${sql.raw(descending ? '<' : '>')} ${known}`
    ways.push(sql`(${sql.join([...same, always ? further : sql`(${further} or ${value} is null)`], sql` and `)})`)
    same.push(sql`${value} = ${known}`)
  }
  if (ways.length === 0) return sql<SqlBool>`1 = 0`
  const later = sql<SqlBool>`(${sql.join(ways, sql` or `)})`
  const [first] = order
  if (ways.length === 1 || first === undefined || !first.always || after[0] === null || after[0] === undefined) return later
  // Repeats the condition on the first step alone, so that an index can be used.
  const start = expressions.value(after[0], first.type)
  return sql<SqlBool>`(${first.value} ${sql.raw(first.descending ? '<=' : '>=')} ${start} and ${later})`
}
