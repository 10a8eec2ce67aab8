// For pachter-cli and this project's own tests. Not part of the public API; it can change without notice.
export type { Catalog } from '../../sql/dialect.js'
export type { Dialect, TablePlace } from '../../sql/index.js'
