import { sql } from 'kysely'
import { type ClaimNode, type Comparable, type FieldNode, type LiteralNode, PachterError, type Scalar } from '../condition/index.js'
import type { Dialect } from './dialect.js'
import type { Column, Fragment, Test } from './expressions.js'
import { Known } from './known.js'
import { LayoutError } from './layout.js'
import type { Layout, TablePlace } from './places.js'
import { comparableOf } from './predicates.js'

/** The context of a condition that becomes SQL. */
export interface ScopeOptions {
  readonly dialect: Dialect
  /** The time of the operation, in milliseconds since 1970. */
  readonly now: number
  /**
   * The table or alias of the columns. Required if the condition follows links, because other tables may have columns with the same names.
   */
  readonly table?: string
  /** The record type of the condition. Required with a layout. */
  readonly type?: string
  /** The tables of the record types. Default: tables and columns with the names of record types and fields. */
  readonly layout?: Layout
  /** The values of the call, if the statement is kept to be used again with others. */
  readonly values?: CallValues
  /** Expressions for what is not known yet: for row security, which the database evaluates for every person. */
  readonly later?: DeferredValues
}

/** The values of a call, as they become SQL. */
export interface CallValues {
  known(literal: LiteralNode): Known
  now(): Known
}

/** How SQL reads values that are known only at run time. */
export interface DeferredValues {
  readonly now: Fragment
  /** The midnight in UTC of the day that it is in a time zone, some days later. */
  day(zone: string, days: number): Fragment
  /** A claim: its value, a list in the dialect's form, or whether it is missing. */
  claim(claim: ClaimNode): Fragment
  claims(claim: ClaimNode): Fragment
  isMissing(claim: ClaimNode): Test
  /** Whether a value is in a list of claims. */
  isAmong(item: Fragment, type: Scalar, claims: ClaimNode): Test
  /** A column of the record of the condition, inside what `ofRow` receives. */
  rowColumn(column: string): Fragment
  /** Moves a test that reads other tables and the record to a place where it may read them. */
  ofRow(test: Test): Test
}

/** A condition that follows links needs the table of its own columns. Pass `{ table }`. */
export class UnnamedTableError extends PachterError {
  constructor() {
    super('UNNAMED_TABLE', 'the condition follows links to other tables: give the table or alias of its own columns, as { table }')
  }
}

/** The condition still contains claims. Take it from a viewpoint: `book.for(person).condition(...)`. */
export class UnspecialisedError extends PachterError {
  constructor(claim: string) {
    super('UNSPECIALISED', `the condition still contains the claim "${claim}": take it from a viewpoint, book.for(person).condition(...)`)
  }
}

/** Writes a column of a record, or a value inside it. */
export interface Columns {
  readonly value: (path: readonly string[], type: Scalar | 'list') => Fragment
  readonly isNull: (path: readonly string[], type: Scalar | 'list' | 'other') => Test
}

/** The records that a condition refers to while it becomes SQL, and how to write their columns. */
export class Scope {
  readonly dialect: Dialect
  readonly now: number
  readonly type: string | undefined
  readonly layout: Layout | undefined
  readonly later: DeferredValues | undefined
  readonly #values: CallValues | undefined
  readonly #table: string | undefined
  /** The records of the enclosing `some` nodes, by number. Negative numbers are internal helpers. */
  readonly #looking = new Map<number, Columns>()
  /** The columns of the record of the condition. */
  #own: Columns | undefined
  /** The same columns inside a test that `later` moves. */
  #ofRow: Columns | undefined
  /** The depth of queries that read other tables, and whether they refer to the record. */
  #within = 0
  #inRow = false
  #aliases = 0

  constructor({ dialect, now, table, type, layout, values, later }: ScopeOptions) {
    this.dialect = dialect
    this.now = now
    this.#table = table
    this.type = type
    this.layout = layout
    this.later = later
    this.#values = values
    if (layout !== undefined && type === undefined) throw new LayoutError('compile', 'give the record type of the condition, as { type }')
  }

  /** The value of a literal. */
  known(literal: LiteralNode): Known {
    return this.#values?.known(literal) ?? Known.constant(comparableOf(literal.value as Comparable, literal.type))
  }

  /** The time of the operation. */
  knownNow(): Known {
    return this.#values?.now() ?? Known.constant(this.now)
  }

  /** Whether the current position is inside a query that reads other tables. */
  get isWithin(): boolean {
    return this.#within > 0
  }

  /** A query that reads other tables and does not refer to the record. */
  elsewhere<T>(build: () => T): T {
    this.#within++
    const built = build()
    this.#within--
    return built
  }

  /** A test that reads other tables and refers to the record. */
  apart(build: () => Test): Test {
    if (this.later === undefined || this.#within > 0) return build()
    this.#inRow = true
    const test = this.elsewhere(build)
    this.#inRow = false
    return this.later.ofRow(test)
  }

  /** Asks about another row of the record's table. */
  asRow<T>(alias: string, build: () => T): T {
    const outer = this.#own
    this.#own = this.#columnsOf((name) => sql.id(alias, name), this.layout?.tables[this.type as string])
    const built = build()
    this.#own = outer
    return built
  }

  /** The number of a record in an internal query. */
  helper(): number {
    this.#aliases += 1
    return -this.#aliases
  }

  /** Binds the number to a row of a record type's table, with a new alias. */
  lookAt(number: number, type: string): string {
    const alias = this.alias('linked')
    this.#looking.set(
      number,
      this.#columnsOf((name) => sql.id(alias, name), this.layout?.tables[type]),
    )
    return alias
  }

  /** Binds the number to such columns. */
  look(number: number, columns: Columns): void {
    this.#looking.set(number, columns)
  }

  #columnsOf(ref: (column: string) => Fragment, place: TablePlace | undefined): Columns {
    // Cached, so that one column is always the same fragment: a dialect may attach facts to it.
    const seen = new Map<string, Column>()
    const column = (field: string) => {
      const there = seen.get(field)
      if (there !== undefined) return there
      const { name, as } = place?.columns[field] ?? { name: field }
      const made: Column = { ref: ref(name), ...(as === undefined ? {} : { as }) }
      seen.set(field, made)
      return made
    }
    return {
      value: ([field, ...inner], type) => this.dialect.expressions.column(column(field as string), inner, type),
      isNull: ([field, ...inner], type) => this.dialect.expressions.isNull(column(field as string), inner, type),
    }
  }

  /** The table of a record type with an alias. */
  from(type: string, alias: string): Fragment {
    const { schema, name = type } = this.layout?.tables[type] ?? {}
    return sql`${schema === undefined ? sql.id(name) : sql.id(schema, name)} as ${sql.id(alias)}`
  }

  /** A new unique name. */
  alias(of: string): string {
    this.#aliases += 1
    return `${of}${this.#aliases}`
  }

  /** How a claim is read at run time. @throws UnspecialisedError */
  laterFor(claim: ClaimNode): DeferredValues {
    if (this.later === undefined) throw new UnspecialisedError(claim.path.join('.'))
    return this.later
  }

  // A field of the changed record is read from the record as it is: nothing is about to change, or it has been filled in already.
  columns(of: FieldNode['of']): Columns {
    if (typeof of === 'number') return this.#looking.get(of) as Columns
    if (this.#table === undefined && this.#looking.size > 0) throw new UnnamedTableError()
    const later = this.later
    const place = this.type === undefined ? undefined : this.layout?.tables[this.type]
    if (this.#inRow && later !== undefined) {
      this.#ofRow ??= this.#columnsOf((name) => later.rowColumn(name), place)
      return this.#ofRow
    }
    this.#own ??= this.#columnsOf((name) => (this.#table === undefined ? sql.id(name) : sql.id(this.#table, name)), place)
    return this.#own
  }
}
