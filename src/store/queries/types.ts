import type { QueryCreator, SelectQueryBuilder, SelectType } from 'kysely'
import type { TypeName, World } from '../../rulebook/index.js'

/** The options of own queries. */
export interface OwnQueriesOptions {
  /** Functions of your database that read nothing but their arguments, besides those that are known. */
  readonly functions?: readonly string[]
  /** Receives the error of the database when a query fails. For logs of trusted code: it may contain stored values. */
  readonly failed?: (error: unknown) => void
}

/** Names of tables and columns, by record type and field, if they are neither the same nor the same in snake case. */
export interface OtherNames {
  readonly [type: string]: { readonly table?: string; readonly columns?: { readonly [field: string]: string } }
}

type Upper =
  | 'A'
  | 'B'
  | 'C'
  | 'D'
  | 'E'
  | 'F'
  | 'G'
  | 'H'
  | 'I'
  | 'J'
  | 'K'
  | 'L'
  | 'M'
  | 'N'
  | 'O'
  | 'P'
  | 'Q'
  | 'R'
  | 'S'
  | 'T'
  | 'U'
  | 'V'
  | 'W'
  | 'X'
  | 'Y'
  | 'Z'

/** `plotId` as `plot_id`. */
type Snake<S extends string> = S extends `${infer First}${infer Rest}`
  ? `${First extends Upper ? `_${Lowercase<First>}` : First}${Snake<Rest>}`
  : S

type TableOf<K extends string, Names> = Names extends { readonly [N in K]: { readonly table: infer T extends string } } ? T : K | Snake<K>
type ColumnOf<K extends string, F extends string, Names> = Names extends {
  readonly [N in K]: { readonly columns: { readonly [C in F]: infer T extends string } }
}
  ? T
  : F | Snake<F>

type Bare<T> = T extends `${string}.${infer Name}` ? Name : T

/** The record type of a table. */
type TypeOf<T, W extends World, Names> = { [K in TypeName<W>]: Bare<T> extends TableOf<K, Names> ? K : never }[TypeName<W>]
/** The field of a column. */
type FieldOf<C, K extends TypeName<W>, W extends World, Names> = {
  [F in keyof W['rows'][K] & string]: C extends ColumnOf<K, F, Names> ? F : never
}[keyof W['rows'][K] & string]

/** A table as a person sees it: where some people see only a part of a record, every column but the key may be null. */
type SeenColumns<R, K extends TypeName<W>, W extends World, Names> = {
  [C in keyof R as [FieldOf<C, K, W, Names>] extends [never] ? never : C]:
    | SelectType<R[C]>
    | (K extends W['limited'] ? (FieldOf<C, K, W, Names> extends W['keys'][K] ? never : null) : never)
}

/** The tables of a database that rules know of, as a person sees them. */
export type SeenDatabase<DB, W extends World, Names = {}> = {
  [T in keyof DB as [TypeOf<T, W, Names>] extends [never] ? never : T]: SeenColumns<DB[T], TypeOf<T, W, Names>, W, Names>
}

type PartName<N extends string> = N extends `${infer Name}(${string})` ? Name : N
type PartColumns<N extends string> = N extends `${string}(${infer Columns})` ? { [C in Listed<Columns>]: any } : Record<string, any>
type Listed<S extends string> = S extends `${infer First}, ${infer Rest}` ? First | Listed<Rest> : S

/**
 * Queries over what one person sees: Kysely's builders, without writing. Every table has the rows that the person may read, and null where
 * they may not see a field.
 */
export interface OwnQueries<DB> extends Pick<QueryCreator<DB>, 'selectFrom' | 'selectNoFrom'> {
  /** A named part, which `selectFrom` can read: WITH in SQL. */
  with<N extends string, O>(
    name: N,
    part: (queries: OwnQueries<DB>) => SelectQueryBuilder<any, any, O>,
  ): OwnQueries<DB & { [K in PartName<N>]: O }>
  /** The same, and the part can read itself. Name its columns, as in `'tree(id, parentId)'`. */
  withRecursive<N extends string>(
    name: N,
    part: (queries: OwnQueries<DB & { [K in PartName<N>]: PartColumns<N> }>) => SelectQueryBuilder<any, any, any>,
  ): OwnQueries<DB & { [K in PartName<N>]: PartColumns<N> }>
}

declare module '../store-types.js' {
  interface GuardedStore<W extends World = World> {
    /**
     * Queries of your own over what this person sees: joins, sums, windows. `DB` is your database type, as `Kysely<DB>` has it. The rules are
     * read again for each query; the values are those of the driver. For stores over Kysely.
     * @throws OwnQueryError for what cannot be guarded, QueryFailedError if the database could not answer
     * @example
     * const mine = await store.for(me).queries<Database>()
     * const rents = await mine
     *   .selectFrom('plot')
     *   .innerJoin('site', 'site.id', 'plot.siteId')
     *   .select(({ fn }) => ['site.name', fn.sum('plot.rentDue').as('rent')])
     *   .groupBy('site.name')
     *   .execute()
     */
    queries<DB, Names extends OtherNames = {}>(options?: OwnQueriesOptions): Promise<OwnQueries<SeenDatabase<DB, W, Names>>>
  }
}
