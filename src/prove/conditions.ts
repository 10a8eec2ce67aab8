import {
  allOfNode,
  anyLeaf,
  type ClaimNode,
  type CompareNode,
  type ConditionNode,
  compareNode,
  type FieldNode,
  listSides,
  notNode,
  presenceNode,
  type TermNode,
} from '../condition/index.js'
import { type Around, type Change, type Encoding, nameOf, type Worlds } from './encoding.js'
import { areApart, areSame } from './identity.js'
import { Person } from './person.js'
import { Quantifiers } from './quantifiers.js'
import type { Literal } from './solver.js'
import type { Individual, Slot } from './terms.js'
import { isTouched } from './touched.js'

/** What is asked after a write. */
interface Afterwards {
  readonly base: Conditions
  readonly change: Change
}

/** Conditions as literals, with the records as they are stored, or as they are after a write. */
export class Conditions implements Encoding {
  readonly worlds: Worlds
  readonly base: Conditions | undefined
  readonly change: Change | undefined
  readonly person: Person
  readonly #quantifiers: Quantifiers
  readonly #known = new Map<string, Literal>()
  readonly #touched = new WeakMap<ConditionNode, boolean>()

  constructor(worlds: Worlds, afterwards?: Afterwards) {
    this.worlds = worlds
    this.base = afterwards?.base
    this.change = afterwards?.change
    this.person = new Person(this, afterwards?.base.person)
    this.#quantifiers = new Quantifiers(this)
  }

  isGone(one: Individual): Literal {
    const { before, type } = this.change ?? {}
    return before === undefined || one.type !== type ? -this.worlds.values.yes : areSame(this.worlds, one, before)
  }

  isStillThere(one: Individual): Literal {
    const { before, type } = this.change ?? {}
    return before === undefined || one.type !== type ? this.worlds.values.yes : areApart(this.worlds, one, before)
  }

  /** With the written record as it was, where a condition reads nothing of it that is another way now. */
  #asBefore(node: ConditionNode, around: Around): Around {
    const { before, after, fields } = this.change ?? {}
    if (before === undefined || after === undefined || fields === undefined) return around
    const isSame = (of: string) =>
      around[of] === after &&
      !anyLeaf(node, (leaf) => leaf.kind === 'field' && String(leaf.of) === of && fields.includes(leaf.path[0] as string))
    return Object.fromEntries(Object.entries(around).map(([of, one]) => [of, isSame(of) ? before : one]))
  }

  #isTouched(node: ConditionNode): boolean {
    if (this.change === undefined) return false
    const known = this.#touched.get(node) ?? isTouched(node, this.worlds.model, this.change)
    this.#touched.set(node, known)
    return known
  }

  encodeLowered(node: ConditionNode, around: Around, result: boolean): Literal {
    // What the write does not touch is as it was.
    if (this.base !== undefined && !this.#isTouched(node)) return this.base.encodeLowered(node, this.#asBefore(node, around), result)
    const key = `${this.worlds.numberOf(node)} ${result} ${nameOf(around)}`
    const known = this.#known.get(key)
    if (known !== undefined) return known
    const is = this.#made(node, around, result)
    this.#known.set(key, is)
    return is
  }

  #made(node: ConditionNode, around: Around, result: boolean): Literal {
    const { yes } = this.worlds.values
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
        return (node.kind === 'allOf') === result ? this.worlds.all(parts) : this.worlds.any(parts)
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
    const { yes } = this.worlds.values
    switch (term.kind) {
      case 'literal': {
        const is = this.worlds.comparing.isThere(term) ? yes : -yes
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
        return { is: this.worlds.any([one.is, other.is]), isNot: this.worlds.all([one.isNot, other.isNot]) }
      }
    }
  }

  slot(term: FieldNode | ClaimNode, around: Around): Slot {
    if (term.kind === 'field') return this.worlds.individuals.slot(around[term.of] as Individual, term.path, term)
    return this.person.claim(term.path, term)
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
        return result ? this.worlds.any(parts) : this.worlds.all(parts)
      }
    const [lefts, rights] = listSides(by)
    const sides = [this.#side(left, lefts, around), this.#side(right, rights, around)] as const
    return this.worlds.comparing.compare(by, sides[0], sides[1], result)
  }

  #side(term: TermNode, list: boolean, around: Around) {
    switch (term.kind) {
      case 'field':
      case 'claim':
        return this.worlds.comparing.ofSlot(this.slot(term, around), list)
      case 'literal':
        return this.worlds.comparing.ofLiteral(term, list)
      case 'now':
        return this.worlds.comparing.ofTime(term)
      case 'forever':
        return this.worlds.comparing.ofForever()
      case 'orElse':
        throw new Error('the alternatives of a term are compared one by one')
    }
  }
}
