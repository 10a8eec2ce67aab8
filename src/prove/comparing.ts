import {
  type Comparison,
  family,
  isMissing,
  type LiteralNode,
  type NowNode,
  operatorOf,
  type Scalar,
  toComparable,
} from '../condition/index.js'
import { scalarOf } from './individuals.js'
import type { Literal } from './solver.js'
import { isForever, type List, type Slot, type Value } from './terms.js'
import type { Values } from './values.js'

/** A side of a comparison: one value, known elements, or a list of a world. */
export type Side =
  | { readonly kind: 'one'; readonly type: Scalar; readonly proper: Literal; readonly value: Value }
  | { readonly kind: 'some'; readonly type: Scalar; readonly elements: readonly Value[] }
  | { readonly kind: 'list'; readonly type: Scalar; readonly there: Literal; readonly list: List; readonly values?: readonly Value[] }

type Join = (literals: readonly Literal[]) => Literal
const DAY = 86_400_000

/** Comparisons as literals: they hold only where the comparison has a result. */
export class Comparing {
  readonly #values: Values
  readonly #all: Join
  readonly #any: Join
  readonly #isPlain: boolean
  readonly #times = new Map<string, Value>()

  /** With `isPlain`, the days that rules call today have their noon now. */
  constructor(values: Values, all: Join, any: Join, isPlain: boolean) {
    this.#values = values
    this.#isPlain = isPlain
    this.#all = all
    this.#any = any
  }

  /** The time of the operation, and the days that rules call today, as they are named in rules. */
  get times(): ReadonlyMap<string, Value> {
    return this.#times
  }

  isThere({ value, list }: LiteralNode): boolean {
    return value !== null && (list === true || !isMissing(value, 'other'))
  }

  ofSlot({ field, there, proper, value, list }: Slot, asList: boolean): Side {
    const type = scalarOf(field)
    if (!asList || list === undefined) return { kind: 'one', type, proper, value }
    const values = field.values?.map((one) => this.#values.literal(family(type), one))
    return { kind: 'list', type, there, list, ...(values === undefined ? {} : { values }) }
  }

  ofLiteral({ type, value }: LiteralNode, asList: boolean): Side {
    const known = (one: unknown) => {
      const comparable = toComparable(one, type)
      return comparable === undefined ? [] : [this.#values.literal(family(type), comparable)]
    }
    if (asList) return { kind: 'some', type, elements: Array.isArray(value) ? value.flatMap(known) : [] }
    const [only] = value === null ? [] : known(value)
    const { yes } = this.#values
    return { kind: 'one', type, proper: only === undefined ? -yes : yes, value: only ?? this.#values.value(family(type)) }
  }

  ofTime({ zone, days = 0 }: NowNode): Side {
    return { kind: 'one', type: 'time', proper: this.#values.yes, value: this.time(zone, days) }
  }

  ofForever(): Side {
    return { kind: 'one', type: 'time', proper: this.#values.yes, value: this.#values.literal('time', Number.POSITIVE_INFINITY) }
  }

  /** `now`, or the midnight of a day. The days of one zone are so many days apart. */
  time(zone?: string, days = 0): Value {
    const name = zone === undefined ? '' : `${zone} ${days}`
    const there = this.#times.get(name)
    if (there !== undefined) return there
    const value = this.#values.value('time')
    this.#times.set(name, value)
    if (zone !== undefined && days !== 0) this.#values.apart(this.time(zone), value, days * DAY)
    if (zone !== undefined && days === 0 && this.#isPlain) this.#values.apart(value, this.time(), DAY / 2)
    return value
  }

  compare(by: Comparison, left: Side, right: Side, result: boolean): Literal {
    const ways = this.#ways(by, left, right)
    // Each way is a list of literals that have to hold together, and one of the ways is enough.
    return result ? this.#any(ways.map((way) => this.#all(way))) : this.#all(ways.map((way) => this.#any(way.map((one) => -one))))
  }

  #ways(by: Comparison, left: Side, right: Side): readonly (readonly Literal[])[] {
    if (operatorOf(by).lists === 'both') return this.#overlaps(left, right)
    const [list, one] = left.kind === 'one' ? [right, left] : [left, right]
    if (one.kind !== 'one') return []
    if (list.kind === 'some') return list.elements.map((element) => [one.proper, this.#between(by, element, one)])
    if (list.kind === 'list') {
      if (isLoose(by)) return [[list.there, one.proper, this.#values.hasIgnoringCase(list.list, one.value)]]
      return this.#among(list, one.value).map((way) => [list.there, one.proper, ...way])
    }
    const [a, b] = [left, right] as readonly Extract<Side, { kind: 'one' }>[]
    if (a === undefined || b === undefined) return []
    return [[a.proper, b.proper, this.#relation(by, a.value, b.value)]]
  }

  /** How a list has a value: of a list with few possible elements, one of them. */
  #among({ list, values }: Extract<Side, { kind: 'list' }>, value: Value): readonly (readonly Literal[])[] {
    if (values === undefined || value.known !== undefined) {
      const isImpossible = values !== undefined && !values.includes(value)
      return isImpossible ? [] : [[this.#values.has(list, value)]]
    }
    return values.map((one) => [this.#values.equal(one, value), this.#values.has(list, one)])
  }

  #overlaps(left: Side, right: Side): readonly (readonly Literal[])[] {
    const [a, b] = left.kind === 'some' ? [right, left] : [left, right]
    if (a.kind === 'some' && b.kind === 'some') return a.elements.some((one) => b.elements.includes(one)) ? [[]] : []
    if (a.kind !== 'list') return []
    if (b.kind === 'some') return b.elements.flatMap((one) => this.#among(a, one).map((way) => [a.there, ...way]))
    if (b.kind !== 'list') return []
    const possible = a.values ?? b.values
    if (possible !== undefined)
      return possible.map((one) => [a.there, b.there, this.#values.has(a.list, one), this.#values.has(b.list, one)])
    // Any value at all may be in both.
    return [[a.there, b.there, this.#values.overlap(a.list, b.list, family(a.type))]]
  }

  #between(by: Comparison, element: Value, { value }: Extract<Side, { kind: 'one' }>): Literal {
    return isLoose(by) ? this.#values.relates('isIgnoringCase', element, value) : this.#values.equal(element, value)
  }

  #relation(by: Comparison, a: Value, b: Value): Literal {
    switch (by) {
      case 'is':
        return this.#values.equal(a, b)
      case 'isLessThan':
      case 'isBefore':
        return this.#values.less(a, b)
      case 'isMoreThan':
      case 'isAfter':
        return this.#values.less(b, a)
      case 'isAtMost':
        return isForever(a) && isForever(b) ? this.#values.yes : -this.#values.less(b, a)
      case 'isAtLeast':
        return isForever(a) && isForever(b) ? this.#values.yes : -this.#values.less(a, b)
      case 'startsWith':
      case 'endsWith':
      case 'contains':
      case 'isIgnoringCase':
        return this.#values.relates(by, a, b)
      case 'isOneOf':
      case 'has':
      case 'hasIgnoringCase':
      case 'overlaps':
        throw new Error(`${by} compares a list`)
    }
  }
}

function isLoose(by: Comparison): boolean {
  return operatorOf(by).lookup === 'equalityIgnoringCase'
}
