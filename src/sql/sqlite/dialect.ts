import { SqliteQueryCompiler } from 'kysely'
import type { Dialect } from '../dialect.js'
import { catalog } from './catalog.js'
import { codec } from './codec.js'
import { expressions } from './expressions.js'
import { ordering } from './ordering.js'
import { transactions } from './transactions.js'

/**
 * SQLite. Times are RFC 3339 text in UTC with milliseconds, so that text order is time order; booleans are 0 and 1; lists, nested objects
 * and everything else are JSON text. SQLite's lower() changes only the letters A to Z.
 */
export const sqlite: Dialect = Object.freeze({
  name: 'sqlite',
  queryCompiler: () => new SqliteQueryCompiler(),
  expressions,
  codec,
  catalog,
  ordering,
  transactions,
})
