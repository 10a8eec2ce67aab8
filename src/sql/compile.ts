import { type RawBuilder, type SqlBool, sql } from 'kysely'
import {
  type Comparable,
  type CompareNode,
  type ConditionNode,
  family,
  instant,
  isList,
  type LiteralNode,
  lowerAscii,
  PachterError,
  proper,
  pushNot,
  type Scalar,
  simplify,
  type TermNode,
  typeOf,
} from '../condition/index.js'
import type { Dialect, Fragment, Test } from './dialect.js'

/** How a condition becomes SQL. */
export interface CompileOptions {
  readonly dialect: Dialect
  /** The instant of the operation, in milliseconds since 1970. */
  readonly now: number
  /** The table or alias that the columns are read from. */
  readonly table?: string
}

/** A condition that still asks about claims was to become SQL: it has to be specialised for a person first. */
export class UnspecialisedError extends PachterError {
  constructor(claim: string) {
    super('UNSPECIALISED', `the condition still asks for the claim "${claim}": take it from a viewpoint, book.for(person).condition(...)`)
  }
}

/**
 * A condition as a Kysely expression, true exactly where the condition holds and otherwise false or null.
 * Use it as it stands in WHERE; wrap it in `is true` where its complement is needed.
 *
 * @throws UnspecialisedError where claims are left in it.
 */
export function compile(condition: ConditionNode, options: CompileOptions): RawBuilder<SqlBool> {
  return new Compiler(options).test(pushNot(simplify(condition))) as RawBuilder<SqlBool>
}

const YES: Test = sql<SqlBool>`1 = 1`
const NO: Test = sql<SqlBool>`1 = 0`
const LARGEST: { readonly [T in 'integer' | 'number']: number } = { integer: Number.MAX_SAFE_INTEGER, number: Number.MAX_VALUE }
const ORDERS = { isLessThan: '<', isMoreThan: '>', isAtMost: '<=', isAtLeast: '>=', isBefore: '<', isAfter: '>' } as const

class Compiler {
  readonly #dialect: Dialect
  readonly #now: number
  readonly #prefix: string
  #elements = 0

  constructor(options: CompileOptions) {
    this.#dialect = options.dialect
    this.#now = options.now
    this.#prefix = options.table === undefined ? '' : `${options.table}.`
  }

  test(node: ConditionNode): Test {
    switch (node.kind) {
      case 'constant':
        return node.value ? YES : NO
      case 'named':
        return this.test(node.of)
      case 'allOf':
        return joined(
          node.of.map((part) => this.test(part)),
          ' and ',
          YES,
        )
      case 'anyOf':
        return joined(
          node.of.map((part) => this.test(part)),
          ' or ',
          NO,
        )
      case 'not':
        // Only comparisons are left under a `not`. Null means that something is missing, so the comparison is false.
        return sql<SqlBool>`(${this.test(node.of)}) is not true`
      case 'presence': {
        const missing = this.#missing(node.term)
        return node.present ? sql<SqlBool>`(${missing}) is not true` : missing
      }
      case 'compare':
        return this.#compare(node)
    }
  }

  #compare(node: CompareNode): Test {
    const { left, right, by } = node
    if (nothing(left) || nothing(right)) return NO
    const dialect = this.#dialect
    switch (by) {
      case 'is':
        return this.#same(left, right)
      case 'isOneOf':
        return this.#inList(left, right)
      case 'has':
        return this.#inList(right, left)
      case 'hasIgnoringCase': {
        const item = this.#text(right)
        return all([
          dialect.someElement(this.#alias(), this.#list(left), scalarOf(left), (element) => dialect.sameIgnoringCase(element, item)),
          ...this.#sound(right),
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
          sql<SqlBool>`${this.#value(left)} ${sql.raw(ORDERS[by])} ${this.#value(right)}`,
          ...this.#sound(left),
          ...this.#sound(right),
        ])
      case 'startsWith':
        if (right.kind === 'literal') return all([dialect.startsWithKnown(this.#value(left), right.value as string), ...this.#sound(left)])
        return all([dialect.startsWith(this.#value(left), this.#value(right)), ...this.#sound(left), ...this.#sound(right)])
      case 'endsWith':
        return all([dialect.endsWith(this.#value(left), this.#value(right)), ...this.#sound(left), ...this.#sound(right)])
      case 'isIgnoringCase':
        return all([dialect.sameIgnoringCase(this.#text(left), this.#text(right)), ...this.#sound(left), ...this.#sound(right)])
    }
  }

  /** Equality. What equals a known value is sound by that; of two columns, one has to be looked at. */
  #same(left: TermNode, right: TermNode): Test {
    const dialect = this.#dialect
    if (!mayBeEqual(left, right)) return NO
    const a = this.#value(left)
    const b = this.#value(right)
    const same = family(scalarOf(left)) === 'text' ? dialect.sameText(a, b) : sql<SqlBool>`${a} = ${b}`
    return left.kind === 'literal' || right.kind === 'literal' ? same : all([same, ...this.#sound(left), ...this.#sound(right)])
  }

  #inList(item: TermNode, list: TermNode): Test {
    if (list.kind === 'literal') {
      const values = literalValues(list).filter((value) => holds(item, value))
      return values.length === 0 ? NO : this.#dialect.isAmong(this.#value(item), values, list.type)
    }
    if (!mayBeEqual(item, list)) return NO
    const wanted = this.#value(item)
    const text = family(scalarOf(item)) === 'text'
    const type = scalarOf(list)
    const found = this.#dialect.someElement(this.#alias(), this.#list(list), type, (element) => {
      const same = text ? this.#dialect.sameText(element, wanted) : sql<SqlBool>`${element} = ${wanted}`
      return item.kind === 'literal' || type === scalarOf(item) ? same : all([same, ...this.#soundValue(element, type)])
    })
    return all([found, ...(item.kind === 'literal' ? [] : this.#sound(item))])
  }

  #overlaps(left: TermNode, right: TermNode): Test {
    if (left.kind === 'literal' && right.kind !== 'literal') return this.#overlaps(right, left)
    const type = scalarOf(left)
    const dialect = this.#dialect
    return dialect.someElement(this.#alias(), this.#list(left), type, (element) => {
      if (right.kind === 'literal') {
        const values = literalValues(right).filter((value) => holds(left, value))
        return values.length === 0 ? NO : dialect.isAmong(element, values, right.type)
      }
      return dialect.someElement(this.#alias(), this.#list(right), scalarOf(right), (other) =>
        all([
          family(type) === 'text' ? dialect.sameText(element, other) : sql<SqlBool>`${element} = ${other}`,
          ...this.#soundValue(element, type),
          ...(type === scalarOf(right) ? [] : this.#soundValue(other, scalarOf(right))),
        ]),
      )
    })
  }

  /** What a column has to fulfil to equal or exceed anything at all: values that are improper equal nothing. */
  #sound(term: TermNode): Test[] {
    if (term.kind === 'field') return this.#soundValue(this.#value(term), term.type === 'other' ? 'text' : term.type)
    if (term.kind !== 'orElse') return []
    // Each of the two by its own type: a blank is a text and no id.
    const first = this.#sound(term.term)
    const otherwise = this.#sound(term.otherwise)
    if (first.length === 0 && otherwise.length === 0) return []
    const missing = this.#missing(term.term)
    const there = sql<SqlBool>`(${missing}) is not true`
    return [joined([all([missing, ...otherwise]), all([there, ...first])], ' or ', YES)]
  }

  #soundValue(value: Fragment, type: Scalar): Test[] {
    if (type === 'id') return [sql<SqlBool>`not ${this.#dialect.isBlank(value)}`, sql<SqlBool>`not ${this.#dialect.hasNul(value)}`]
    if (type === 'text') return [sql<SqlBool>`not ${this.#dialect.hasNul(value)}`]
    if (type !== 'integer' && type !== 'number') return []
    const largest = LARGEST[type]
    return [sql<SqlBool>`${value} between ${this.#dialect.value(-largest, type)} and ${this.#dialect.value(largest, type)}`]
  }

  #missing(term: TermNode): Test {
    switch (term.kind) {
      case 'field': {
        const column = this.#field(term.path)
        const empty = sql<SqlBool>`${column} is null`
        return term.type === 'id' && !term.list ? sql<SqlBool>`(${empty} or ${this.#dialect.isBlank(column)})` : empty
      }
      case 'orElse':
        return all([this.#missing(term.term), this.#missing(term.otherwise)])
      case 'literal':
        return term.value === null ? YES : NO
      case 'now':
      case 'forever':
        return NO
      case 'claim':
        throw new UnspecialisedError(term.path.join('.'))
    }
  }

  /** A text, in small letters already where it is known. */
  #text(term: TermNode): Fragment {
    if (term.kind !== 'literal') return this.#value(term)
    return this.#dialect.value(lowerAscii(term.value as string), 'text')
  }

  #value(term: TermNode): Fragment {
    switch (term.kind) {
      case 'field':
        return this.#field(term.path)
      case 'literal':
        return term.value === null ? sql`null` : this.#dialect.value(comparableOf(term.value as Comparable, term.type), term.type)
      case 'now':
        return this.#dialect.value(this.#now, 'time')
      case 'forever':
        return this.#dialect.forever()
      case 'orElse':
        return this.#orElse(term.term, this.#value(term.term), this.#value(term.otherwise))
      case 'claim':
        throw new UnspecialisedError(term.path.join('.'))
    }
  }

  #list(term: TermNode): Fragment {
    switch (term.kind) {
      case 'field':
        return this.#field(term.path)
      case 'literal':
        return term.value === null ? sql`null` : this.#dialect.listValue(literalValues(term), term.type)
      case 'orElse':
        return this.#orElse(term.term, this.#list(term.term), this.#list(term.otherwise))
      case 'claim':
        throw new UnspecialisedError(term.path.join('.'))
      case 'now':
      case 'forever':
        return sql`null`
    }
  }

  #orElse(term: TermNode, first: Fragment, otherwise: Fragment): Fragment {
    if (scalarOf(term) !== 'id') return sql`coalesce(${first}, ${otherwise})`
    return sql`case when ${this.#missing(term)} then ${otherwise} else ${first} end`
  }

  #alias(): string {
    this.#elements += 1
    return `element${this.#elements}`
  }

  // A field asked of the record as it would become is asked of the record as it is: nothing is about to change, or else
  // it has been filled in beforehand.
  #field(path: readonly string[]): Fragment {
    const [column, ...inner] = path as [string, ...string[]]
    return this.#dialect.column(this.#prefix + column, inner)
  }
}

function scalarOf(term: TermNode): Scalar {
  const type = typeOf(term)
  return type === 'other' ? 'text' : type
}

/** A literal that equals nothing whatever stands on the other side. */
function nothing(term: TermNode): boolean {
  if (term.kind !== 'literal') return false
  if (term.value === null) return true
  return isList(term) ? literalValues(term).length === 0 : proper(term.value, term.type) === undefined
}

/** Whether a field can hold the value at all: a field of whole numbers never holds a half. */
function holds(term: TermNode, value: Comparable): boolean {
  if (term.kind === 'orElse') return holds(term.term, value) || holds(term.otherwise, value)
  const type = scalarOf(term)
  return type === 'time' || proper(value, type) !== undefined
}

function mayBeEqual(left: TermNode, right: TermNode): boolean {
  const fits = (term: TermNode, other: TermNode) => term.kind !== 'literal' || holds(other, term.value as Comparable)
  return fits(left, right) && fits(right, left)
}

function literalValues(term: LiteralNode): Comparable[] {
  return (term.value as readonly Comparable[]).map((value) => comparableOf(value, term.type))
}

function comparableOf(value: Comparable, type: Scalar): Comparable {
  return type === 'time' ? (instant(value) as number) : value
}

function joined(tests: readonly Test[], word: ' and ' | ' or ', empty: Test): Test {
  const [only] = tests
  if (only === undefined) return empty
  return tests.length === 1 ? only : sql<SqlBool>`(${sql.join(tests, sql.raw(word))})`
}

function all(tests: readonly Test[]): Test {
  return joined(tests, ' and ', YES)
}
