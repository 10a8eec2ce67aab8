import { type SqlBool, sql } from 'kysely'
import {
  type FieldNode,
  lowerAscii,
  type NowNode,
  type OrElseNode,
  type PlaceNode,
  placeOf,
  type Scalar,
  scalarOf,
  type TermNode,
  timeOf,
} from '../condition/index.js'
import type { Expressions, Fragment, Order, Test } from './expressions.js'
import { Known } from './known.js'
import { all, joined, literalValues, NO, YES } from './predicates.js'
import type { Scope } from './scope.js'

const LARGEST: { readonly [T in 'integer' | 'number']: number } = { integer: Number.MAX_SAFE_INTEGER, number: Number.MAX_VALUE }

/** Terms of a condition as SQL, and what must be true of a column for its value to count. */
export class Terms {
  readonly #scope: Scope
  readonly #expressions: Expressions

  constructor(scope: Scope) {
    this.#scope = scope
    this.#expressions = scope.dialect.expressions
  }

  value(term: TermNode): Fragment {
    switch (term.kind) {
      case 'field':
        return this.field(term)
      case 'literal':
        return term.value === null ? this.#none(term.type) : this.#expressions.value(this.#scope.known(term), term.type)
      case 'now':
        return this.#now(term)
      case 'forever':
        return this.#expressions.forever()
      case 'orElse':
        return this.#orElse(term.term, this.value(term.term), this.value(term.otherwise))
      case 'claim':
        return this.#scope.laterFor(term).claim(term)
    }
  }

  #now(term: NowNode): Fragment {
    const { later } = this.#scope
    if (later !== undefined) return term.zone === undefined ? later.now : later.day(term.zone, term.days ?? 0)
    const now = this.#scope.knownNow()
    return this.#expressions.value(term.zone === undefined ? now : now.map((time) => timeOf(term, time as number)), 'time')
  }

  list(term: TermNode): Fragment {
    switch (term.kind) {
      case 'field':
        return this.#scope.columns(term.of).value(term.path, 'list')
      case 'literal':
        return term.value === null ? this.#none('list') : this.#expressions.listValue(literalValues(term), term.type)
      case 'orElse':
        return this.#orElse(term.term, this.#plain(term.term), this.#plain(term.otherwise))
      case 'claim':
        return this.#scope.laterFor(term).claims(term)
      case 'now':
      case 'forever':
        return this.#none('list')
    }
  }

  /** A text in lower case; converted here if it is known. */
  text(term: TermNode): Fragment {
    if (term.kind !== 'literal') return this.value(term)
    return this.#expressions.value(
      this.#scope.known(term).map((value) => lowerAscii(value as string)),
      'text',
    )
  }

  missing(term: TermNode): Test {
    switch (term.kind) {
      case 'field': {
        const empty = this.#isNull(term)
        return term.type === 'id' && !term.list ? sql<SqlBool>`(${empty} or ${this.#expressions.isBlank(this.field(term))})` : empty
      }
      case 'orElse':
        return all([this.missing(term.term), this.missing(term.otherwise)])
      case 'literal':
        return term.value === null ? YES : NO
      case 'now':
      case 'forever':
        return NO
      case 'claim':
        return this.#scope.laterFor(term).isMissing(term)
    }
  }

  /** The test that a column must pass to compare with anything: improper values equal nothing. */
  sound(term: TermNode): Test[] {
    switch (term.kind) {
      case 'field':
        return this.soundValue(this.value(term), term.type === 'other' ? 'text' : term.type)
      case 'orElse':
        return this.#soundEither(term)
      case 'claim':
      case 'literal':
      case 'now':
      case 'forever':
        return []
    }
  }

  /** The same for a term that is compared with a known one: of a time, the order leaves one bound to test. */
  soundBeside(term: TermNode, order: Order): Test[] {
    const { isInstant } = this.#expressions
    if (term.kind !== 'field' || term.type !== 'time' || isInstant === undefined) return this.sound(term)
    return [isInstant(this.value(term), order === '<' || order === '<=' ? 'first' : 'last')]
  }

  /** Each of the two by its own type: a blank is a valid text but not an id. */
  #soundEither(term: OrElseNode): Test[] {
    const first = this.sound(term.term)
    const otherwise = this.sound(term.otherwise)
    if (first.length === 0 && otherwise.length === 0) return []
    const missing = this.missing(term.term)
    const there = sql<SqlBool>`(${missing}) is not true`
    return [joined([all([missing, ...otherwise]), all([there, ...first])], ' or ', YES)]
  }

  soundValue(value: Fragment, type: Scalar): Test[] {
    const { hasNul, isInstant } = this.#expressions
    const whole = hasNul === undefined ? [] : [sql<SqlBool>`not ${hasNul(value)}`]
    if (type === 'id') return [sql<SqlBool>`not ${this.#expressions.isBlank(value)}`, ...whole]
    if (type === 'text') return whole
    if (type === 'time') return isInstant === undefined ? [] : [isInstant(value)]
    if (type !== 'integer' && type !== 'number') return []
    const largest = LARGEST[type]
    const [from, to] = [-largest, largest].map((bound) => this.#expressions.value(Known.constant(bound), type))
    return [sql<SqlBool>`${value} between ${from} and ${to}`]
  }

  soundPair(to: PlaceNode, from: TermNode, each: number): Test[] {
    const value = this.value(placeOf(to, each))
    const own = this.soundValue(value, to.type)
    return scalarOf(from) === to.type ? own : [...own, ...this.soundValue(value, scalarOf(from))]
  }

  #none(type: Scalar | 'list'): Fragment {
    return this.#expressions.missing?.(type) ?? sql`null`
  }

  key(value: Fragment, type: Scalar): Fragment {
    return this.#expressions.key?.(value, type) ?? value
  }

  #plain(term: TermNode): Fragment {
    const list = this.list(term)
    return this.#expressions.plainList?.(list) ?? list
  }

  #orElse(term: TermNode, first: Fragment, otherwise: Fragment): Fragment {
    const [one, other] = this.#expressions.mixed?.(first, otherwise) ?? [first, otherwise]
    // A missing value is a null column. A blank id is missing too. In JSON, null is a value, and the value of another type may count as
    // none.
    if (term.kind === 'field' && typeof term.of !== 'number' && term.path.length === 1 && !term.list && term.type !== 'id')
      return sql`coalesce(${one}, ${other})`
    return sql`case when ${this.missing(term)} then ${other} else ${one} end`
  }

  field({ of, path, type, list }: FieldNode): Fragment {
    const { value } = this.#scope.columns(of)
    return value(path, list ? 'list' : type === 'other' ? 'text' : type)
  }

  #isNull({ of, path, type, list }: FieldNode): Test {
    return this.#scope.columns(of).isNull(path, list ? 'list' : type)
  }
}
