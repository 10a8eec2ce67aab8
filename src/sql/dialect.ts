import type { Kysely, QueryCompiler } from 'kysely'
import type { Field } from '../rulebook/index.js'
import type { Expressions, Fragment } from './expressions.js'
import type { Ordering } from './ordering.js'
import type { FoundColumn, TablePlace, WantedIndex } from './places.js'

/** Converts values of records to values of columns, and back. */
export interface Codec {
  /** How to select a value if the driver would not return it exactly; `decode` reads the result. */
  selected?(value: Fragment, field: Field): Fragment
  /** Converts a value of a record to the column's form. */
  encode(field: Field, value: unknown, as?: string): unknown
  /** Converts a value of a column to the record's form; undefined if the column is null. @throws TypeError */
  decode(field: Field, value: unknown): unknown
}

/** How the database describes its tables, and how to create them. */
export interface Catalog {
  /** The column type of a field in CREATE TABLE; `as` is the storage type of the layout, if any. Columns that hold keys get an index. */
  columnType(field: Field, holdsKeys?: boolean, as?: string): string
  /**
   * Lists the columns of the database, one per row, as FoundColumn. Tables that the connection finds without a schema are also listed with
   * an empty schema.
   */
  columns(): Fragment
  /** Lists the indexes of the database, one per row, as FoundIndex. */
  indexes(): Fragment
  /**
   * Lists the columns of foreign keys, one per row, as FoundForeignKey: each under its schema and, if the connection finds its table without
   * one, under an empty schema; likewise the column that it refers to.
   */
  foreignKeys(): Fragment
  /** The statement that creates an index on fields, of which `of` is the first; undefined if the database has no such index. */
  createIndex(table: TablePlace, fields: readonly string[], of: Field, use: WantedIndex['for']): string | undefined
  /** The expression that an index has to be on to compare a column without regard to case. Absent if it is the column itself. */
  ignoringCase?(column: string): string
  /** The storage type of a column for a field: undefined for the dialect's default type, null if the column cannot hold the field. */
  heldAs(column: FoundColumn, field: Field): string | null | undefined
}

/** How the database isolates concurrent writers, and how it reports conflicts. */
export interface Transactions {
  /** Whether a driver error means that a constraint of the database refused the row. */
  isConstraintFailure(error: unknown): boolean
  /** Whether INSERT and UPDATE can return the stored rows (RETURNING), including changes by triggers. */
  readonly returns?: boolean
  /** Locks the rows of a query until the transaction ends. Absent if transactions run one after the other. */
  lock?(how: 'share' | 'update'): Fragment
  /**
   * Selected with the first locked rows: sets the lock timeout of the transaction in milliseconds. Absent if the database detects deadlocks
   * at once. Where it does not, short timeouts and retries resolve them sooner.
   */
  waitForLocks?(milliseconds: number): Fragment
  /** Whether the transaction that this is in is serializable: false if the database does not tell. `table` is one that can be read. */
  isSerializable?(db: Kysely<any>, table: string): Promise<boolean>
  /** Runs work on one connection that refuses to write meanwhile. */
  reading<T>(db: Kysely<any>, work: (db: Kysely<any>) => Promise<T>): Promise<T>
  /** Whether the connection is in a transaction at all. Absent if a savepoint outside of one fails. */
  isOpen?(db: Kysely<any>): Promise<boolean>
  /** Whether a driver error means a conflict between transactions, so that this one may run again. */
  isConflict?(error: unknown): boolean
}

/** Everything that is specific to one database. */
export interface Dialect {
  readonly name: string
  /** Generates the SQL text of this database. */
  queryCompiler(): QueryCompiler
  /** Whether placeholders are `$1`, `$2` and so on; otherwise `?`. */
  readonly numbered?: true
  readonly expressions: Expressions
  readonly codec: Codec
  readonly catalog: Catalog
  readonly ordering: Ordering
  readonly transactions: Transactions
}
