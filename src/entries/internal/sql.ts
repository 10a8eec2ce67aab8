// For pachter-cli and this project's own tests: no part of what the package promises, and changed without notice.
export type { Catalog } from '../../sql/dialect.js'
export type { Dialect, TablePlace } from '../../sql/index.js'
