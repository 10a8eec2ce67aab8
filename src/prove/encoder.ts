import { type ConditionNode, lower } from '../condition/index.js'
import { type Model, typeModel } from '../rulebook/index.js'
import { Comparing } from './comparing.js'
import { Conditions } from './conditions.js'
import type { Around, Change, Limits, Universal, Worlds } from './encoding.js'
import { Individuals } from './individuals.js'
import type { Literal } from './solver.js'
import type { Individual, Value } from './terms.js'
import { Values } from './values.js'

/**
 * Conditions as literals of a solver that hold in a world only if the condition does. A `some` that has to hold makes up an individual on which
 * it does; one that must not hold fails on every individual there is. Whatever is left out only adds worlds: so if no world is left, there is
 * none at all. Source: J. Herbrand, Recherches sur la théorie de la démonstration, 1930.
 */
export class Encoder implements Worlds {
  readonly model: Model
  readonly limits: Limits
  readonly isPlain: boolean
  readonly values = new Values()
  readonly individuals: Individuals
  readonly comparing: Comparing
  readonly #stored: Conditions
  /** With the individuals that each was already said of. */
  readonly #universals = new Map<Universal, Set<number>>()
  readonly #numbers = new WeakMap<object, number>()
  #numbered = 0
  #isCut = false

  constructor(model: Model, limits: Limits, isPlain = false) {
    this.model = model
    this.limits = limits
    this.isPlain = isPlain
    this.individuals = new Individuals(model, this.values)
    this.comparing = new Comparing(
      this.values,
      (literals) => this.all(literals),
      (literals) => this.any(literals),
      isPlain,
    )
    this.#stored = new Conditions(this)
  }

  /** The claims. */
  get me(): Individual {
    return this.#stored.person.me
  }

  get signedIn(): Literal {
    return this.#stored.person.signedIn
  }

  /** Whether something was left out because of the limits. */
  get isCut(): boolean {
    return this.#isCut
  }

  cut(): void {
    this.#isCut = true
  }

  everyOne(universal: Universal): void {
    this.#universals.set(universal, new Set())
  }

  /** The times that conditions name: `now` is the empty name, and a day has its zone and its number. */
  get times(): ReadonlyMap<string, Value> {
    return this.comparing.times
  }

  /** A record of a type in every world. */
  record(type: string, stored: boolean, exists: Literal = this.values.yes, depth = 0): Individual {
    return this.individuals.make({ type, fields: typeModel(this.model, type).fields, exists, stored, depth })
  }

  /** A literal that holds only where the condition has this result. */
  encode(node: ConditionNode, around: Around, result = true): Literal {
    return this.#stored.encodeLowered(lower(node), around, result)
  }

  /** The same conditions as they are after a write. */
  afterwards(change: Change): (node: ConditionNode, around: Around, result?: boolean) => Literal {
    const changed = new Conditions(this, { base: this.#stored, change })
    return (node, around, result = true) => changed.encodeLowered(lower(node), around, result)
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

  numberOf(node: object): number {
    const there = this.#numbers.get(node)
    if (there !== undefined) return there
    this.#numbered += 1
    this.#numbers.set(node, this.#numbered)
    return this.#numbered
  }
}
