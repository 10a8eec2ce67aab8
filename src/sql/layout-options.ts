/**
 * The options for names of tables and columns, if they differ from those of record types and fields. In a file of its own, so that its
 * types do not need Kysely.
 */
export interface LayoutOptions {
  /** How names of tables and columns are derived: `snake_case` turns `plotId` into `plot_id`. */
  readonly names?: 'snake_case' | ((name: string) => string)
  /** The prefix of every table name. */
  readonly prefix?: string
  /** The schema of all tables. Default: the connection's own. */
  readonly schema?: string
  /** Other names, by record type. They are used exactly as given. */
  readonly tables?: {
    readonly [type: string]: {
      readonly name?: string
      readonly schema?: string
      readonly columns?: { readonly [field: string]: string | { readonly name?: string; readonly as?: string } }
    }
  }
}
