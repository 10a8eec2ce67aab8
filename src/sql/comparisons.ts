import { type SqlBool, sql } from 'kysely'
import {
  type Comparable,
  type CompareNode,
  family,
  isList,
  type ListChangeNode,
  type OrElseNode,
  type Scalar,
  scalarOf,
  type TermNode,
} from '../condition/index.js'
import { all, comparableOf, holds, isUneven, joined, literalValues, mayBeEqual, NO, nothing, YES } from './asked.js'
import type { Dialect, Fragment, Order, Test } from './dialect.js'
import type { Scope } from './scope.js'
import type { Terms } from './terms.js'

const ORDERS = { isLessThan: '<', isMoreThan: '>', isAtMost: '<=', isAtLeast: '>=', isBefore: '<', isAfter: '>' } as const

/** Comparisons as SQL: false or null as soon as either side is missing or improper. */
export class Comparisons {
  readonly #scope: Scope
  readonly #terms: Terms
  readonly #dialect: Dialect

  constructor(scope: Scope, terms: Terms) {
    this.#scope = scope
    this.#terms = terms
    this.#dialect = scope.dialect
  }

  compare(node: CompareNode): Test {
    const { left, right, by } = node
    if (nothing(left) || nothing(right)) return NO
    if (isUneven(left, right)) return this.#apart(left, (term) => this.compare({ ...node, left: term }))
    if (isUneven(right, left)) return this.#apart(right, (term) => this.compare({ ...node, right: term }))
    const dialect = this.#dialect
    switch (by) {
      case 'is':
        return this.#same(left, right)
      case 'isOneOf':
        return this.#inList(left, right)
      case 'has':
        return this.#inList(right, left)
      case 'hasIgnoringCase': {
        const item = this.#terms.text(right)
        return all([
          dialect.someElement(this.#scope.alias('element'), this.#terms.list(left), scalarOf(left), (element) =>
            dialect.sameIgnoringCase(element, item),
          ),
          ...this.#terms.sound(right),
        ])
      }
      case 'overlaps':
        return this.#overlaps(left, right)
      case 'isLessThan':
      case 'isMoreThan':
      case 'isAtMost':
      case 'isAtLeast':
      case 'isBefore':
      case 'isAfter':
        return all([
          this.#inOrder(this.#terms.value(left), ORDERS[by], this.#terms.value(right)),
          ...this.#terms.sound(left),
          ...this.#terms.sound(right),
        ])
      case 'startsWith':
        if (right.kind === 'literal')
          return all([dialect.startsWithKnown(this.#terms.value(left), right.value as string), ...this.#terms.sound(left)])
        return all([
          dialect.startsWith(this.#terms.value(left), this.#terms.value(right)),
          ...this.#terms.sound(left),
          ...this.#terms.sound(right),
        ])
      case 'endsWith':
        return all([
          dialect.endsWith(this.#terms.value(left), this.#terms.value(right)),
          ...this.#terms.sound(left),
          ...this.#terms.sound(right),
        ])
      case 'isIgnoringCase':
        return all([
          dialect.sameIgnoringCase(this.#terms.text(left), this.#terms.text(right)),
          ...this.#terms.sound(left),
          ...this.#terms.sound(right),
        ])
    }
  }

  /**
   * The list as it is has every value as often as the list as it becomes says, one occurrence of the item apart. Where
   * nothing is about to change, nothing is added or removed.
   */
  change({ by, list, from, item }: ListChangeNode): Test {
    if (list.kind !== 'literal' || !isList(list) || nothing(item)) return NO
    const type = scalarOf(from)
    const there = this.#terms.list(from)
    const wanted = this.#terms.value(item)
    const counts = new Map<Comparable, number>()
    for (const value of literalValues(list)) counts.set(value, (counts.get(value) ?? 0) + 1)
    const total = literalValues(list).length + (by === 'adds' ? -1 : 1)
    const sign = sql.raw(by === 'adds' ? '-' : '+')
    const isItem = (value: Fragment) => sql`case when ${this.#equal(wanted, value, type)} then 1 else 0 end`
    const known = [...counts].map(([value, count]) => {
      const one = this.#dialect.value(value, type)
      return sql<SqlBool>`${this.#dialect.countOf(this.#scope.alias('element'), there, one, type)} = ${count} ${sign} ${isItem(one)}`
    })
    const among = this.#dialect.isAmong(wanted, [...counts.keys()], type)
    const own =
      by === 'adds'
        ? counts.size === 0
          ? NO
          : among
        : sql<SqlBool>`${this.#dialect.countOf(this.#scope.alias('element'), there, wanted, type)} >= 1`
    return all([sql<SqlBool>`${this.#dialect.listLength(there)} = ${total}`, own, ...known, ...this.#terms.sound(item)])
  }

  /** A term and its stand-in, each by itself. */
  #apart({ term, otherwise }: OrElseNode, compared: (term: TermNode) => Test): Test {
    const missing = this.#terms.missing(term)
    const there = sql<SqlBool>`(${missing}) is not true`
    return joined([all([there, compared(term)]), all([missing, compared(otherwise)])], ' or ', YES)
  }

  /** Equality. What equals a known value is sound by that; of two columns, one has to be looked at. */
  #same(left: TermNode, right: TermNode): Test {
    if (!mayBeEqual(left, right)) return NO
    const a = this.#terms.value(left)
    const b = this.#terms.value(right)
    const same = this.#equal(a, b, scalarOf(left))
    return left.kind === 'literal' || right.kind === 'literal' ? same : all([same, ...this.#terms.sound(left), ...this.#terms.sound(right)])
  }

  #equal(left: Fragment, right: Fragment, type: Scalar): Test {
    return family(type) === 'text' ? this.#dialect.sameText(left, right) : this.#inOrder(left, '=', right)
  }

  #inOrder(left: Fragment, order: Order, right: Fragment): Test {
    return this.#dialect.inOrder?.(left, order, right) ?? sql<SqlBool>`${left} ${sql.raw(order)} ${right}`
  }

  #inList(item: TermNode, list: TermNode): Test {
    if (list.kind === 'literal') {
      const values = literalValues(list).filter((value) => holds(item, value))
      return values.length === 0 ? NO : this.#dialect.isAmong(this.#terms.value(item), values, list.type)
    }
    if (!mayBeEqual(item, list)) return NO
    const wanted = this.#terms.value(item)
    const type = scalarOf(list)
    if (list.kind === 'claim') return all([this.#scope.laterFor(list).isAmong(wanted, scalarOf(item), list), ...this.#terms.sound(item)])
    if (item.kind === 'literal' && list.kind === 'field') {
      const known = this.#dialect.hasKnown?.(this.#terms.list(list), comparableOf(item.value as Comparable, item.type), type)
      if (known !== undefined) return known
    }
    const found = this.#dialect.someElement(this.#scope.alias('element'), this.#terms.list(list), type, (element) => {
      const same = this.#equal(element, wanted, type)
      return item.kind === 'literal' || type === scalarOf(item) ? same : all([same, ...this.#terms.soundValue(element, type)])
    })
    return all([found, ...(item.kind === 'literal' ? [] : this.#terms.sound(item))])
  }

  #overlaps(left: TermNode, right: TermNode): Test {
    if ((left.kind === 'literal' && right.kind !== 'literal') || (left.kind === 'claim' && right.kind === 'field'))
      return this.#overlaps(right, left)
    const type = scalarOf(left)
    const dialect = this.#dialect
    const own = this.#terms.list(left)
    if (right.kind === 'literal') {
      const values = literalValues(right).filter((value) => holds(left, value))
      if (values.length === 0) return NO
      const found = dialect.someElement(this.#scope.alias('element'), own, type, (element) => dialect.isAmong(element, values, right.type))
      const may = dialect.mayOverlap?.(own, values, type)
      return may === undefined ? found : all([may, found])
    }
    if (right.kind === 'claim') {
      const among = (element: Fragment) =>
        all([this.#scope.laterFor(right).isAmong(element, type, right), ...this.#terms.soundValue(element, type)])
      return dialect.someElement(this.#scope.alias('element'), own, type, among)
    }
    return dialect.someElement(this.#scope.alias('element'), own, type, (element) => {
      return dialect.someElement(this.#scope.alias('element'), this.#terms.list(right), scalarOf(right), (other) =>
        all([
          this.#equal(element, other, type),
          ...this.#terms.soundValue(element, type),
          ...(type === scalarOf(right) ? [] : this.#terms.soundValue(other, scalarOf(right))),
        ]),
      )
    })
  }
}
