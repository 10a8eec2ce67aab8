import type { Expression, SqlBool } from 'kysely'
import type { Comparable, Scalar } from '../condition/index.js'
import type { Field } from '../rulebook/index.js'

/** A piece of SQL with its parameters. */
export type Fragment = Expression<unknown>
/** A piece of SQL that is true, false or null; null counts as false. */
export type Test = Expression<SqlBool>

/** What one database does in its own way. Everything else about conditions is the same on all. */
export interface Dialect {
  readonly name: string
  /**
   * A column, or what lies at a path within a column of JSON: as a value of the type, or a list; null where nothing of that
   * type is there.
   */
  column(column: string, path: readonly string[], type: Scalar | 'list'): Fragment
  /** True where the column holds nothing, or nothing lies at the path within it: whatever is there counts, of any type. */
  isNull(column: string, path: readonly string[], type: Scalar | 'list' | 'other'): Test
  /** A parameter. */
  value(value: Comparable, type: Scalar): Fragment
  /** A list as one parameter, as columns hold lists. */
  listValue(values: readonly Comparable[], type: Scalar): Fragment
  /** A value later than any instant. */
  forever(): Fragment
  /** True where the id is blank. */
  isBlank(id: Fragment): Test
  /** True where the text holds a NUL, and so equals nothing. Left out where no text can hold one. */
  hasNul?(text: Fragment): Test
  /** True where the time is an instant that every engine can hold. Left out where every time in a column is one. */
  isInstant?(time: Fragment): Test
  /** Equal code point by code point. */
  sameText(left: Fragment, right: Fragment): Test
  sameIgnoringCase(left: Fragment, right: Fragment): Test
  startsWith(text: Fragment, start: Fragment): Test
  /** The same for a start that is known beforehand, so that an index serves. */
  startsWithKnown(text: Fragment, start: string): Test
  endsWith(text: Fragment, end: Fragment): Test
  /** True where the expression equals one of the values, of which there is at least one. */
  isAmong(item: Fragment, values: readonly Comparable[], type: Scalar): Test
  /** The same as some element being the value, by an index; left out, or undefined, where there is no such way. */
  hasKnown?(list: Fragment, value: Comparable, type: Scalar): Test | undefined
  /** True where the list holds an element for which the test is true. Elements of another type than `type` are passed over. The alias is unique in the query. */
  someElement(alias: string, list: Fragment, type: Scalar, test: (element: Fragment) => Test): Test
  /** How many elements the list has, of whatever type. */
  listLength(list: Fragment): Fragment
  /** How many elements equal the value; texts code point by code point. The alias is unique in the query. */
  countOf(alias: string, list: Fragment, value: Fragment, type: Scalar): Fragment
  /** True where the list holds an object for which the test is true. The alias is unique in the query. */
  someObject(alias: string, list: Fragment, test: (object: Fragment) => Test): Test
  /** What lies at a path within an object in JSON, and whether nothing does: as `column` and `isNull` have it. */
  inside(object: Fragment, path: readonly string[], type: Scalar | 'list'): Fragment
  isNullInside(object: Fragment, path: readonly string[]): Test
  /** A value as `isInQuery` wants a query to select it. Left out where that is as it is. */
  key?(value: Fragment, type: Scalar): Fragment
  /** Whether a recursive query may speak of the row of a query around it. Left out where it may. */
  readonly closedRecursion?: true
  /** How a column is selected, where the driver would not give what it holds; `decode` reads what it gives. */
  selected?(column: Fragment, field: Field): Fragment
  /** True where the values, together, are a row of the query; texts are equal code point by code point. */
  isInQuery(values: readonly { readonly value: Fragment; readonly type: Scalar }[], query: Fragment): Test
  /** The column to order by: text code point by code point. */
  ordered(column: Fragment, field: Field): Fragment
  /** A value of a record as the column holds it. */
  encode(field: Field, value: unknown): unknown
  /** The value of a column as the record holds it; undefined where the column says nothing. @throws TypeError */
  decode(field: Field, value: unknown): unknown
  /** Whether the driver's error says that a constraint of the database forbids the row. */
  isConstraintFailure(error: unknown): boolean
  /** What keeps the rows of a query from being changed until the transaction ends. Left out where transactions come one after the other. */
  lock?(how: 'share' | 'update'): Fragment
  /**
   * Has the rest of the transaction wait so many milliseconds for a lock, and no longer. Left out where a deadlock is noticed
   * at once: where it is not, short waits and another try end it sooner.
   */
  waitForLocks?(milliseconds: number): Fragment
  /** Whether the driver's error says that transactions stood in each other's way: this one may be run again. */
  isConflict?(error: unknown): boolean
  /** The type of the column for a field, in CREATE TABLE. Columns that hold keys are indexed. */
  columnType(field: Field, holdsKeys?: boolean): string
}
