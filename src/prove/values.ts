import { type Comparable, operatorOf } from '../condition/index.js'
import { type Classes, classesOf } from './classes.js'
import { cycleIn, type Edge, ORIGIN, valuesFrom } from './differences.js'
import { type Clause, type Literal, Solver } from './solver.js'
import { type Family, isForever, type List, type TextRelation, type Value } from './terms.js'

interface Pair<Left> {
  readonly left: Left
  readonly right: Value
  readonly is: Literal
}
type Relation = Pair<Value> & { readonly by: TextRelation }

/**
 * Statements about values as literals of a solver. What they mean is told to the solver when it matters: `disagreement` finds what is
 * wrong with a world that the solver found, as clauses that hold in every world.
 */
export class Values {
  readonly solver = new Solver()
  /** A literal that is true. */
  readonly yes: Literal
  readonly #values: Value[] = []
  readonly #literals = new Map<string, Value>()
  readonly #equalities = new Map<string, Pair<Value>>()
  readonly #orders = new Map<string, Pair<Value>>()
  readonly #truths = new Map<number, Literal>()
  readonly #relations = new Map<string, Relation>()
  readonly #members = new Map<string, Pair<List>>()
  readonly #overlaps = new Map<string, { readonly left: List; readonly right: List; readonly is: Literal }>()
  readonly #loose = new Map<string, Literal>()
  readonly #looseBy: { readonly list: List; readonly value: Value }[] = []
  readonly #offsets: Edge[] = []
  #lists = 0

  constructor() {
    this.yes = this.solver.variable(true)
    this.solver.add([this.yes])
  }

  /** All values so far. */
  get all(): readonly Value[] {
    return this.#values
  }

  value(family: Family, whole = false): Value {
    const value = Object.freeze({ id: this.#values.length, family, whole: whole || family === 'time' })
    this.#values.push(value)
    return value
  }

  literal(family: Family, known: Comparable): Value {
    // Both zeros are equal.
    const key = `${family} ${known === 0 ? 0 : known}`
    const there = this.#literals.get(key)
    if (there !== undefined) return there
    const value = Object.freeze({ id: this.#values.length, family, whole: Number.isInteger(known), known: known === 0 ? 0 : known })
    this.#values.push(value)
    this.#literals.set(key, value)
    if (typeof known === 'number' && Number.isFinite(known)) {
      this.#offsets.push(
        { from: ORIGIN, to: value.id, most: known, strict: false },
        { from: value.id, to: ORIGIN, most: -known, strict: false },
      )
    }
    return value
  }

  list(): List {
    this.#lists += 1
    return Object.freeze({ id: this.#lists })
  }

  /** One time is exactly so many milliseconds after another. */
  apart(earlier: Value, later: Value, by: number): void {
    this.#offsets.push(
      { from: earlier.id, to: later.id, most: by, strict: false },
      { from: later.id, to: earlier.id, most: -by, strict: false },
    )
  }

  /** Whether a boolean is true. */
  truth(value: Value): Literal {
    if (value.known !== undefined) return value.known === true ? this.yes : -this.yes
    const there = this.#truths.get(value.id) ?? this.solver.variable()
    this.#truths.set(value.id, there)
    return there
  }

  equal(a: Value, b: Value): Literal {
    if (a === b) return this.yes
    if (a.family !== b.family) return -this.yes
    if (a.known !== undefined && b.known !== undefined) return -this.yes
    if (isForever(a) || isForever(b)) return -this.yes
    const [left, right] = a.id < b.id ? [a, b] : [b, a]
    const key = `${left.id} ${right.id}`
    const there = this.#equalities.get(key)
    if (there !== undefined) return there.is
    const is = this.solver.variable()
    this.#equalities.set(key, { left, right, is })
    if (left.family === 'boolean') {
      const [p, q] = [this.truth(left), this.truth(right)]
      for (const clause of [
        [-is, -p, q],
        [-is, p, -q],
        [is, p, q],
        [is, -p, -q],
      ])
        this.solver.add(clause)
    } else if (left.family !== 'text') {
      const [less, more] = [this.less(left, right), this.less(right, left)]
      for (const clause of [
        [is, less, more],
        [-is, -less],
        [-is, -more],
        [-less, -more],
      ])
        this.solver.add(clause)
    }
    return is
  }

  /** Whether a number or a time is less than another. */
  less(a: Value, b: Value): Literal {
    if (a === b) return -this.yes
    if (a.known !== undefined && b.known !== undefined) return a.known < b.known ? this.yes : -this.yes
    if (isForever(b)) return this.yes
    if (isForever(a)) return -this.yes
    const key = `${a.id} ${b.id}`
    const there = this.#orders.get(key)
    if (there !== undefined) return there.is
    const is = this.solver.variable()
    this.#orders.set(key, { left: a, right: b, is })
    return is
  }

  /** Whether a text starts with another, and the like. */
  relates(by: TextRelation, left: Value, right: Value): Literal {
    if (left.known !== undefined && right.known !== undefined) return operatorOf(by).compare(left.known, right.known) ? this.yes : -this.yes
    if (left === right) return this.yes
    if (by === 'isIgnoringCase' && (left.known !== undefined || (right.known === undefined && left.id > right.id)))
      return this.relates(by, right, left)
    const key = `${by} ${left.id} ${right.id}`
    const there = this.#relations.get(key)
    if (there !== undefined) return there.is
    const is = this.solver.variable()
    for (const other of this.#relations.values()) this.#relate({ by, left, right, is }, other)
    this.#relations.set(key, { by, left, right, is })
    // Every text relates to itself in all of these ways.
    this.solver.add([-this.equal(left, right), is])
    return is
  }

  /** Two relations of one text with known texts: one may follow from the other, or exclude it. */
  #relate(one: Relation, other: Relation): void {
    if (one.by !== other.by || one.left !== other.left) return
    const [a, b] = [one.right.known, other.right.known]
    if (typeof a !== 'string' || typeof b !== 'string') return
    const { compare } = operatorOf(one.by)
    if (compare(a, b)) this.solver.add([-one.is, other.is])
    if (compare(b, a)) this.solver.add([-other.is, one.is])
    if (one.by !== 'contains' && !compare(a, b) && !compare(b, a)) this.solver.add([-one.is, -other.is])
  }

  /** Whether a list has an element that equals a value. */
  has(list: List, value: Value): Literal {
    const key = `${list.id} ${value.id}`
    const there = this.#members.get(key)
    if (there !== undefined) return there.is
    const is = this.solver.variable()
    this.#members.set(key, { left: list, right: value, is })
    return is
  }

  /** Whether two lists have a value in common. Where they do, there is such a value. */
  overlap(a: List, b: List, family: Family): Literal {
    const [left, right] = a.id < b.id ? [a, b] : [b, a]
    const key = `${left.id} ${right.id}`
    const there = this.#overlaps.get(key)
    if (there !== undefined) return there.is
    const is = this.solver.variable()
    const common = this.value(family)
    for (const list of [left, right]) this.solver.add([-is, this.has(list, common)])
    this.#overlaps.set(key, { left, right, is })
    return is
  }

  /** Whether a list has a text in any letter case. Where it has, there is such a text. */
  hasIgnoringCase(list: List, value: Value): Literal {
    const key = `${list.id} ${value.id}`
    const there = this.#loose.get(key)
    if (there !== undefined) return there
    const is = this.solver.variable()
    const alike = this.value('text')
    this.solver.add([-is, this.has(list, alike)])
    this.solver.add([-is, this.relates('isIgnoringCase', alike, value)])
    this.solver.add([-this.has(list, value), is])
    this.#loose.set(key, is)
    this.#looseBy.push({ list, value })
    return is
  }

  /** The texts of which it matters whether a list has them in any letter case. */
  looseOf(list: List): readonly Value[] {
    return this.#looseBy.filter((one) => one.list === list).map(({ value }) => value)
  }

  /** What is known to be or not to be in a list. */
  elementsOf(list: List): readonly { readonly value: Value; readonly is: Literal }[] {
    return [...this.#members.values()].filter(({ left }) => left === list).map(({ right, is }) => ({ value: right, is }))
  }

  /** The text relations in which a value is the left side. */
  relationsOf(value: Value): readonly { readonly by: TextRelation; readonly right: Value; readonly is: Literal }[] {
    return [...this.#relations.values()].filter(({ left }) => left === value)
  }

  /** Which values are equal in the world that the solver found. */
  classes(): Classes {
    return classesOf(
      this.#values,
      [...this.#equalities.values()].filter(({ is }) => this.solver.holds(is)),
    )
  }

  /** What is wrong with the world that the solver found: clauses that hold in every world, and not in this one. */
  disagreement(classes: Classes): readonly Clause[] {
    return [...this.#unequal(classes), ...this.#unlike(classes), ...this.#apart(classes), ...this.#unordered()]
  }

  /** The numbers and times of the world that the solver found. `step` is the least difference of two that differ and need not be whole. */
  numbers(step: number): ReadonlyMap<number, number> | undefined {
    const edges = this.#edges()
    const found = new Map<number, number>()
    // Apart, so that the numbers of a rule do not move its times.
    for (const family of ['number', 'time'])
      for (const [id, at] of valuesFrom(
        edges.filter(({ from, to }) => [from, to].every((one) => one === ORIGIN || this.#values[one]?.family === family)),
        step,
      ))
        found.set(id, at)
    return 'cycle' in cycleIn(edges, step) ? undefined : found
  }

  #unequal({ of, path, known }: Classes): Clause[] {
    const clauses: Clause[] = []
    for (const { left, right, is } of this.#equalities.values())
      if (!this.solver.holds(is) && of(left) === of(right)) clauses.push([...path(left, right).map(negative), is])
    for (const value of this.#literals.values()) {
      const other = known(value)
      if (other !== undefined && other !== value) clauses.push(path(value, other).map(negative))
    }
    return clauses
  }

  /** Equal values have to be in the same lists, and to relate to the same texts. */
  #unlike({ of, path, known }: Classes): Clause[] {
    const clauses: Clause[] = []
    const firsts = new Map<string, Pair<List>>()
    for (const one of this.#members.values()) {
      const key = `${one.left.id} ${of(one.right)}`
      const first = firsts.get(key) ?? one
      firsts.set(key, first)
      if (this.solver.holds(first.is) === this.solver.holds(one.is)) continue
      const [yes, no] = this.solver.holds(one.is) ? [one, first] : [first, one]
      clauses.push([...path(yes.right, no.right).map(negative), -yes.is, no.is])
    }
    const relations = new Map<string, Relation>()
    for (const one of this.#relations.values()) {
      const [left, right] = [known(one.left), known(one.right)]
      if (left !== undefined && right !== undefined) {
        const really = this.relates(one.by, left, right) === this.yes
        if (really !== this.solver.holds(one.is))
          clauses.push([...path(one.left, left).map(negative), ...path(one.right, right).map(negative), really ? one.is : -one.is])
        continue
      }
      const key = `${one.by} ${of(one.left)} ${of(one.right)}`
      const first = relations.get(key) ?? one
      relations.set(key, first)
      if (this.solver.holds(first.is) === this.solver.holds(one.is)) continue
      const [yes, no] = this.solver.holds(one.is) ? [one, first] : [first, one]
      clauses.push([...path(yes.left, no.left).map(negative), ...path(yes.right, no.right).map(negative), -yes.is, no.is])
    }
    return clauses
  }

  /** Lists that have nothing in common do not have equal elements. */
  #apart({ of, path }: Classes): Clause[] {
    const clauses: Clause[] = []
    for (const { left, right, is } of this.#overlaps.values()) {
      if (this.solver.holds(is)) continue
      const others = this.elementsOf(right).filter((one) => this.solver.holds(one.is))
      for (const one of this.elementsOf(left).filter((one) => this.solver.holds(one.is)))
        for (const other of others)
          if (of(one.value) === of(other.value)) clauses.push([...path(one.value, other.value).map(negative), -one.is, -other.is, is])
    }
    return clauses
  }

  #unordered(): Clause[] {
    const found = cycleIn(this.#edges(), 0)
    return 'values' in found ? [] : [found.cycle.flatMap(({ because }) => (because === undefined ? [] : [-because]))]
  }

  #edges(): Edge[] {
    const edges = [...this.#offsets]
    for (const { left, right, is } of this.#orders.values()) {
      const whole = left.whole && right.whole
      // a < b: a - b is less than 0, of whole numbers at most -1. Otherwise b - a is at most 0.
      if (this.solver.holds(is)) edges.push({ from: right.id, to: left.id, most: whole ? -1 : 0, strict: !whole, because: is })
      else edges.push({ from: left.id, to: right.id, most: 0, strict: false, because: -is })
    }
    return edges
  }
}

function negative(literal: Literal): Literal {
  return -literal
}
