import { type Column, getTableColumns, getTableName, type SQL, Subquery, sql, type Table } from 'drizzle-orm'
import type { ChangeColumnTableName, Dialect as Kind } from 'drizzle-orm/column-builder'
import type { ApplyNullabilityToColumn } from 'drizzle-orm/query-builders/select.types'
import { SelectionProxyHandler } from 'drizzle-orm/selection-proxy'
import { type ConditionNode, simplify, TRUE } from '../condition/index.js'
import { type TypeName, typeModel, type World } from '../rulebook/index.js'
import { type InnerViewpoint, type Viewpoint, visibility } from '../viewpoint/index.js'
import type { Dialect } from './dialect.js'
import { filterOf } from './filter.js'
import { LayoutError } from './layout.js'
import { mariadb } from './mariadb/dialect.js'
import type { Layout } from './places.js'
import { postgres } from './postgres/dialect.js'
import { sqlite } from './sqlite/dialect.js'

/** The options of `seen`. */
export interface SeenOptions {
  /** The tables of the record types, from `readLayout`. Default: tables and columns with the names of record types and fields. */
  readonly layout?: Layout
  /**
   * Whether the database has to find the visible rows before it does anything else. Default: true, because a condition of your query that
   * fails on a hidden row would tell what it holds. Pass false where no part of the query comes from a user, and can fail: it may be faster.
   */
  readonly apart?: boolean
}

type Columns<T extends Table> = T['_']['columns']
type KindOf<C> = C extends { readonly _: { readonly dialect: infer D extends Kind } } ? D : never
type Seen<C, A extends string, Nullability extends 'nullable' | 'not-null'> = C extends Column
  ? ChangeColumnTableName<ApplyNullabilityToColumn<C, Nullability>, A, KindOf<C>>
  : never

/** The columns of a table as a person sees them: null is possible in all but the key where rules limit fields. */
export type SeenSelection<W extends World, K extends TypeName<W>, T extends Table, A extends string> = {
  [C in keyof Columns<T> & keyof W['rows'][K] & string]: Seen<
    Columns<T>[C],
    A,
    K extends W['limited'] ? (C extends W['keys'][K] ? 'not-null' : 'nullable') : 'not-null'
  >
}

/** What a person sees of a table, once it has a name. */
export interface SeenTable<W extends World, K extends TypeName<W>, T extends Table> {
  /** As a subquery of Drizzle with this name. */
  as<A extends string>(alias: A): Subquery<A, SeenSelection<W, K, T, A>> & SeenSelection<W, K, T, A>
}

const DIALECTS: readonly (readonly [prefix: string, dialect: Dialect])[] = [
  ['Pg', postgres],
  ['MySql', mariadb],
  ['SQLite', sqlite],
]

/**
 * What a person sees of a table of Drizzle, as a subquery: the rows that they may read, and null for the fields that they may not. Its columns
 * are those of the table whose properties have the names of fields. It helps, and it locks nothing: a query that names the table itself reads
 * everything. The result is valid only now, as that of `rowFilter` is.
 * @throws UnknownNameError, LinksError; LayoutError for a table of another database than PostgreSQL, MariaDB, MySQL and SQLite
 * @example
 * const p = seen(await store.for(me).viewpoint(), 'plot', plots).as('p')
 * const rents = await db.select({ site: p.siteId, rent: sum(p.rentDue) }).from(p).groupBy(p.siteId)
 */
export function seen<W extends World, K extends TypeName<W>, T extends Table>(
  view: Viewpoint<W>,
  type: K,
  table: T,
  { layout, apart = true }: SeenOptions = {},
): SeenTable<W, K, T> {
  const inner = view as unknown as InnerViewpoint
  const model = typeModel(inner.model, type)
  const fields = Object.fromEntries(Object.entries(getTableColumns(table)).filter(([name]) => Object.hasOwn(model.fields, name)))
  const unnamed = model.keys.find((name) => fields[name] === undefined)
  if (unnamed !== undefined)
    throw new LayoutError(type, `the table "${getTableName(table)}" of Drizzle has no property "${unnamed}", which is its key`)
  const dialect = dialectOf(type, fields[model.keys[0] as string] as Column)
  const { when, clauses } = inner.rules(type, 'read')
  const options = { dialect, table: getTableName(table), ...(layout === undefined ? {} : { layout }) }
  const tested = (node: ConditionNode): SQL => {
    const { strings, values } = filterOf(inner, type, () => node, options)
    return sql(strings, ...values)
  }
  const selected = Object.entries(fields).map(([name, column]) => {
    const seen = simplify(visibility(model, clauses, name))
    return seen === TRUE ? sql`${column}` : sql`case when ${tested(seen)} then ${column} end as ${sql.identifier(column.name)}`
  })
  const isFenced = apart && simplify(when) !== TRUE
  const end = isFenced ? sql.raw(` ${dialect.expressions.apart}`) : sql``
  const query = sql`select ${sql.join(selected, sql`, `)} from ${table} where ${tested(when)}${end}`
  const as = (alias: string) =>
    new Proxy(
      new Subquery(query, fields, alias),
      new SelectionProxyHandler<Subquery>({ alias, sqlAliasedBehavior: 'alias', sqlBehavior: 'error' } as never),
    )
  return Object.freeze({ as }) as unknown as SeenTable<W, K, T>
}

function dialectOf(type: string, { columnType }: Column): Dialect {
  const [, found] = DIALECTS.find(([prefix]) => columnType.startsWith(prefix)) ?? []
  if (found === undefined)
    throw new LayoutError(type, `its table is not of PostgreSQL, MariaDB, MySQL or SQLite: its key is a ${columnType}`)
  return found
}
