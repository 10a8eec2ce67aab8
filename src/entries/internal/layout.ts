// For pachter-cli: no part of what the package promises. It needs no Kysely, and so do projects without a database.
export type { LayoutOptions } from '../../sql/layout-options.js'
