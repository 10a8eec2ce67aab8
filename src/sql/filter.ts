import { DummyDriver, Kysely, type QueryCompiler, type RawBuilder, type SqlBool } from 'kysely'
import { allOfNode, type ConditionNode } from '../condition/index.js'
import { type Action, fieldOf, keyPlaces, type TypeName, typeModel, type World } from '../rulebook/index.js'
import { type InnerViewpoint, type Viewpoint, visibility } from '../viewpoint/index.js'
import { compile } from './compile.js'
import type { Dialect } from './dialect.js'
import type { Layout } from './places.js'
import { postgres } from './postgres/dialect.js'

/** A condition as SQL, to add to your own query. */
export interface SqlFilter {
  /** For Kysely: `query.where(filter.expression)`. */
  readonly expression: RawBuilder<SqlBool>
  /** For a driver: the text of the condition, with a placeholder for each value. */
  readonly text: string
  readonly values: readonly unknown[]
  /** For tagged templates: `sql(filter.strings, ...filter.values)` is the condition. There is one more string than values. */
  readonly strings: TemplateStringsArray
}

/** The options of a filter. */
export interface FilterOptions {
  readonly dialect: Dialect
  /** The table or alias of the records in your query. Default: the name of the table. */
  readonly table?: string
  /** The tables of the record types. Default: tables and columns with the names of record types and fields. */
  readonly layout?: Layout
  /** Whether the query names one row by its key. Links are then followed from that row. */
  readonly single?: boolean
  /** The first number of numbered placeholders in `text`, if your query has parameters of its own. Default: 1. */
  readonly first?: number
  /** Placeholders in `text`. Default: `?`, and `$1`, `$2` ... in PostgreSQL. */
  readonly placeholders?: '?' | 'numbered'
}

/**
 * The rows of a record type on which a person may do an action, as a condition for your own queries. Every action leaves out what they may
 * not read. If they may not do the action at all, the condition is never true.
 * The result is valid only now: rules that depend on the time, or on records linked to the person, must be specialised again for each
 * request. A query that writes must lock what it depends on; the guarded store does that.
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
 * The rows whose field a person may see, among those that they may read, if read clauses have limits. Select it as `case when
 * ${filter.text} then "rentDue" end`, and do not filter or sort by the field where this is false.
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

/** A condition of a viewpoint as SQL. */
export function filterOf(
  view: InnerViewpoint,
  type: string,
  of: (view: InnerViewpoint) => ConditionNode,
  { dialect, table, layout, single = false, first = 1, placeholders = dialect.numbered ? 'numbered' : '?' }: FilterOptions,
): SqlFilter {
  const key = keyPlaces(typeModel(view.model, type))
  const own = table ?? layout?.tables[type]?.name ?? type
  const { now } = view.env()
  const expression = compile(of(view), {
    dialect,
    now,
    table: own,
    type,
    finds: single ? 'row' : 'rows',
    key,
    ...(layout === undefined ? {} : { layout }),
  })
  const { strings, values } = apart(expression, dialect)
  const text = strings.reduce((done, next, at) => `${done}${placeholders === '?' ? '?' : `$${first + at - 1}`}${next}`)
  return Object.freeze({ expression, text, values, strings })
}

// SQL text cannot contain NUL.
const MARK = '\0'

/** The strings between the parameters, and the parameters. */
function apart(expression: RawBuilder<SqlBool>, dialect: Dialect): Pick<SqlFilter, 'strings' | 'values'> {
  const { sql: text, parameters } = expression.compile(writer(dialect))
  const cut = text.split(MARK)
  const strings = Object.freeze(Object.assign(cut, { raw: Object.freeze([...cut]) }))
  return { strings, values: Object.freeze([...parameters]) }
}

/** SQL with literals instead of parameters, for statements that cannot have parameters. `quoted` writes a text literal. */
export function inlined(expression: RawBuilder<unknown>, quoted: (text: string) => string, dialect: Dialect = postgres): string {
  const { strings, values } = apart(expression as RawBuilder<SqlBool>, dialect)
  return strings.reduce((done, next, at) => `${done}${literal(values[at - 1], quoted)}${next}`)
}

function literal(value: unknown, quoted: (text: string) => string): string {
  return typeof value === 'string' ? quoted(value) : String(value)
}

const writers = new WeakMap<Dialect, Kysely<any>>()

/** Generates SQL without a database connection. Parameters become markers. */
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
