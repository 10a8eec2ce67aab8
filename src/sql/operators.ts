import { type SqlBool, sql } from 'kysely'
import {
  type Comparable,
  type CompareNode,
  type Comparison,
  compareValues,
  type FieldNode,
  family,
  isList,
  type ListChangeNode,
  type LiteralNode,
  type OrElseNode,
  type Scalar,
  scalarOf,
  type TermNode,
} from '../condition/index.js'
import { type Expressions, type Fragment, MIRRORED, type Order, type Test } from './expressions.js'
import { Known } from './known.js'
import { all, holds, isUneven, joined, literalValues, mayBeEqual, NO, nothing, YES } from './predicates.js'
import type { Scope } from './scope.js'
import type { Terms } from './terms.js'

/** A comparison as SQL. */
type Write = (sides: { readonly left: TermNode; readonly right: TermNode }, using: Writers) => Test

/** The kinds of comparisons in SQL. Each comparison is of one kind. */
interface Writers {
  /** Equality. */
  same(left: TermNode, right: TermNode): Test
  inOrder(left: TermNode, order: Order, right: TermNode): Test
  isInList(item: TermNode, list: TermNode): Test
  isInListIgnoringCase(item: TermNode, list: TermNode): Test
  overlaps(left: TermNode, right: TermNode): Test
  /** A test of two texts from the dialect. */
  texts(left: TermNode, right: TermNode, test: (left: Fragment, right: Fragment) => Test): Test
  ignoringCase(left: TermNode, right: TermNode): Test
  startsWith(left: TermNode, right: TermNode): Test
  readonly dialect: Expressions
}

const ordered =
  (order: Order): Write =>
  ({ left, right }, using) =>
    using.inOrder(left, order, right)

const OPERATORS: { readonly [C in Comparison]: Write } = {
  is: ({ left, right }, using) => using.same(left, right),
  isOneOf: ({ left, right }, using) => using.isInList(left, right),
  isLessThan: ordered('<'),
  isMoreThan: ordered('>'),
  isAtMost: ordered('<='),
  isAtLeast: ordered('>='),
  isBefore: ordered('<'),
  isAfter: ordered('>'),
  startsWith: ({ left, right }, using) => using.startsWith(left, right),
  endsWith: ({ left, right }, using) => using.texts(left, right, using.dialect.endsWith),
  contains: ({ left, right }, using) => using.texts(left, right, using.dialect.contains),
  isIgnoringCase: ({ left, right }, using) => using.ignoringCase(left, right),
  has: ({ left, right }, using) => using.isInList(right, left),
  hasIgnoringCase: ({ left, right }, using) => using.isInListIgnoringCase(right, left),
  overlaps: ({ left, right }, using) => using.overlaps(left, right),
}

/** Comparisons as SQL: false or null if a side is missing or improper. */
export class Comparisons {
  readonly #scope: Scope
  readonly #terms: Terms
  readonly #expressions: Expressions

  constructor(scope: Scope, terms: Terms) {
    this.#scope = scope
    this.#terms = terms
    this.#expressions = scope.dialect.expressions
  }

  compare(node: CompareNode): Test {
    const { left, right, by } = node
    if (nothing(left) || nothing(right)) return NO
    if (isUneven(left, right)) return this.#apart(left, (term) => this.compare({ ...node, left: term }))
    if (isUneven(right, left)) return this.#apart(right, (term) => this.compare({ ...node, right: term }))
    if (node.left.kind === 'orElse' && isKnown(right) && !isList(right)) return this.#either(node, node.left)
    return OPERATORS[by](node, this.#writers)
  }

  get #writers(): Writers {
    const dialect = this.#expressions
    const terms = this.#terms
    const sound = (left: TermNode, right: TermNode) => [...terms.sound(left), ...terms.sound(right)]
    return {
      dialect,
      same: (left, right) => this.#same(left, right),
      isInList: (item, list) => this.#inList(item, list),
      overlaps: (left, right) => this.#overlaps(left, right),
      inOrder: (left, order, right) =>
        all([
          this.#inOrder(terms.value(left), order, terms.value(right)),
          ...(isKnown(right)
            ? terms.soundBeside(left, order)
            : isKnown(left)
              ? terms.soundBeside(right, MIRRORED[order])
              : sound(left, right)),
        ]),
      texts: (left, right, test) => all([test(terms.value(left), terms.value(right)), ...sound(left, right)]),
      ignoringCase: (left, right) => all([dialect.sameIgnoringCase(terms.text(left), terms.text(right)), ...sound(left, right)]),
      startsWith: (left, right) =>
        right.kind === 'literal'
          ? all([dialect.startsWithKnown(terms.value(left), this.#scope.known(right)), ...terms.sound(left)])
          : all([dialect.startsWith(terms.value(left), terms.value(right)), ...sound(left, right)]),
      isInListIgnoringCase: (item, list) => {
        const wanted = terms.text(item)
        const found = dialect.someElement(this.#scope.alias('element'), terms.list(list), scalarOf(list), (element) =>
          dialect.sameIgnoringCase(element, wanted),
        )
        return all([found, ...terms.sound(item)])
      },
    }
  }

  /**
   * Both lists contain every value equally often, except for one occurrence of the item. If nothing is about to change, nothing is added or
   * removed.
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
      const one = this.#expressions.value(Known.constant(value), type)
      return sql<SqlBool>`${this.#expressions.countOf(this.#scope.alias('element'), there, one, type)} = ${count} ${sign} ${isItem(one)}`
    })
    const among = this.#expressions.isAmong(wanted, [...counts.keys()], type)
    const own =
      by === 'adds'
        ? counts.size === 0
          ? NO
          : among
        : sql<SqlBool>`${this.#expressions.countOf(this.#scope.alias('element'), there, wanted, type)} >= 1`
    return all([sql<SqlBool>`${this.#expressions.listLength(there)} = ${total}`, own, ...known, ...this.#terms.sound(item)])
  }

  /** A term with an alternative beside a known value: an index can be used for the term. A comparison of a missing term is false. */
  #either(node: CompareNode, { term, otherwise }: OrElseNode): Test {
    const there = this.compare({ ...node, left: term })
    const beside = this.#beside(node, otherwise)
    if (beside === NO) return there
    const missing = this.#terms.missing(term)
    return joined([beside === YES ? missing : all([missing, beside]), there], ' or ', NO)
  }

  #beside(node: CompareNode, otherwise: TermNode): Test {
    if (otherwise.kind !== 'forever') return this.compare({ ...node, left: otherwise })
    return compareValues(node.by, Number.POSITIVE_INFINITY, 0) ? YES : NO
  }

  /** A term and its alternative, each on its own. */
  #apart({ term, otherwise }: OrElseNode, compared: (term: TermNode) => Test): Test {
    const missing = this.#terms.missing(term)
    const there = sql<SqlBool>`(${missing}) is not true`
    return joined([all([there, compared(term)]), all([missing, compared(otherwise)])], ' or ', YES)
  }

  /** Equality. If a value equals a known one, it is proper. Of two columns, one must be checked. */
  #same(left: TermNode, right: TermNode): Test {
    if (!mayBeEqual(left, right)) return NO
    const a = this.#terms.value(left)
    const b = this.#terms.value(right)
    const same = this.#equal(a, b, scalarOf(left))
    return left.kind === 'literal' || right.kind === 'literal' ? same : all([same, ...this.#terms.sound(left), ...this.#terms.sound(right)])
  }

  #equal(left: Fragment, right: Fragment, type: Scalar): Test {
    return family(type) === 'text' ? this.#expressions.sameText(left, right) : this.#inOrder(left, '=', right)
  }

  #inOrder(left: Fragment, order: Order, right: Fragment): Test {
    return this.#expressions.inOrder?.(left, order, right) ?? sql<SqlBool>`${left} ${sql.raw(order)} ${right}`
  }

  #inList(item: TermNode, list: TermNode): Test {
    switch (list.kind) {
      case 'literal': {
        const values = literalValues(list).filter((value) => holds(item, value))
        return values.length === 0 ? NO : this.#expressions.isAmong(this.#terms.value(item), values, list.type)
      }
      case 'claim':
        if (!mayBeEqual(item, list)) return NO
        return all([this.#scope.laterFor(list).isAmong(this.#terms.value(item), scalarOf(item), list), ...this.#terms.sound(item)])
      case 'field':
        return mayBeEqual(item, list) ? (this.#hasKnown(item, list) ?? this.#isElement(item, list)) : NO
      case 'now':
      case 'forever':
      case 'orElse':
        return mayBeEqual(item, list) ? this.#isElement(item, list) : NO
    }
  }

  /** Uses an index if the item is known and there is one. */
  #hasKnown(item: TermNode, list: FieldNode): Test | undefined {
    if (item.kind !== 'literal') return undefined
    return this.#expressions.hasKnown?.(this.#terms.list(list), this.#scope.known(item), scalarOf(list))
  }

  #isElement(item: TermNode, list: TermNode): Test {
    const wanted = this.#terms.value(item)
    const type = scalarOf(list)
    const found = this.#expressions.someElement(this.#scope.alias('element'), this.#terms.list(list), type, (element) => {
      const same = this.#equal(element, wanted, type)
      return item.kind === 'literal' || type === scalarOf(item) ? same : all([same, ...this.#terms.soundValue(element, type)])
    })
    return all([found, ...(item.kind === 'literal' ? [] : this.#terms.sound(item))])
  }

  #overlaps(left: TermNode, right: TermNode): Test {
    if (howKnown(left) > howKnown(right)) return this.#overlaps(right, left)
    const type = scalarOf(left)
    const own = this.#terms.list(left)
    switch (right.kind) {
      case 'literal':
        return this.#overlapsKnown(left, own, right)
      case 'claim':
        return this.#expressions.someElement(this.#scope.alias('element'), own, type, (element) =>
          all([this.#scope.laterFor(right).isAmong(element, type, right), ...this.#terms.soundValue(element, type)]),
        )
      case 'field':
      case 'now':
      case 'forever':
      case 'orElse':
        return this.#overlapsOpen(own, type, right)
    }
  }

  #overlapsKnown(left: TermNode, own: Fragment, right: LiteralNode): Test {
    const dialect = this.#expressions
    const type = scalarOf(left)
    const values = literalValues(right).filter((value) => holds(left, value))
    if (values.length === 0) return NO
    const found = dialect.someElement(this.#scope.alias('element'), own, type, (element) => dialect.isAmong(element, values, right.type))
    const may = dialect.mayOverlap?.(own, values, type)
    return may === undefined ? found : all([may, found])
  }

  #overlapsOpen(own: Fragment, type: Scalar, right: TermNode): Test {
    const dialect = this.#expressions
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

/** Whether a term has one value for all rows, which is a parameter. */
function isKnown(term: TermNode): boolean {
  switch (term.kind) {
    case 'literal':
    case 'now':
      return true
    case 'field':
    case 'claim':
    case 'forever':
    case 'orElse':
      return false
  }
}

/** When the value of a term is known: at compile time, from the asker's claims, or from the row. */
function howKnown(term: TermNode): number {
  switch (term.kind) {
    case 'literal':
      return 2
    case 'claim':
      return 1
    case 'field':
    case 'now':
    case 'forever':
    case 'orElse':
      return 0
  }
}
