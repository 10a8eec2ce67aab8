// For pachter-cli. Not part of the public API. It does not need Kysely, so projects without a database do not need it either.
export type { LayoutOptions } from '../../sql/layout-options.js'
export { snakeCase } from '../../sql/snake-case.js'
