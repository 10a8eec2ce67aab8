import {
  type AncestorsNode,
  allOfNode,
  type ConditionNode,
  type ElementsNode,
  equality,
  type FieldNode,
  isList,
  notNode,
  type RecordsNode,
  type SomeNode,
  type TermNode,
} from '../condition/index.js'
import { typeModel } from '../rulebook/index.js'
import { isItself, stepOf, stepsUp } from './chains.js'
import { type Around, type Encoding, nameOf } from './encoding.js'
import { areApart, areSame } from './identity.js'
import type { Literal } from './solver.js'
import type { Individual } from './terms.js'
import { isTouched } from './touched.js'

/**
 * What conditions say of other records: that there is one, which is made up then, or that there is none, which is said of each that is
 * made up.
 */
export class Quantifiers {
  readonly #in: Encoding
  readonly #linked = new Map<string, Individual>()
  readonly #facts = new Map<string, Literal>()

  constructor(encoding: Encoding) {
    this.#in = encoding
  }

  some(node: SomeNode, around: Around, result: boolean): Literal {
    const { over } = node
    switch (over.kind) {
      case 'records':
        return result ? this.#someRecord(node, over, around) : this.#fewerRecords(node, over, around)
      case 'elements':
        return result ? this.#someElement(node, over, around) : this.#noElement(node, over, around)
      case 'ancestors':
        return this.#aboveAsBefore(node, over, around, result)
    }
  }

  /** A chain of stored records does not reach a new one, and is not longer where one is gone. */
  #aboveAsBefore(node: SomeNode, over: AncestorsNode, around: Around, result: boolean): Literal {
    const { worlds, base, change } = this.#in
    const before = () => (base as Encoding).encodeLowered(node, around, result)
    const isAlone = base !== undefined && change !== undefined && !isTouched(node.of, worlds.model, change)
    const { keys } = typeModel(worlds.model, over.type)
    const isByKey = [...over.by, ...over.link.by].every(({ to }) => keys.includes(to.path.join('.')))
    if (isAlone && change.isFresh === true && isByKey && !Object.values(around).includes(change.after as Individual)) return before()
    const is = worlds.all([this.#above(node, over, around, result), this.whether(node, around, result)])
    return isAlone && change.after === undefined && result ? worlds.all([is, before()]) : is
  }

  /** The same condition of the same records holds or does not, whatever else is claimed of it. */
  whether(node: ConditionNode, around: Around, result: boolean): Literal {
    const name = `${JSON.stringify(node)} ${nameOf(around)}`
    const is = this.#facts.get(name) ?? this.#in.worlds.values.solver.variable()
    this.#facts.set(name, is)
    return result ? is : -is
  }

  #isBeyond(depth: number): boolean {
    const { limits, individuals } = this.#in.worlds
    return depth > limits.depth || individuals.all.length >= limits.individuals
  }

  /** An individual on which a condition holds wherever the literal does. Undefined beyond the limits. */
  #witness(make: (exists: Literal, depth: number) => Individual, around: Around, fits: (one: Individual) => readonly Literal[]): Literal {
    const { solver } = this.#in.worlds.values
    const depth = depthIn(around)
    const is = solver.variable()
    if (this.#isBeyond(depth)) {
      this.#in.worlds.cut()
      return is
    }
    const one = make(solver.variable(), depth)
    solver.add([-is, one.exists])
    for (const literal of fits(one)) solver.add([-is, literal])
    return is
  }

  #someRecord({ each, of, least = 1 }: SomeNode, over: RecordsNode, around: Around): Literal {
    const joins = over.by.map((join) => equality(join, each))
    const fitting = (one: Individual) => [...joins, of].map((part) => this.#in.encodeLowered(part, { ...around, [each]: one }, true))
    const fits = (one: Individual) => [...fitting(one), this.#in.isStillThere(one)]
    const written = this.#written(over.type)
    const isWritten = written === undefined ? [] : [this.#in.worlds.all(fitting(written))]
    const reached = this.#byKey(over, around)
    if (reached !== undefined && least === 1) {
      return this.#in.worlds.any([...isWritten, this.#in.worlds.all([reached.exists, ...fits(reached)])])
    }
    const stored = (count: number) => {
      const found: Individual[] = []
      const witness = () =>
        this.#witness(
          (exists, depth) => this.#in.worlds.record(over.type, true, exists, depth),
          around,
          (one) => {
            const apart = found.map((other) => areApart(this.#in.worlds, one, other))
            found.push(one)
            return [...fits(one), ...apart]
          },
        )
      return this.#in.worlds.all(Array.from({ length: count }, witness))
    }
    // The written record may be one of them.
    const withWritten = isWritten.map((is) => this.#in.worlds.all([is, stored(least - 1)]))
    return this.#in.worlds.any([...withWritten, stored(least)])
  }

  /** The record that was written, as it is now, if it is of this type. */
  #written(type: string): Individual | undefined {
    return this.#in.change?.type === type ? this.#in.change.after : undefined
  }

  /** The record that a link to a key leads to: the same one for everything that follows it from there. */
  #byKey(over: RecordsNode, around: Around): Individual | undefined {
    const { keys } = typeModel(this.#in.worlds.model, over.type)
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
    const made = this.#in.worlds.record(over.type, true, this.#in.worlds.values.solver.variable(), depth)
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

  /** No record at all, or fewer than so many. */
  #fewerRecords({ each, of, least = 1 }: SomeNode, over: RecordsNode, around: Around): Literal {
    const joins = over.by.map((join) => equality(join, each))
    const fits = allOfNode([...joins, of])
    const written = this.#written(over.type)
    const is = (one: Individual) => one.stored && one.type === over.type
    if (least === 1) return this.#none(is, each, fits, around, written)
    const fails = (one: Individual) => this.#in.encodeLowered(fits, { ...around, [each]: one }, false)
    const atMost = (count: number) => this.#allBut(count, over.type, fails, around)
    // The written record may be one of them.
    return written === undefined
      ? atMost(least - 1)
      : this.#in.worlds.any([this.#in.worlds.all([fails(written), atMost(least - 1)]), atMost(least - 2)])
  }

  /** A literal that holds only where something holds of all stored records but so many, which are made up. */
  #allBut(count: number, type: string, holds: (one: Individual) => Literal, around: Around): Literal {
    const { worlds } = this.#in
    const is = worlds.values.solver.variable()
    const depth = depthIn(around)
    if (count > 0 && this.#isBeyond(depth)) {
      worlds.cut()
      return is
    }
    const others = Array.from({ length: count }, () => worlds.record(type, true, worlds.values.solver.variable(), depth))
    worlds.everyOne({
      if: is,
      covers: (one) => one.stored && one.type === type,
      follows: (one) => {
        const isOther = others.map((other) => worlds.all([other.exists, areSame(worlds, one, other)]))
        return worlds.any([this.#in.isGone(one), ...isOther, holds(one)])
      },
    })
    return is
  }

  /** A literal that holds only where the condition fails on every individual that is covered. */
  #none(covers: (one: Individual) => boolean, each: number, fits: ConditionNode, around: Around, written?: Individual): Literal {
    const { worlds } = this.#in
    const is = worlds.values.solver.variable()
    const fails = (one: Individual) => this.#in.encodeLowered(fits, { ...around, [each]: one }, false)
    worlds.everyOne({ if: is, covers, follows: (one) => worlds.any([this.#in.isGone(one), fails(one)]) })
    if (written !== undefined) worlds.values.solver.add([-is, fails(written)])
    return is
  }

  #someElement({ each, of }: SomeNode, { list }: ElementsNode, around: Around): Literal {
    const { slot, kind } = this.#elements(list, around)
    return this.#witness(
      (exists, depth) => this.#in.worlds.individuals.make({ ...kind, exists, depth }),
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
    const slot = this.#in.worlds.individuals.slot(owner, list.path, { type: 'other', list: true })
    return { slot, kind: { type: `${owner.id} ${list.path.join('.')}`, fields: slot.field.fields ?? {}, stored: false } }
  }

  #above(node: SomeNode, over: AncestorsNode, around: Around, result: boolean): Literal {
    const { worlds } = this.#in
    if (!worlds.isPlain) return result ? this.#someAbove(node, over, around) : this.#noneAbove(node, over, around)
    // For an example, chains of one step or two are enough.
    const steps = [1, 2].map((count) => this.#in.encodeLowered(stepsUp(node, over, count), around, result))
    return result ? worlds.any(steps) : worlds.all(steps)
  }

  /** Another record of the type: above by one step, or somehow further up, of which nothing is claimed. */
  #someAbove({ each, of }: SomeNode, over: AncestorsNode, around: Around): Literal {
    const [step, itself] = [stepOf(over, each), isItself(over, each)]
    const above = (one: Individual) => {
      const at = { ...around, [each]: one }
      const further = this.#in.worlds.values.solver.variable()
      return [
        this.#in.worlds.any([this.#in.encodeLowered(step, at, true), further]),
        this.#in.encodeLowered(itself, at, false),
        this.#in.encodeLowered(of, at, true),
      ]
    }
    return this.#oneOf(over.type, around, above)
  }

  /** A record of a type on which literals hold: a stored one, or the one that was written. */
  #oneOf(type: string, around: Around, fits: (one: Individual) => readonly Literal[]): Literal {
    const written = this.#written(type)
    const stored = this.#witness(
      (exists, depth) => this.#in.worlds.record(type, true, exists, depth),
      around,
      (one) => [...fits(one), this.#in.isStillThere(one)],
    )
    return this.#in.worlds.any([stored, ...(written === undefined ? [] : [this.#in.worlds.all(fits(written))])])
  }

  /** No record that the first step leads to. Of those further up, nothing is claimed. */
  #noneAbove({ each, of }: SomeNode, over: AncestorsNode, around: Around): Literal {
    const fits = allOfNode([stepOf(over, each), notNode(isItself(over, each)), of])
    return this.#none((one) => one.stored && one.type === over.type, each, fits, around, this.#written(over.type))
  }
}

/** One more than what it is made up because of. */
function depthIn(around: Around): number {
  return Math.max(0, ...Object.values(around).map((one) => one.depth)) + 1
}
