import { DummyDriver, Kysely, type QueryCompiler, type RawBuilder, type SqlBool } from 'kysely'
import { allOfNode, type ConditionNode } from '../condition/index.js'
import { type Action, fieldOf, type TypeName, typeModel, type World } from '../rulebook/index.js'
import { type InnerViewpoint, type Viewpoint, visibility } from '../viewpoint/index.js'
import { compile } from './compile.js'
import type { Dialect } from './dialect.js'
import type { Layout } from './places.js'
import { postgres } from './postgres/dialect.js'

/** A condition as SQL, to be added to a query of one's own. */
export interface SqlFilter {
  /** For Kysely: `query.where(filter.expression)`. */
  readonly expression: RawBuilder<SqlBool>
  /** For a driver: the text of the condition, with a placeholder for each of the values. */
  readonly text: string
  readonly values: readonly unknown[]
  /**
   * For whatever takes a tagged template: `sql(filter.strings, ...filter.values)` is the condition. One string more than
   * there are values.
   */
  readonly strings: TemplateStringsArray
}

/** How a filter is written. */
export interface FilterOptions {
  readonly dialect: Dialect
  /** The table or alias that the query reads the records from. Default: the table's own name. */
  readonly table?: string
  /** Where the record types are kept. Default: tables and columns named as record types and fields are. */
  readonly layout?: Layout
  /** Whether the query names one row by its key: links are looked up from that row then. */
  readonly single?: boolean
  /** Where numbering begins in `text`, where placeholders are numbered: after the parameters that the query has already. Default: 1. */
  readonly first?: number
  /** Placeholders in `text`. Default: `?`, and `$1`, `$2` ... in PostgreSQL. */
  readonly placeholders?: '?' | 'numbered'
}

/**
 * The rows of a record type on which somebody may do an action, as a condition for one's own queries. What they may not read
 * is left out of every action; what they may not do at all gives a condition that is never true.
 *
 * It holds for now: rules that depend on the time, or on records linked to the person, are specialised again for each request. A
 * query that writes has to lock what it relies on; the guarded store does that.
 *
 * @throws UnknownNameError, LinksError
 * @example
 * const filter = rowFilter(await store.for(me).viewpoint(), 'read', 'plot', { dialect: postgres })
 * await pool.query(`select "plot"."id" from "plot" where ${filter.text}`, [...filter.values])
 */
export function rowFilter<W extends World, K extends TypeName<W>>(
  view: Viewpoint<W>,
  action: Exclude<Action | W['actions'][K], 'create'>,
  type: K,
  options: FilterOptions,
): SqlFilter {
  return filterOf(view as unknown as InnerViewpoint, type, (inner) => inner.rules(type, action).when, options)
}

/**
 * The rows of which somebody may see a field: among those that they may read, where read clauses have limits. To select it:
 * `case when ${filter.text} then "rentDue" end`; and no row may be found or ordered by it where this does not hold.
 *
 * @throws UnknownNameError, LinksError
 */
export function fieldFilter<W extends World, K extends TypeName<W>>(
  view: Viewpoint<W>,
  type: K,
  field: Extract<keyof W['rows'][K], string>,
  options: FilterOptions,
): SqlFilter {
  const visible = ({ model, rules }: InnerViewpoint) => {
    const { when, clauses } = rules(type, 'read')
    fieldOf(typeModel(model, type), field)
    return allOfNode([when, visibility(typeModel(model, type), clauses, field)])
  }
  return filterOf(view as unknown as InnerViewpoint, type, visible, options)
}

function filterOf(
  view: InnerViewpoint,
  type: string,
  of: (view: InnerViewpoint) => ConditionNode,
  { dialect, table, layout, single = false, first = 1, placeholders = dialect.numbered ? 'numbered' : '?' }: FilterOptions,
): SqlFilter {
  typeModel(view.model, type)
  const own = table ?? layout?.tables[type]?.name ?? type
  const { now } = view.env()
  const expression = compile(of(view), {
    dialect,
    now,
    table: own,
    type,
    finds: single ? 'row' : 'rows',
    key: typeModel(view.model, type).key,
    ...(layout === undefined ? {} : { layout }),
  })
  const { strings, values } = apart(expression, dialect)
  const text = strings.reduce((done, next, at) => `${done}${placeholders === '?' ? '?' : `$${first + at - 1}`}${next}`)
  return Object.freeze({ expression, text, values, strings })
}

// SQL holds no NUL.
const MARK = '\0'

/** The strings between the parameters, and the parameters. */
function apart(expression: RawBuilder<SqlBool>, dialect: Dialect): Pick<SqlFilter, 'strings' | 'values'> {
  const { sql: text, parameters } = expression.compile(writer(dialect))
  const cut = text.split(MARK)
  const strings = Object.freeze(Object.assign(cut, { raw: Object.freeze([...cut]) }))
  return { strings, values: Object.freeze([...parameters]) }
}

/** SQL with its parameters written out, for where there can be none. `quoted` writes a text. */
export function inlined(expression: RawBuilder<unknown>, quoted: (text: string) => string, dialect: Dialect = postgres): string {
  const { strings, values } = apart(expression as RawBuilder<SqlBool>, dialect)
  return strings.reduce((done, next, at) => `${done}${literal(values[at - 1], quoted)}${next}`)
}

function literal(value: unknown, quoted: (text: string) => string): string {
  return typeof value === 'string' ? quoted(value) : String(value)
}

const writers = new WeakMap<Dialect, Kysely<any>>()

/** Writes SQL and reaches no database; parameters are marks. */
function writer(dialect: Dialect): Kysely<any> {
  const there = writers.get(dialect)
  if (there !== undefined) return there
  const made = new Kysely<any>({
    dialect: {
      createAdapter: () => ({ supportsCreateIfNotExists: true, supportsTransactionalDdl: false, supportsReturning: false }) as never,
      createDriver: () => new DummyDriver(),
      createIntrospector: () => ({}) as never,
      createQueryCompiler: () => marking(dialect.queryCompiler()),
    },
  })
  writers.set(dialect, made)
  return made
}

function marking(compiler: QueryCompiler): QueryCompiler {
  return Object.assign(compiler, { getCurrentParameterPlaceholder: () => MARK })
}
