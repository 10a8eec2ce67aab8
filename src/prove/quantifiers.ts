import {
  type AncestorsNode,
  allOfNode,
  type ConditionNode,
  compareNode,
  type ElementsNode,
  equality,
  type FieldNode,
  isList,
  notNode,
  onLinked,
  placeOf,
  type RecordsNode,
  type SomeNode,
  type TermNode,
  TRUE,
} from '../condition/index.js'
import { typeModel } from '../rulebook/index.js'
import { type Around, type Encoding, type Limits, nameOf } from './encoding.js'
import type { Individual, Slot } from './individuals.js'
import type { Literal } from './solver.js'

/**
 * What conditions say of other records: that there is one, which is made up then, or that there is none, which is said of each that is
 * made up.
 */
export class Quantifiers {
  /** Whether something was left out because of the limits. */
  isCut = false
  readonly #in: Encoding
  readonly #limits: Limits
  readonly #linked = new Map<string, Individual>()
  readonly #facts = new Map<string, Literal>()

  constructor(encoding: Encoding, limits: Limits) {
    this.#in = encoding
    this.#limits = limits
  }

  some(node: SomeNode, around: Around, result: boolean): Literal {
    const { over } = node
    switch (over.kind) {
      case 'records': {
        const is = result ? this.#someRecord(node, over, around) : this.#noRecord(node, over, around)
        return node.least === undefined ? is : this.#in.all([is, this.whether(node, around, result)])
      }
      case 'elements':
        return result ? this.#someElement(node, over, around) : this.#noElement(node, over, around)
      case 'ancestors':
        return this.#in.all([
          result ? this.#someAbove(node, over, around) : this.#noneAbove(node, over, around),
          this.whether(node, around, result),
        ])
    }
  }

  /** The same condition of the same records holds or does not, whatever else is claimed of it. */
  whether(node: ConditionNode, around: Around, result: boolean): Literal {
    const name = `${JSON.stringify(node)} ${nameOf(around)}`
    const is = this.#facts.get(name) ?? this.#in.values.solver.variable()
    this.#facts.set(name, is)
    return result ? is : -is
  }

  #isBeyond(depth: number): boolean {
    return depth > this.#limits.depth || this.#in.individuals.all.length >= this.#limits.individuals
  }

  /** An individual on which a condition holds wherever the literal does. Undefined beyond the limits. */
  #witness(make: (exists: Literal, depth: number) => Individual, around: Around, fits: (one: Individual) => readonly Literal[]): Literal {
    const { solver } = this.#in.values
    const depth = depthIn(around)
    const is = solver.variable()
    if (this.#isBeyond(depth)) {
      this.isCut = true
      return is
    }
    const one = make(solver.variable(), depth)
    solver.add([-is, one.exists])
    for (const literal of fits(one)) solver.add([-is, literal])
    return is
  }

  #someRecord({ each, of, least = 1 }: SomeNode, over: RecordsNode, around: Around): Literal {
    const joins = over.by.map((join) => equality(join, each))
    const fits = (one: Individual) => [...joins, of].map((part) => this.#in.encodeLowered(part, { ...around, [each]: one }, true))
    const reached = this.#byKey(over, around)
    if (reached !== undefined && least === 1) {
      return this.#in.all([reached.exists, ...fits(reached)])
    }
    const found: Individual[] = []
    const witness = () =>
      this.#witness(
        (exists, depth) => this.#in.record(over.type, true, exists, depth),
        around,
        (one) => {
          const apart = found.map((other) => this.#otherThan(one, other))
          found.push(one)
          return [...fits(one), ...apart]
        },
      )
    return this.#in.all(Array.from({ length: least }, witness))
  }

  /** The record that a link to a key leads to: the same one for everything that follows it from there. */
  #byKey(over: RecordsNode, around: Around): Individual | undefined {
    const { keys } = typeModel(this.#in.model, over.type)
    const isKey =
      keys.length === over.by.length &&
      over.by.every(({ to, from }) => keys.includes(to.path.join('.')) && !to.list && !to.ignoringCase && !isList(from))
    if (!isKey) return undefined
    const ends = over.by.map(({ to, from }) => `${to.path.join('.')}=${this.#nameOf(from, around)}`)
    const name = `${over.type} ${ends.sort().join()}`
    const there = this.#linked.get(name)
    if (there !== undefined) return there
    const depth = depthIn(around)
    if (this.#isBeyond(depth)) return undefined
    const made = this.#in.record(over.type, true, this.#in.values.solver.variable(), depth)
    this.#linked.set(name, made)
    return made
  }

  /** The same for terms that have the same value in every world. */
  #nameOf(term: TermNode, around: Around): string {
    switch (term.kind) {
      case 'field':
      case 'claim': {
        // Text and an id share a value, but blank text is only as an id missing.
        const { value, there } = this.#in.slot(term, around)
        return `${value.id} ${there}`
      }
      case 'orElse':
        return `${this.#nameOf(term.term, around)} or ${this.#nameOf(term.otherwise, around)}`
      case 'literal':
      case 'now':
      case 'forever':
        return JSON.stringify(term)
    }
  }

  #otherThan(one: Individual, other: Individual): Literal {
    const others = this.#in.individuals.key(other)
    return this.#in.any(this.#in.individuals.key(one).map((slot, at) => -this.#in.values.equal(slot.value, (others[at] as Slot).value)))
  }

  /** No record at all, or fewer than so many. Of several, nothing is claimed. */
  #noRecord({ each, of, least = 1 }: SomeNode, over: RecordsNode, around: Around): Literal {
    if (least > 1) return this.#in.values.solver.variable()
    const joins = over.by.map((join) => equality(join, each))
    return this.#none((one) => one.stored && one.type === over.type, each, allOfNode([...joins, of]), around)
  }

  /** A literal that holds only where the condition fails on every individual that is covered. */
  #none(covers: (one: Individual) => boolean, each: number, fits: ConditionNode, around: Around): Literal {
    const is = this.#in.values.solver.variable()
    this.#in.everyOne({ if: is, covers, follows: (one) => this.#in.encodeLowered(fits, { ...around, [each]: one }, false) })
    return is
  }

  #someElement({ each, of }: SomeNode, { list }: ElementsNode, around: Around): Literal {
    const { slot, kind } = this.#elements(list, around)
    return this.#witness(
      (exists, depth) => this.#in.individuals.make({ ...kind, exists, depth }),
      around,
      (one) => [slot.there, this.#in.encodeLowered(of, { ...around, [each]: one }, true)],
    )
  }

  #noElement({ each, of }: SomeNode, { list }: ElementsNode, around: Around): Literal {
    const { kind } = this.#elements(list, around)
    return this.#none(({ type }) => type === kind.type, each, of, around)
  }

  /** The list of a record with objects, and what its objects are. */
  #elements(list: FieldNode, around: Around) {
    const owner = around[list.of] as Individual
    const slot = this.#in.individuals.slot(owner, list.path, { type: 'other', list: true })
    return { slot, kind: { type: `${owner.id} ${list.path.join('.')}`, fields: slot.field.fields ?? {}, stored: false } }
  }

  /** Another record of the type: above by one step, or somehow further up, of which nothing is claimed. */
  #someAbove({ each, of }: SomeNode, over: AncestorsNode, around: Around): Literal {
    const [step, itself] = [stepOf(over, each), isItself(over, each)]
    return this.#witness(
      (exists, depth) => this.#in.record(over.type, true, exists, depth),
      around,
      (one) => {
        const at = { ...around, [each]: one }
        const further = this.#in.values.solver.variable()
        return [
          this.#in.any([this.#in.encodeLowered(step, at, true), further]),
          this.#in.encodeLowered(itself, at, false),
          this.#in.encodeLowered(of, at, true),
        ]
      },
    )
  }

  /** No record that the first step leads to. Of those further up, nothing is claimed. */
  #noneAbove({ each, of }: SomeNode, over: AncestorsNode, around: Around): Literal {
    const fits = allOfNode([stepOf(over, each), notNode(isItself(over, each)), of])
    return this.#none((one) => one.stored && one.type === over.type, each, fits, around)
  }
}

/** The first step of a chain. */
function stepOf({ by, link }: AncestorsNode, each: number): ConditionNode {
  return allOfNode([...by.map((join) => equality(join, each)), onLinked(link, each, TRUE)])
}

/** Whether a record is the one that the chain begins with. */
function isItself({ keys, self }: AncestorsNode, each: number): ConditionNode {
  return allOfNode(keys.map((place, at) => compareNode(placeOf(place, each), 'is', self[at] as TermNode)))
}

/** One more than what it is made up because of. */
function depthIn(around: Around): number {
  return Math.max(0, ...Object.values(around).map((one) => one.depth)) + 1
}
