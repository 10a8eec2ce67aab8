/** How tables and columns are named, if not like record types and fields. In a file of its own, so that it can be named without Kysely. */
export interface LayoutOptions {
  /** Names of tables and columns from those of record types and fields: `snake_case` makes `plot_id` of `plotId`. */
  readonly names?: 'snake_case' | ((name: string) => string)
  /** Comes before the name of each table. */
  readonly prefix?: string
  /** The schema of all tables; else the connection's own. */
  readonly schema?: string
  /** What is named otherwise, by record type. A name is taken as it is. */
  readonly tables?: {
    readonly [type: string]: {
      readonly name?: string
      readonly schema?: string
      readonly columns?: { readonly [field: string]: string | { readonly name?: string; readonly as?: string } }
    }
  }
}
