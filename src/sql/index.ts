/**
 * Conditions as SQL, through Kysely.
 * @module
 */
export { type CompileOptions, compile } from './compile.js'
export type { Column, Dialect, Fragment, Order, Test } from './dialect.js'
export { type FilterOptions, fieldFilter, rowFilter, type SqlFilter } from './filter.js'
export { type FoundIndex, type MissingIndex, missingIndexes, type WantedIndex, wantedIndexes } from './indexes.js'
export {
  type ColumnPlace,
  type FoundColumn,
  type Layout,
  LayoutError,
  type LayoutOptions,
  layoutOf,
  REMOVED_KEYS,
  readLayout,
  type TablePlace,
} from './layout.js'
export { mariadb } from './mariadb/dialect.js'
export { postgres } from './postgres/dialect.js'
export { type PgliteDatabase, pgliteDialect } from './postgres/pglite.js'
export { heldRules } from './postgres/security/held.js'
export { type RowSecurity, RowSecurityError, type RowSecurityOptions, rowSecurity } from './postgres/security/migration.js'
export { createTables } from './schema.js'
export { type Later, UnnamedTableError, UnspecialisedError } from './scope.js'
export { sqlite } from './sqlite/dialect.js'
export { type SqlJsDatabase, sqlJsDialect } from './sqlite/sqljs.js'
