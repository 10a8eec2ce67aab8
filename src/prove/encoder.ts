import {
  allOfNode,
  type ClaimNode,
  type CompareNode,
  type ConditionNode,
  compareNode,
  type FieldNode,
  listSides,
  lower,
  notNode,
  presenceNode,
  type TermNode,
} from '../condition/index.js'
import { type Model, typeModel } from '../rulebook/index.js'
import { Comparing } from './comparing.js'
import { type Around, type Encoding, type Limits, nameOf, type Universal } from './encoding.js'
import { type Individual, Individuals, type Slot } from './individuals.js'
import { Person } from './person.js'
import { Quantifiers } from './quantifiers.js'
import type { Literal } from './solver.js'
import type { Value } from './terms.js'
import { Values } from './values.js'

/**
 * Conditions as literals of a solver that hold in a world only if the condition does. A `some` that has to hold makes up an individual on which
 * it does; one that must not hold fails on every individual there is. Whatever is left out only adds worlds: so if no world is left, there is
 * none at all. Source: J. Herbrand, Recherches sur la théorie de la démonstration, 1930.
 */
export class Encoder implements Encoding {
  readonly model: Model
  readonly values = new Values()
  readonly individuals: Individuals
  readonly #comparing: Comparing
  readonly #person: Person
  readonly #quantifiers: Quantifiers
  /** With the individuals that each was already said of. */
  readonly #universals = new Map<Universal, Set<number>>()
  readonly #known = new Map<string, Literal>()
  readonly #numbers = new WeakMap<object, number>()
  #numbered = 0

  constructor(model: Model, limits: Limits) {
    this.model = model
    this.individuals = new Individuals(model, this.values)
    this.#comparing = new Comparing(
      this.values,
      (literals) => this.all(literals),
      (literals) => this.any(literals),
    )
    this.#person = new Person(this)
    this.#quantifiers = new Quantifiers(this, limits)
  }

  /** The claims. */
  get me(): Individual {
    return this.#person.me
  }

  get signedIn(): Literal {
    return this.#person.signedIn
  }

  /** Whether something was left out because of the limits. */
  get isCut(): boolean {
    return this.#quantifiers.isCut
  }

  everyOne(universal: Universal): void {
    this.#universals.set(universal, new Set())
  }

  /** The times that conditions name: `now` is the empty name, and a day has its zone and its number. */
  get times(): ReadonlyMap<string, Value> {
    return this.#comparing.times
  }

  /** A record of a type in every world. */
  record(type: string, stored: boolean, exists: Literal = this.values.yes, depth = 0): Individual {
    return this.individuals.make({ type, fields: typeModel(this.model, type).fields, exists, stored, depth })
  }

  /** A literal that holds only where the condition has this result. */
  encode(node: ConditionNode, around: Around, result = true): Literal {
    return this.encodeLowered(lower(node), around, result)
  }

  /**
   * Says of the individuals in the world that was found what has to hold of all, as far as it was not said before. Returns whether anything
   * was said. What the world does not have may stay unsaid: a world with it is found later, if at all.
   */
  spread(): boolean {
    const { solver } = this.values
    const there = this.individuals.all.filter((one) => solver.holds(one.exists))
    // All first, because the world is gone as soon as something is said.
    const open = [...this.#universals]
      .filter(([universal]) => solver.holds(universal.if))
      .flatMap(([universal, said]) =>
        there.filter((one) => !said.has(one.id) && universal.covers(one)).map((one) => ({ universal, said, one })),
      )
    for (const { universal, said, one } of open) {
      said.add(one.id)
      solver.add([-universal.if, -one.exists, universal.follows(one)])
    }
    return open.length > 0
  }

  all(literals: readonly Literal[]): Literal {
    const { yes, solver } = this.values
    const open = [...new Set(literals)].filter((one) => one !== yes)
    if (open.includes(-yes)) return -yes
    if (open.length < 2) return open[0] ?? yes
    const is = solver.variable()
    for (const one of open) solver.add([-is, one])
    return is
  }

  any(literals: readonly Literal[]): Literal {
    const { yes, solver } = this.values
    const open = [...new Set(literals)].filter((one) => one !== -yes)
    if (open.includes(yes)) return yes
    if (open.length < 2) return open[0] ?? -yes
    const is = solver.variable()
    solver.add([-is, ...open])
    return is
  }

  encodeLowered(node: ConditionNode, around: Around, result: boolean): Literal {
    const key = `${this.#numberOf(node)} ${result} ${nameOf(around)}`
    const known = this.#known.get(key)
    if (known !== undefined) return known
    const is = this.#made(node, around, result)
    this.#known.set(key, is)
    return is
  }

  #numberOf(node: object): number {
    const there = this.#numbers.get(node)
    if (there !== undefined) return there
    this.#numbered += 1
    this.#numbers.set(node, this.#numbered)
    return this.#numbered
  }

  #made(node: ConditionNode, around: Around, result: boolean): Literal {
    const { yes } = this.values
    switch (node.kind) {
      case 'constant':
        return node.value === result ? yes : -yes
      case 'named':
        return this.encodeLowered(node.of, around, result)
      case 'not':
        return this.encodeLowered(node.of, around, !result)
      case 'allOf':
      case 'anyOf': {
        const parts = node.of.map((part) => this.encodeLowered(part, around, result))
        return (node.kind === 'allOf') === result ? this.all(parts) : this.any(parts)
      }
      case 'presence': {
        const there = this.#there(node.term, around)
        return node.present === result ? there.is : there.isNot
      }
      case 'compare':
        return this.#compare(node, around, result)
      case 'listChange':
        // Nothing is claimed about it. If a world depends on it, evaluation decides.
        return this.#quantifiers.whether(node, around, result)
      case 'some':
        return this.#quantifiers.some(node, around, result)
    }
  }

  /** Whether a term has a value, and whether it has none. */
  #there(term: TermNode, around: Around): { readonly is: Literal; readonly isNot: Literal } {
    const { yes } = this.values
    switch (term.kind) {
      case 'literal': {
        const is = this.#comparing.isThere(term) ? yes : -yes
        return { is, isNot: -is }
      }
      case 'now':
      case 'forever':
        return { is: yes, isNot: -yes }
      case 'field':
      case 'claim': {
        const { there } = this.slot(term, around)
        return { is: there, isNot: -there }
      }
      case 'orElse': {
        const [one, other] = [this.#there(term.term, around), this.#there(term.otherwise, around)]
        return { is: this.any([one.is, other.is]), isNot: this.all([one.isNot, other.isNot]) }
      }
    }
  }

  slot(term: FieldNode | ClaimNode, around: Around): Slot {
    if (term.kind === 'field') return this.individuals.slot(around[term.of] as Individual, term.path, term)
    return this.#person.claim(term.path, term)
  }

  #compare(node: CompareNode, around: Around, result: boolean): Literal {
    const { left, right, by } = node
    for (const [term, other] of [
      [left, (one: TermNode) => compareNode(one, by, right)],
      [right, (one: TermNode) => compareNode(left, by, one)],
    ] as const)
      if (term.kind === 'orElse') {
        const there = presenceNode(term.term, true)
        const first = allOfNode([there, other(term.term)])
        const second = allOfNode([notNode(there), other(term.otherwise)])
        const parts = [first, second].map((part) => this.encodeLowered(part, around, result))
        return result ? this.any(parts) : this.all(parts)
      }
    const [lefts, rights] = listSides(by)
    const sides = [this.#side(left, lefts, around), this.#side(right, rights, around)] as const
    return this.#comparing.compare(by, sides[0], sides[1], result)
  }

  #side(term: TermNode, list: boolean, around: Around) {
    switch (term.kind) {
      case 'field':
      case 'claim':
        return this.#comparing.ofSlot(this.slot(term, around), list)
      case 'literal':
        return this.#comparing.ofLiteral(term, list)
      case 'now':
        return this.#comparing.ofTime(term)
      case 'forever':
        return this.#comparing.ofForever()
      case 'orElse':
        throw new Error('the alternatives of a term are compared one by one')
    }
  }
}
