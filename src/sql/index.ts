/**
 * Conditions as SQL, through Kysely.
 * @module
 */
export { compile, keyQueries } from './compile.js'
export type { Dialect, Transactions } from './dialect.js'
export type { Column, Fragment } from './expressions.js'

export { Known, type Look, Slot } from './known.js'
export { layoutOf, readLayout } from './layout.js'
export type { LayoutOptions } from './layout-options.js'
export type { Ordering } from './ordering.js'

export type { ColumnPlace, Layout, TablePlace } from './places.js'
export { postgres } from './postgres/dialect.js'
export { heldRules } from './postgres/security/enforceable-rules.js'
export { comparableOf } from './predicates.js'
export type { CallValues } from './scope.js'
