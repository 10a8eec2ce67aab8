import { allOfNode, type ClaimNode, equality, type LinkNode, onLinked, type TermNode } from '../condition/index.js'
import { typeModel } from '../rulebook/index.js'
import type { Around, Encoding } from './encoding.js'
import type { Individual, Slot } from './individuals.js'
import type { Literal } from './solver.js'

/** The person of every world: a visitor, or a person with claims that fit their shape. */
export class Person {
  /** The claims. */
  readonly me: Individual
  readonly signedIn: Literal
  readonly #in: Encoding
  readonly #linked = new Map<string, Individual>()
  /** The claims, which nobody has who is not signed in. */
  readonly #claims = new Map<string, Slot>()

  constructor(encoding: Encoding) {
    this.#in = encoding
    const { model, individuals, values } = encoding
    this.signedIn = values.solver.variable(true)
    this.me = individuals.make({ type: 'me', fields: model.me.fields, exists: values.yes, stored: false, depth: 0 })
    const key = this.claim([model.me.key], { kind: 'claim', path: [model.me.key], type: 'id' })
    // Signing in needs a key that is proper.
    values.solver.add([-this.signedIn, key.proper])
  }

  /** A claim, or a field of a record linked to the person. */
  claim(path: readonly string[], node: ClaimNode): Slot {
    const { solver } = this.#in.values
    const name = `${path.join('.')} ${node.type}`
    const found = this.#claims.get(name)
    if (found !== undefined) return found
    const links = node.links ?? 0
    const made = links > 0 ? this.#linkedClaim(path, links, node) : this.#in.individuals.slot(this.me, path, node)
    // A visitor has no claims. Those who are signed in have what the shape requires.
    const own: Slot = made.there === this.#in.values.yes ? { ...made, ...this.#ifSignedIn(made) } : made
    if (own === made) solver.add([-made.there, this.signedIn])
    this.#claims.set(name, own)
    return own
  }

  #ifSignedIn({ proper, there }: Slot): Pick<Slot, 'there' | 'proper'> {
    if (proper === there) return { there: this.signedIn, proper: this.signedIn }
    this.#in.values.solver.add([-proper, this.signedIn])
    return { there: this.signedIn, proper }
  }

  #linkedClaim(path: readonly string[], links: number, node: ClaimNode): Slot {
    let from: Individual = this.me
    let known = this.#in.model.me.links
    for (const step of path.slice(0, links)) {
      const link = known[step] as LinkNode
      from = this.#ownRecord(link, from)
      known = typeModel(this.#in.model, link.to).links
    }
    const { solver } = this.#in.values
    if (path.length === links) return this.#presenceOf(from, path)
    const slot = this.#in.individuals.slot(from, path.slice(links), node)
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
    return { path, field: { type: 'other' }, there: exists, proper: exists, value: this.#in.values.value('text') }
  }

  /** The record that a link of the person leads to. */
  #ownRecord(link: LinkNode, from: Individual): Individual {
    const key = `me ${from.id} ${link.name}`
    const found = this.#linked.get(key)
    if (found !== undefined) return found
    const { solver } = this.#in.values
    const record = this.#in.record(link.to, true, solver.variable(true), from.depth + 1)
    this.#linked.set(key, record)
    const each = 1
    const at = (one: Individual): Around => ({ record: from, [each]: one })
    const joins = link.by.map(({ to, from: { ignoringCase: _how, ...place } }) => {
      const term: TermNode = from === this.me ? { kind: 'claim', ...place } : { kind: 'field', of: 'record', ...place }
      return equality({ to, from: term }, each)
    })
    const fits = onLinked(link, each, allOfNode(joins))
    solver.add([-record.exists, this.#in.encodeLowered(fits, at(record), true)])
    if (from !== this.me) solver.add([-record.exists, from.exists])
    const { keys } = typeModel(this.#in.model, link.to)
    const isKey = keys.length === link.by.length && link.by.every(({ to }) => keys.includes(to.path.join('.')) && !to.ignoringCase)
    // By its key, at most one record can be it: if there is one, it is this.
    if (isKey)
      this.#in.everyOne({
        if: this.#in.values.yes,
        covers: (one) => one.type === link.to && one.stored && one !== record,
        follows: (one) =>
          this.#in.any([
            this.#in.encodeLowered(fits, at(one), false),
            from === this.me ? -this.#in.values.yes : -from.exists,
            record.exists,
          ]),
      })
    return record
  }
}
