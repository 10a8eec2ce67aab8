/**
 * Conditions as SQL, through Kysely.
 * @module
 */
export { type CompileOptions, compile } from './compile.js'
export type { Column, Dialect, Fragment, Order, Test } from './dialect.js'
export { type FilterOptions, fieldFilter, rowFilter, type SqlFilter } from './filter.js'
export { type MissingIndex, missingIndexes, wantedIndexes } from './indexes.js'
export { LayoutError, type LayoutOptions, layoutOf, REMOVED_KEYS, readLayout } from './layout.js'
export { mariadb } from './mariadb/dialect.js'
export type { ColumnPlace, FoundColumn, FoundIndex, Layout, TablePlace, WantedIndex } from './places.js'
export { postgres } from './postgres/dialect.js'
export { type PgliteDatabase, pgliteDialect } from './postgres/pglite.js'
export { heldRules } from './postgres/security/held.js'
export { type RowSecurity, RowSecurityError, type RowSecurityOptions, rowSecurity } from './postgres/security/migration.js'
export { createTables } from './schema.js'
export { type Later, UnnamedTableError, UnspecialisedError } from './scope.js'
export { sqlite } from './sqlite/dialect.js'
export { type SqlJsDatabase, sqlJsDialect } from './sqlite/sqljs.js'
