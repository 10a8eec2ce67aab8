/**
 * Conditions as SQL, through Kysely.
 * @module
 */
export { type CompileOptions, compile, UnspecialisedError } from './compile.js'
export type { Dialect, Fragment, Test } from './dialect.js'
export { createTables } from './schema.js'
export { sqlite } from './sqlite/dialect.js'
export { type SqlJsDatabase, sqlJsDialect } from './sqlite/sqljs.js'
