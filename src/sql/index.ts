/**
 * Conditions as SQL, through Kysely.
 * @module
 */
export { type CompileOptions, compile, UnnamedTableError, UnspecialisedError } from './compile.js'
export type { Dialect, Fragment, Test } from './dialect.js'
export { mariadb } from './mariadb/dialect.js'
export { postgres } from './postgres/dialect.js'
export { type PgliteDatabase, pgliteDialect } from './postgres/pglite.js'
export { createTables, REMOVED_KEYS } from './schema.js'
export { sqlite } from './sqlite/dialect.js'
export { type SqlJsDatabase, sqlJsDialect } from './sqlite/sqljs.js'
