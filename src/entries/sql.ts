/**
 * Rules as SQL, through Kysely: filters for your own queries, table layouts, indexes, row-level security.
 * @module
 */
export { type CompileOptions, compile } from '../sql/compile.js'
export type { Dialect } from '../sql/dialect.js'
export { type FilterOptions, fieldFilter, rowFilter, type SqlFilter } from '../sql/filter.js'
export { type LinkDifference, linkDifferences } from '../sql/foreign-keys.js'
export { type ListOrder, type MissingIndex, missingIndexes, wantedIndexes } from '../sql/indexes.js'
export { LayoutError, layoutOf, readLayout } from '../sql/layout.js'
export type { LayoutOptions } from '../sql/layout-options.js'
export { mariadb } from '../sql/mariadb/dialect.js'
export type { Layout, WantedIndex } from '../sql/places.js'
export { postgres } from '../sql/postgres/dialect.js'
export { type PgliteDatabase, pgliteDialect } from '../sql/postgres/pglite.js'
export { type RowSecurity, RowSecurityError, type RowSecurityOptions, rowSecurity } from '../sql/postgres/security/migration.js'
export { createTables } from '../sql/schema.js'
export { UnnamedTableError, UnspecialisedError } from '../sql/scope.js'
export { sqlite } from '../sql/sqlite/dialect.js'
export { type SqlJsDatabase, sqlJsDialect } from '../sql/sqlite/sqljs.js'
