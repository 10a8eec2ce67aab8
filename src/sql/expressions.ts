import type { Expression, SqlBool } from 'kysely'
import type { Comparable, Scalar } from '../condition/index.js'
import type { Field } from '../rulebook/index.js'

/** A piece of SQL with its parameters. */
export type Fragment = Expression<unknown>
/** A piece of SQL that is true, false or null; null counts as false. */
export type Test = Expression<SqlBool>

/** A column, as a query names it, and as what it holds its values, where that is known. */
export interface Column {
  readonly ref: Fragment
  readonly as?: string
}

/** A value of a comparison, and by which type it is compared. */
export interface Side {
  readonly value: Fragment
  readonly type: Scalar
}

/** An order of two values, or their equality. */
export type Order = '=' | '<' | '>' | '<=' | '>='

/** The same order, seen from the other side. */
export const MIRRORED: { readonly [O in Order]: Order } = { '=': '=', '<': '>', '>': '<', '<=': '>=', '>=': '<=' }

/** How a database says what conditions ask. Everything else about conditions is the same on all. */
export interface Expressions {
  /**
   * A column, or what lies at a path within a column of JSON: as a value of the type, or a list; null where nothing of that
   * type is there.
   */
  column(column: Column, path: readonly string[], type: Scalar | 'list'): Fragment
  /** True where the column holds nothing, or nothing lies at the path within it: whatever is there counts, of any type. */
  isNull(column: Column, path: readonly string[], type: Scalar | 'list' | 'other'): Test
  /** A parameter. */
  value(value: Comparable, type: Scalar): Fragment
  /** A list as one parameter, as columns hold lists. */
  listValue(values: readonly Comparable[], type: Scalar): Fragment
  /** What is missing, as a value of the type or a list. Left out where null alone says so. */
  missing?(type: Scalar | 'list'): Fragment
  /** A value later than any instant. */
  forever(): Fragment
  /** True where the id is blank. */
  isBlank(id: Fragment): Test
  /** True where the text holds a NUL, and so equals nothing. Left out where no text can hold one. */
  hasNul?(text: Fragment): Test
  /** True where the time is an instant that every engine can hold. Left out where every time in a column is one. */
  isInstant?(time: Fragment): Test
  /** The order of two values that are no text. Left out where they compare as they are. */
  inOrder?(left: Fragment, order: Order, right: Fragment): Test
  /** Equal code point by code point. */
  sameText(left: Fragment, right: Fragment): Test
  sameIgnoringCase(left: Fragment, right: Fragment): Test
  startsWith(text: Fragment, start: Fragment): Test
  /** The same for a start that is known beforehand, so that an index serves. */
  startsWithKnown(text: Fragment, start: string): Test
  endsWith(text: Fragment, end: Fragment): Test
  /** Whether a text has another somewhere in it; what is empty is in each. */
  contains(text: Fragment, part: Fragment): Test
  /** True where the expression equals one of the values, of which there is at least one. */
  isAmong(item: Fragment, values: readonly Comparable[], type: Scalar): Test
  /** The same as some element being the value, by an index; left out, or undefined, where there is no such way. */
  hasKnown?(list: Fragment, value: Comparable, type: Scalar): Test | undefined
  /** True beside every list that has one of the values, by an index; left out, or undefined, where there is no such way. */
  mayOverlap?(list: Fragment, values: readonly Comparable[], type: Scalar): Test | undefined
  /** A list of a column as lists are written beside others. Left out where every column holds them so. */
  plainList?(list: Fragment): Fragment
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
  /** A value as a query keeps it for `kept`, and for `isInQuery`. Left out where that is as it is. */
  key?(value: Fragment, type: Scalar): Fragment
  /** A column that a query made up for what `key` made of a value. Left out where it is the value itself. */
  kept?(ref: Fragment, value: Fragment): Fragment
  /**
   * True for every row. Stands in each query that speaks of the row of a query around it, where the database might else answer it
   * with what it found for another row whose values only look the same in their collation.
   */
  readonly forEachRow?: Test
  /**
   * True where a query that speaks of the row around it finds anything. It finds rows in which the keys equal the values, each pair by
   * itself; `query` takes what to select. Left out where EXISTS and the equalities say so.
   */
  findsForRow?(values: readonly Side[], keys: readonly Side[], query: (selected: readonly Fragment[]) => Fragment): Test
  /**
   * Two texts in a form in which the database can say which comes of them: columns of two collations may need one in common. Left
   * out where they can be mixed as they are.
   */
  mixed?(first: Fragment, second: Fragment): readonly [Fragment, Fragment]
  /** Whether a recursive query may speak of the row of a query around it. Left out where it may. */
  readonly closedRecursion?: true
  /**
   * True where the values, together, are among the keys that a query selects; texts are equal code point by code point.
   * `query` takes what to select.
   */
  isInQuery(values: readonly Side[], keys: readonly Side[], query: (selected: readonly Fragment[]) => Fragment): Test
  /**
   * Whether an OR over links is slow, and rows are better found as a union of keys. `unionOfKeys` takes the key, and queries
   * that each select what `keyColumns` says of keys of rows.
   */
  unionOfKeys?(key: Fragment, alias: string, queries: readonly Fragment[]): Test
  /** What a query of a union of keys selects of a key. Left out where there are no such unions. */
  keyColumns?(key: Fragment): Fragment
  /** Whether two columns hold and compare their values in the same way, as it is known. */
  areAlike?(a: Fragment, b: Fragment): boolean
  /** The value to order by: text code point by code point. */
  ordered(value: Fragment, field: Field): Fragment
}
