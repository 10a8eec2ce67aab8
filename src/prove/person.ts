import { allOfNode, type ClaimNode, type ConditionNode, equality, type LinkNode, onLinked, type TermNode } from '../condition/index.js'
import { typeModel } from '../rulebook/index.js'
import type { Around, Encoding } from './encoding.js'
import { areApart, areSame } from './identity.js'
import type { Literal } from './solver.js'
import type { Individual, Slot } from './terms.js'

/** The person of every world: a visitor, or a person with claims that fit their shape. */
export class Person {
  /** The claims. */
  readonly me: Individual
  readonly signedIn: Literal
  readonly #in: Encoding
  readonly #linked = new Map<string, Individual>()
  /** The claims, which nobody has who is not signed in. */
  readonly #claims = new Map<string, Slot>()

  readonly #base: Person | undefined

  /** With `base`, the same person after a write. */
  constructor(encoding: Encoding, base?: Person) {
    this.#in = encoding
    this.#base = base
    const { model, individuals, values } = encoding.worlds
    if (base !== undefined) {
      this.signedIn = base.signedIn
      this.me = base.me
      return
    }
    this.signedIn = values.solver.variable(true)
    this.me = individuals.make({ type: 'me', fields: model.me.fields, exists: values.yes, stored: false, depth: 0 })
    const key = this.claim([model.me.key], { kind: 'claim', path: [model.me.key], type: 'id' })
    // Signing in needs a key that is proper.
    values.solver.add([-this.signedIn, key.proper])
  }

  /** A claim, or a field of a record linked to the person. */
  claim(path: readonly string[], node: ClaimNode): Slot {
    const { solver } = this.#in.worlds.values
    const name = `${path.join('.')} ${node.type}`
    const found = this.#claims.get(name)
    if (found !== undefined) return found
    const links = node.links ?? 0
    if (links === 0 && this.#base !== undefined) return this.#base.claim(path, node)
    const made = links > 0 ? this.#linkedClaim(path, links, node) : this.#in.worlds.individuals.slot(this.me, path, node)
    // A visitor has no claims. Those who are signed in have what the shape requires.
    const own: Slot = made.there === this.#in.worlds.values.yes ? { ...made, ...this.#ifSignedIn(made) } : made
    if (own === made) solver.add([-made.there, this.signedIn])
    this.#claims.set(name, own)
    return own
  }

  #ifSignedIn({ proper, there }: Slot): Pick<Slot, 'there' | 'proper'> {
    if (proper === there) return { there: this.signedIn, proper: this.signedIn }
    this.#in.worlds.values.solver.add([-proper, this.signedIn])
    return { there: this.signedIn, proper }
  }

  #linkedClaim(path: readonly string[], links: number, node: ClaimNode): Slot {
    let from: Individual = this.me
    let known = this.#in.worlds.model.me.links
    for (const step of path.slice(0, links)) {
      const link = known[step] as LinkNode
      from = this.#ownRecord(link, from)
      known = typeModel(this.#in.worlds.model, link.to).links
    }
    const { solver } = this.#in.worlds.values
    if (path.length === links) return this.#presenceOf(from, path)
    const slot = this.#in.worlds.individuals.slot(from, path.slice(links), node)
    const [there, proper] = [solver.variable(true), solver.variable(true)]
    const owner = from.exists
    for (const [is, of] of [
      [there, slot.there],
      [proper, slot.proper],
    ] as const) {
      solver.add([-is, owner])
      solver.add([-is, of])
      solver.add([is, -owner, -of])
    }
    return { ...slot, path, there, proper }
  }

  /** A linked record itself, of which rules ask only whether there is one. */
  #presenceOf({ exists }: Individual, path: readonly string[]): Slot {
    return { path, field: { type: 'other' }, there: exists, proper: exists, value: this.#in.worlds.values.value('text') }
  }

  /** The record that a link of the person leads to. */
  #ownRecord(link: LinkNode, from: Individual): Individual {
    const key = `me ${from.id} ${link.name}`
    const found = this.#linked.get(key)
    if (found !== undefined) return found
    const { worlds, change } = this.#in
    const isSame = this.#base?.knows(from) === true
    if (isSame && link.to !== change?.type) return (this.#base as Person).#ownRecord(link, from)
    const { solver } = worlds.values
    const isWritten = link.to === change?.type
    const record = worlds.record(link.to, !isWritten, solver.variable(true), from.depth + 1)
    this.#linked.set(key, record)
    const each = 1
    const at = (one: Individual): Around => ({ record: from, [each]: one })
    const joins = link.by.map(({ to, from: { ignoringCase: _how, ...place } }) => {
      const term: TermNode = from === this.me ? { kind: 'claim', ...place } : { kind: 'field', of: 'record', ...place }
      return equality({ to, from: term }, each)
    })
    const fits = onLinked(link, each, allOfNode(joins))
    if (isWritten) this.#afterwards(record, link, { from, fits: (one, result) => this.#in.encodeLowered(fits, at(one), result) })
    else solver.add([-record.exists, this.#in.encodeLowered(fits, at(record), true)])
    if (from !== this.me) solver.add([-record.exists, from.exists])
    const isFrom = from === this.me ? worlds.values.yes : from.exists
    const fails = (one: Individual) => this.#in.encodeLowered(fits, at(one), false)
    // If there is one, it is this. If others fit too, it is unknown which belongs to the person, so none does.
    const several = this.#isKey(link) ? [] : [this.#several(link, fits, at, from.depth + 1)]
    worlds.everyOne({
      if: worlds.values.yes,
      covers: (one) => one.type === link.to && one.stored && one !== record,
      follows: (one) =>
        worlds.all([
          worlds.any([fails(one), -isFrom, record.exists, this.#in.isGone(one), ...several]),
          worlds.any([fails(one), -record.exists, this.#in.isGone(one), areSame(worlds, one, record)]),
        ]),
    })
    if (isWritten && change.after !== undefined) {
      solver.add([fails(change.after), -isFrom, record.exists, ...several])
      solver.add([fails(change.after), -record.exists, areSame(worlds, change.after, record)])
    }
    return record
  }

  /** A literal that holds only if more than one record fits a link to one. */
  #several(link: LinkNode, fits: ConditionNode, at: (one: Individual) => Around, depth: number): Literal {
    const { worlds, change } = this.#in
    const is = worlds.values.solver.variable()
    const fitting = (one: Individual) => this.#in.encodeLowered(fits, at(one), true)
    const [one, other] = [0, 1].map(() => worlds.record(link.to, true, worlds.values.solver.variable(), depth)) as [Individual, Individual]
    for (const literal of [one.exists, fitting(one), this.#in.isStillThere(one)]) worlds.values.solver.add([-is, literal])
    const isApart = worlds.all([other.exists, fitting(other), this.#in.isStillThere(other), areApart(worlds, one, other)])
    const isWritten = link.to === change?.type && change.after !== undefined ? [fitting(change.after)] : []
    worlds.values.solver.add([-is, isApart, ...isWritten])
    return is
  }

  /** Of a type that was written, the person's own record is the one that was written, or one that the write left as it was. */
  #afterwards(
    record: Individual,
    link: LinkNode,
    { from, fits }: { readonly from: Individual; readonly fits: (one: Individual, result: boolean) => Literal },
  ): void {
    const { worlds, change } = this.#in
    const { solver } = worlds.values
    const [isWritten, isOther] = [solver.variable(), solver.variable()]
    solver.add([-record.exists, isWritten, isOther])
    if (change?.after === undefined) solver.add([-isWritten])
    else {
      solver.add([-isWritten, fits(change.after, true)])
      worlds.individuals.twins(record, change.after, () => [isWritten])
    }
    const isKnown = this.#isKey(link) && this.#base?.knows(from) === true
    const other = isKnown ? (this.#base as Person).#ownRecord(link, from) : worlds.record(link.to, true, solver.variable(), from.depth + 1)
    for (const literal of [other.exists, this.#in.isStillThere(other), ...(isKnown ? [] : [fits(other, true)])])
      solver.add([-isOther, literal])
    worlds.individuals.twins(record, other, () => [isOther])
  }

  /** Whether it is the claims, or a record that was found from them. */
  knows(one: Individual): boolean {
    return one === this.me || [...this.#linked.values()].includes(one) || this.#base?.knows(one) === true
  }

  #isKey({ by, to: type }: LinkNode): boolean {
    const { keys } = typeModel(this.#in.worlds.model, type)
    return keys.length === by.length && by.every(({ to }) => keys.includes(to.path.join('.')) && !to.ignoringCase)
  }
}
