import { type SqlBool, sql } from 'kysely'
import type { Comparable } from '../condition/index.js'
import type { Fragment, Order, Test } from './expressions.js'
import type { Known } from './known.js'

/** The next double above or below a number: IEEE 754 doubles are ordered like their bits. */
function neighbour(of: number, step: 1n | -1n): number {
  if (of === 0) return Number(step) * Number.MIN_VALUE
  const bits = new BigInt64Array(1)
  const doubles = new Float64Array(bits.buffer)
  doubles[0] = of
  bits[0] = (bits[0] as bigint) + (of > 0 ? step : -step)
  return doubles[0] as number
}

/** The range that contains every decimal number whose nearest double is this one. */
export function rangeOfDouble(value: number): readonly [from: number, to: number] {
  return [neighbour(value, -1n), neighbour(value, 1n)]
}

/**
 * The range that contains every single-precision number that a database writes as this number. `precision` is the largest relative
 * difference between such a number and its text.
 */
export function rangeOfSingle(value: number, precision: number): readonly [from: number, to: number] {
  const around = Math.abs(value) * precision + 2 ** -148
  return [value - around, value + around]
}

/**
 * An exact comparison of a converted column with a known number, with a comparison of the plain column beside it, which is true wherever
 * the exact one is and which an index serves. `bound` writes one end of the range around the number.
 */
export function besideNumber(exact: Test, order: Order, column: Fragment, bound: (end: 0 | 1) => Fragment): Test {
  if (order === '=') return sql<SqlBool>`(${column} between ${bound(0)} and ${bound(1)} and ${exact})`
  const isBelow = order === '<' || order === '<='
  return sql<SqlBool>`(${column} ${sql.raw(isBelow ? '<=' : '>=')} ${bound(isBelow ? 1 : 0)} and ${exact})`
}

const DAY = 86_400_000
const midnightOf = (instant: Comparable) => Math.floor((instant as number) / DAY) * DAY

/** Compares a day, which means its midnight in UTC, with a known time: by the last midnight that is not after it. */
export function besideDay(column: Fragment, order: Order, instant: Known, written: (midnight: Known) => Fragment): Test {
  const midnight = instant.map(midnightOf)
  if (instant.look((one) => midnightOf(one) === one)) return sql<SqlBool>`${column} ${sql.raw(order)} ${written(midnight)}`
  if (order === '=') return sql<SqlBool>`1 = 0`
  const whole: Order = order === '<' ? '<=' : order === '>=' ? '>' : order
  return sql<SqlBool>`${column} ${sql.raw(whole)} ${written(midnight)}`
}
