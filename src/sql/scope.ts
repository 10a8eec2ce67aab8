import { sql } from 'kysely'
import { type ClaimNode, type FieldNode, PachterError, type Scalar } from '../condition/index.js'
import type { Dialect } from './dialect.js'
import type { Column, Fragment, Test } from './expressions.js'
import { LayoutError } from './layout.js'
import type { Layout, TablePlace } from './places.js'

/** What conditions are about. */
export interface ScopeOptions {
  readonly dialect: Dialect
  /** The instant of the operation, in milliseconds since 1970. */
  readonly now: number
  /** The table or alias that the columns are read from. Needed where the condition follows links: other tables may have the same columns. */
  readonly table?: string
  /** The record type that the condition is about. Needed beside a layout. */
  readonly type?: string
  /** Where the record types are kept. Default: tables and columns named as record types and fields are. */
  readonly layout?: Layout
  /** Placeholders for what is not known yet: for row security, which the database evaluates for every person. */
  readonly later?: DeferredValues
}

/** How SQL asks for what is known only when it runs. */
export interface DeferredValues {
  readonly now: Fragment
  /** A claim: its value, a list in the dialect's own form, or whether it is missing. */
  claim(claim: ClaimNode): Fragment
  claims(claim: ClaimNode): Fragment
  isMissing(claim: ClaimNode): Test
  /** Whether a value is among a list of claims. */
  isAmong(item: Fragment, type: Scalar, claims: ClaimNode): Test
  /** A column of the record that the condition is about, within what `ofRow` is given. */
  rowColumn(column: string): Fragment
  /** A test that reads other tables and speaks of the record, moved to where it may read them. */
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

/** How a column of a record is written, or what lies within it. */
export interface Columns {
  readonly value: (path: readonly string[], type: Scalar | 'list') => Fragment
  readonly isNull: (path: readonly string[], type: Scalar | 'list' | 'other') => Test
}

/** Which records a condition speaks of while it becomes SQL, and how their columns are written. */
export class Scope {
  readonly dialect: Dialect
  readonly now: number
  readonly type: string | undefined
  readonly layout: Layout | undefined
  readonly later: DeferredValues | undefined
  readonly #table: string | undefined
  /** The records that the enclosing `some` look at, by their numbers; less than zero for helpers of our own. */
  readonly #looking = new Map<number, Columns>()
  /** The columns of the record that the condition is about. */
  #own: Columns | undefined
  /** The same within what `later` moves elsewhere. */
  #ofRow: Columns | undefined
  /** How deep within queries that read other tables, and whether these speak of the record. */
  #within = 0
  #inRow = false
  #aliases = 0

  constructor({ dialect, now, table, type, layout, later }: ScopeOptions) {
    this.dialect = dialect
    this.now = now
    this.#table = table
    this.type = type
    this.layout = layout
    this.later = later
    if (layout !== undefined && type === undefined) throw new LayoutError('compile', 'give the record type of the condition, as { type }')
  }

  /** Whether what is written now is a query that reads other tables. */
  get isWithin(): boolean {
    return this.#within > 0
  }

  /** A query that reads other tables and does not speak of the record. */
  elsewhere<T>(build: () => T): T {
    this.#within++
    const built = build()
    this.#within--
    return built
  }

  /** A test that reads other tables and speaks of the record. */
  apart(build: () => Test): Test {
    if (this.later === undefined || this.#within > 0) return build()
    this.#inRow = true
    const test = this.elsewhere(build)
    this.#inRow = false
    return this.later.ofRow(test)
  }

  /** What speaks of the record, asked of another row of its table. */
  asRow<T>(alias: string, build: () => T): T {
    const outer = this.#own
    this.#own = this.#columnsOf((name) => sql.id(alias, name), this.layout?.tables[this.type as string])
    const built = build()
    this.#own = outer
    return built
  }

  /** The number of a record that a query of our own looks at. */
  helper(): number {
    this.#aliases += 1
    return -this.#aliases
  }

  /** Lets the number stand for a row of a record type's table, under a new alias. */
  lookAt(number: number, type: string): string {
    const alias = this.alias('linked')
    this.#looking.set(
      number,
      this.#columnsOf((name) => sql.id(alias, name), this.layout?.tables[type]),
    )
    return alias
  }

  /** Lets the number stand for columns such as these. */
  look(number: number, columns: Columns): void {
    this.#looking.set(number, columns)
  }

  #columnsOf(ref: (column: string) => Fragment, place: TablePlace | undefined): Columns {
    // One column, one fragment: a dialect may keep what it knows of it.
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

  /** The table of a record type, under an alias. */
  from(type: string, alias: string): Fragment {
    const { schema, name = type } = this.layout?.tables[type] ?? {}
    return sql`${schema === undefined ? sql.id(name) : sql.id(schema, name)} as ${sql.id(alias)}`
  }

  /** A name that nothing has yet. */
  alias(of: string): string {
    this.#aliases += 1
    return `${of}${this.#aliases}`
  }

  /** How a claim is asked for. @throws UnspecialisedError */
  laterFor(claim: ClaimNode): DeferredValues {
    if (this.later === undefined) throw new UnspecialisedError(claim.path.join('.'))
    return this.later
  }

  // A field asked of the record as it would become is asked of the record as it is: nothing is about to change, or else
  // it has been filled in beforehand.
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
