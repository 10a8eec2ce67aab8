import { MysqlQueryCompiler } from 'kysely'
import type { Dialect } from '../dialect.js'
import { catalog } from './catalog.js'
import { codec } from './codec.js'
import { expressions } from './expressions.js'
import { ordering } from './ordering.js'
import { transactions } from './transactions.js'

/**
 * MariaDB. Times are datetime(3) in UTC, integers are bigint, other numbers double, booleans 0 and 1; lists, nested objects and everything
 * else are JSON. Most collations ignore letter case, accents or trailing spaces, so texts are compared twice: in the column's collation,
 * which an index serves, and code point by code point.
 */
export const mariadb: Dialect = Object.freeze({
  name: 'mariadb',
  queryCompiler: () => new MysqlQueryCompiler(),
  expressions,
  codec,
  catalog,
  ordering,
  transactions,
})
