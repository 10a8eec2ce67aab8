import { PostgresQueryCompiler } from 'kysely'
import type { Dialect } from '../dialect.js'
import { catalog } from './catalog.js'
import { codec } from './codec.js'
import { expressions } from './expressions.js'
import { ordering } from './ordering.js'
import { transactions } from './transactions.js'

/**
 * PostgreSQL. Times are timestamptz, integers are bigint, other numbers double precision; lists, nested objects and everything else are
 * jsonb. Text compares code point by code point in deterministic collations, which all are unless declared otherwise. Lists are sorted in
 * the collation of the column.
 */
export const postgres: Dialect = Object.freeze({
  name: 'postgres',
  queryCompiler: () => new PostgresQueryCompiler(),
  numbered: true,
  expressions,
  codec,
  catalog,
  ordering,
  transactions,
})
