import type { Field } from '../rulebook/index.js'
import type { Column, Fragment } from './expressions.js'
import type { Known } from './known.js'

/** How a database sorts by a plain column, so that its own indexes are used, and continues after one of its values. */
export interface Ordering {
  /** Selects the exact value of a column, for a cursor. Undefined if the selected value is exact. */
  place(column: Column, field: Field): Fragment | undefined
  /** Such a value, in a form that compares with the column as ORDER BY does. */
  placed(value: Known, column: Column, field: Field): Fragment
  /** The column in ORDER BY, and in a form that compares in the same order. Absent if both are the plain column. */
  sorted?(column: Column): Fragment
  compared?(column: Column): Fragment
  /** The direction in which an index has missing values last. */
  readonly missingLast: 'ascending' | 'descending'
  /** Whether ORDER BY supports NULLS LAST. */
  readonly nullsLast: boolean
  /** Whether an index is used for row comparisons, as in `(a, b) > (x, y)`. */
  readonly comparesRows: boolean
}
