import type { Expression, SqlBool } from 'kysely'
import type { Comparable, Scalar } from '../condition/index.js'
import type { Field } from '../rulebook/index.js'
import type { Known } from './known.js'

/** A piece of SQL with its parameters. */
export type Fragment = Expression<unknown>
/** A piece of SQL that is true, false or null; null counts as false. */
export type Test = Expression<SqlBool>

/** A column reference and, if known, its storage type. */
export interface Column {
  readonly ref: Fragment
  readonly as?: string
}

/** A value in a comparison, and the type by which it is compared. */
export interface Side {
  readonly value: Fragment
  readonly type: Scalar
}

/** An order of two values, or their equality. */
export type Order = '=' | '<' | '>' | '<=' | '>='

/** The same order with the sides swapped. */
export const MIRRORED: { readonly [O in Order]: Order } = { '=': '=', '<': '>', '>': '<', '<=': '>=', '>=': '<=' }

/** How a database expresses the parts of conditions. Everything else about conditions is the same for all databases. */
export interface Expressions {
  /** A column, or the value at a path in a JSON column, as a value of the type or as a list. Null if there is no value of that type. */
  column(column: Column, path: readonly string[], type: Scalar | 'list'): Fragment
  /** True if the column is null, or there is nothing at the path. A value of any type counts as present. */
  isNull(column: Column, path: readonly string[], type: Scalar | 'list' | 'other'): Test
  /** A parameter. */
  value(value: Known, type: Scalar): Fragment
  /** A list as one parameter, in the form that columns store lists in. */
  listValue(values: readonly Comparable[], type: Scalar): Fragment
  /** A missing value of the type or list. Absent if plain null is enough. */
  missing?(type: Scalar | 'list'): Fragment
  /** A value later than any instant. */
  forever(): Fragment
  /** True where the id is blank. */
  isBlank(id: Fragment): Test
  /** True if the text contains NUL, and so equals nothing. Absent if texts cannot contain it. */
  hasNul?(text: Fragment): Test
  /** True if every engine can hold the time. Absent if that is so for every time in a column. One bound is enough beside a known time. */
  isInstant?(time: Fragment, bound?: 'first' | 'last'): Test
  /** Compares two values that are not text. Absent if the plain operators do. */
  inOrder?(left: Fragment, order: Order, right: Fragment): Test
  /** Equal, code point by code point. */
  sameText(left: Fragment, right: Fragment): Test
  sameIgnoringCase(left: Fragment, right: Fragment): Test
  startsWith(text: Fragment, start: Fragment): Test
  /** Whether a text starts with a known prefix, in a form that an index serves. */
  startsWithKnown(text: Fragment, start: Known): Test
  endsWith(text: Fragment, end: Fragment): Test
  /** Whether a text contains another. The empty text is in every text. */
  contains(text: Fragment, part: Fragment): Test
  /** True if the expression equals one of the values. There is at least one value. */
  isAmong(item: Fragment, values: readonly Comparable[], type: Scalar): Test
  /** Whether an element of the list equals the value, in a form that an index serves. Absent or undefined if there is none. */
  hasKnown?(list: Fragment, value: Known, type: Scalar): Test | undefined
  /** An indexable test that is true for every list with one of the values, and maybe for others. Absent or undefined if there is none. */
  mayOverlap?(list: Fragment, values: readonly Comparable[], type: Scalar): Test | undefined
  /** Converts a list column to the form that it is compared in. Absent if all columns have that form. */
  plainList?(list: Fragment): Fragment
  /**
   * True if the test is true for an element of the list. Elements of another type than `type` are skipped. The alias is unique in the
   * query.
   */
  someElement(alias: string, list: Fragment, type: Scalar, test: (element: Fragment) => Test): Test
  /** The number of elements, of any type. */
  listLength(list: Fragment): Fragment
  /** The number of elements that equal the value; texts code point by code point. The alias is unique in the query. */
  countOf(alias: string, list: Fragment, value: Fragment, type: Scalar): Fragment
  /** True if the test is true for an object in the list. The alias is unique in the query. */
  someObject(alias: string, list: Fragment, test: (object: Fragment) => Test): Test
  /** The value at a path in a JSON object, and whether there is none: like `column` and `isNull`. */
  inside(object: Fragment, path: readonly string[], type: Scalar | 'list'): Fragment
  isNullInside(object: Fragment, path: readonly string[]): Test
  /** The end of a subquery that makes the database find its rows before it does anything else with them. */
  readonly apart: string
  /** The form in which a subquery selects a value, for `kept` and `isInQuery`. Absent if that is the value itself. */
  key?(value: Fragment, type: Scalar): Fragment
  /** A column of a derived table that holds the result of `key`. Absent if it is the value itself. */
  kept?(ref: Fragment, value: Fragment): Fragment
  /**
   * True for every row. Added to each query that refers to an outer row, if the database might otherwise reuse the result of another row
   * whose values only look the same in their collation.
   */
  readonly forEachRow?: Test
  /**
   * True if a correlated query finds a row. It finds rows whose keys equal the values, each pair separately; `query` receives what to
   * select. Absent if EXISTS and equalities do.
   */
  findsForRow?(values: readonly Side[], keys: readonly Side[], query: (selected: readonly Fragment[]) => Fragment): Test
  /**
   * Two texts converted so that the database can choose between them: columns with two collations may need a common one. Absent if they can
   * be mixed.
   */
  mixed?(first: Fragment, second: Fragment): readonly [Fragment, Fragment]
  /** Whether a recursive query may refer to an outer row. Absent if it may. */
  readonly closedRecursion?: true
  /**
   * True if the values, together, are among the keys that a query selects; texts are equal code point by code point. `query` receives what
   * to select.
   */
  isInQuery(values: readonly Side[], keys: readonly Side[], query: (selected: readonly Fragment[]) => Fragment): Test
  /**
   * Whether an OR over links is slow, so that a union of keys finds the rows faster. `unionOfKeys` receives the columns of the key, and queries that each
   * select `keyColumns` of their rows.
   */
  unionOfKeys?(key: readonly Fragment[], alias: string, queries: readonly Fragment[]): Test
  /** About how many rows a table has, from the statistics of the database. Present where there are unions of keys. */
  rowsAbout?(table: { readonly schema?: string; readonly name: string }): Fragment
  /** What a query of a union of keys selects. Absent if there are no such unions. */
  keyColumns?(key: readonly Fragment[]): Fragment
  /** Whether two columns store and compare their values in the same way. */
  areAlike?(a: Fragment, b: Fragment): boolean
  /** What to group a value by, so that only equal values share a group, and what to select of a group. */
  grouped(value: Fragment, field: Field): { readonly by: Fragment; readonly value: Fragment }
}
