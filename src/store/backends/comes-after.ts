import { type RawBuilder, type SqlBool, sql } from 'kysely'
import type { Fragment } from '../../sql/index.js'

/** A step of a sort order that a record is compared by. */
export interface OrderStep {
  /** The column as it is compared. */
  readonly compared: Fragment
  readonly descending: boolean
  /** The value is never missing. */
  readonly always: boolean
  /** The value after which to continue; undefined if it is missing. */
  readonly after?: Fragment | undefined
}

/** Tests whether a record comes later in the order: at the first step where it differs. Missing values come last. */
export function comesAfter(steps: readonly OrderStep[], comparesRows: boolean): RawBuilder<SqlBool> {
  const [first] = steps
  if (first === undefined) return sql<SqlBool>`1 = 0`
  const isUniform = steps.every(({ always, after, descending }) => always && after !== undefined && descending === first.descending)
  if (isUniform && (comparesRows || steps.length === 1)) return laterRow(steps, first.descending)
  const ways: Fragment[] = []
  const same: Fragment[] = []
  for (const { compared, descending, always, after } of steps) {
    if (after === undefined) {
      same.push(sql`${compared} is null`)
      continue
    }
    const further = sql`${compared} ${sql.raw(descending ? '<' : '>')} ${after}`
    ways.push(sql`(${sql.join([...same, always ? further : sql`(${further} or ${compared} is null)`], sql` and `)})`)
    same.push(sql`${compared} = ${after}`)
  }
  if (ways.length === 0) return sql<SqlBool>`1 = 0`
  const later = sql<SqlBool>`(${sql.join(ways, sql` or `)})`
  if (ways.length === 1 || !first.always || first.after === undefined) return later
  // Repeats the condition on the first step alone, so that an index can be used.
  return sql<SqlBool>`(${first.compared} ${sql.raw(first.descending ? '<=' : '>=')} ${first.after} and ${later})`
}

function laterRow(steps: readonly OrderStep[], descending: boolean): RawBuilder<SqlBool> {
  const columns = sql.join(steps.map(({ compared }) => compared))
  const places = sql.join(steps.map(({ after }) => after as Fragment))
  return sql<SqlBool>`(${columns}) ${sql.raw(descending ? '<' : '>')} (${places})`
}
