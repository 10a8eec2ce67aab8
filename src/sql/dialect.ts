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
  /** A column, or what lies at a path within a column of JSON. */
  column(column: string, path: readonly string[]): Fragment
  /** A parameter. */
  value(value: Comparable, type: Scalar): Fragment
  /** A list as one parameter, as columns hold lists. */
  listValue(values: readonly Comparable[], type: Scalar): Fragment
  /** A value later than any instant. */
  forever(): Fragment
  /** True where the id is blank. */
  isBlank(id: Fragment): Test
  /** True where the text holds a NUL, and so equals nothing. */
  hasNul(text: Fragment): Test
  /** Equal code point by code point. */
  sameText(left: Fragment, right: Fragment): Test
  sameIgnoringCase(left: Fragment, right: Fragment): Test
  startsWith(text: Fragment, start: Fragment): Test
  /** The same for a start that is known beforehand, so that an index serves. */
  startsWithKnown(text: Fragment, start: string): Test
  endsWith(text: Fragment, end: Fragment): Test
  /** True where the expression equals one of the values, of which there is at least one. */
  isAmong(item: Fragment, values: readonly Comparable[], type: Scalar): Test
  /** True where the list holds an element for which the test is true. Elements of another type than `type` are passed over. The alias is unique in the query. */
  someElement(alias: string, list: Fragment, type: Scalar, test: (element: Fragment) => Test): Test
  /** The column to order by: text code point by code point. */
  ordered(column: Fragment, field: Field): Fragment
  /** A value of a record as the column holds it. */
  encode(field: Field, value: unknown): unknown
  /** The value of a column as the record holds it; undefined where the column says nothing. @throws TypeError */
  decode(field: Field, value: unknown): unknown
  /** Whether the driver's error says that a constraint of the database forbids the row. */
  isConstraintFailure(error: unknown): boolean
  /** The type of the column for a field, in CREATE TABLE. */
  columnType(field: Field): string
}
