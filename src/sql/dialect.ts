import type { QueryCompiler } from 'kysely'
import type { Field } from '../rulebook/index.js'
import type { Expressions, Fragment } from './expressions.js'
import type { FoundColumn, TablePlace, WantedIndex } from './places.js'

/** How values of records become those of columns, and back. */
export interface Codec {
  /** How a value is selected, where the driver would not give what is held; `decode` reads what it gives. */
  selected?(value: Fragment, field: Field): Fragment
  /** A value of a record as the column holds it. */
  encode(field: Field, value: unknown, as?: string): unknown
  /** The value of a column as the record holds it; undefined where the column says nothing. @throws TypeError */
  decode(field: Field, value: unknown): unknown
}

/** What a database tells of its tables, and how they are made. */
export interface Catalog {
  /** The type of the column for a field, in CREATE TABLE: `as` what the layout says, if it does. Columns that hold keys are indexed. */
  columnType(field: Field, holdsKeys?: boolean, as?: string): string
  /**
   * The columns of the database, one in each row, as FoundColumn has them. Those of tables that the connection finds without
   * a schema come with an empty one as well.
   */
  columns(): Fragment
  /** The indexes of the database, one in each row, as FoundIndex has them. */
  indexes(): Fragment
  /** What makes an index for a field; undefined where there is no such index. */
  createIndex(table: TablePlace, field: string, of: Field, use: WantedIndex['for']): string | undefined
  /** As what a column holds a field; undefined in the dialect's own way, null where it cannot. */
  heldAs(column: FoundColumn, field: Field): string | null | undefined
}

/** How a database keeps writers apart, and what it says where it could not. */
export interface Transactions {
  /** Whether the driver's error says that a constraint of the database forbids the row. */
  isConstraintFailure(error: unknown): boolean
  /** Whether INSERT and UPDATE give back, by RETURNING, the rows as the table holds them, changes by triggers included. */
  readonly returns?: boolean
  /** What keeps the rows of a query from being changed until the transaction ends. Left out where transactions come one after the other. */
  lock?(how: 'share' | 'update'): Fragment
  /**
   * Selected with the first rows that are locked, has the rest of the transaction wait so many milliseconds for a lock, and no
   * longer. Left out where a deadlock is noticed at once: where it is not, short waits and another try end it sooner.
   */
  waitForLocks?(milliseconds: number): Fragment
  /** Whether the transaction keeps others apart as if they came one after the other. Left out where the database does not tell. */
  readonly isSerializable?: Fragment
  /** Whether the driver's error says that transactions stood in each other's way: this one may be run again. */
  isConflict?(error: unknown): boolean
}

/** What one database does in its own way. */
export interface Dialect {
  readonly name: string
  /** Writes the SQL of this database. */
  queryCompiler(): QueryCompiler
  /** Whether parameters are written `$1`, `$2` and so on; else `?`. */
  readonly numbered?: true
  readonly expressions: Expressions
  readonly codec: Codec
  readonly catalog: Catalog
  readonly transactions: Transactions
}
