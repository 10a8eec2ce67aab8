import {
  type ClaimNode,
  type ConditionNode,
  type FieldNode,
  type JoinNode,
  type LinkNode,
  type OverNode,
  type PlaceNode,
  presenceNode,
  type RecordRef,
  someNode,
} from '../condition/nodes.js'
import { onLinked } from '../condition/removal.js'
import { askedOf } from '../condition/walk.js'
import { here } from './build-context.js'
import { standingClause } from './clauses.js'
import { toCondition } from './conditions.js'
import { RulebookError, unknownName } from './error.js'
import { type LinkModel, placesOf } from './links.js'
import type { TypeModel } from './model.js'
import { strict } from './strict.js'
import { countedTerm, groupTerms, newEach } from './terms.js'

/** The record types by name. */
export type Types = { readonly [name: string]: TypeModel }

/** The record that a term is about: reached by links to one, from a record or from the person. */
type Reached =
  | { readonly kind: 'field'; readonly of: RecordRef; readonly via: readonly LinkNode[] }
  | { readonly kind: 'claim'; readonly path: readonly string[]; readonly via: readonly LinkNode[] }

/** The standings of a record type as clauses. `at` is the record. */
export function standingsOf(type: TypeModel, at: (node: ConditionNode) => ConditionNode = (node) => node): object {
  const standings = {}
  for (const [name, node] of Object.entries(type.standings)) {
    Object.defineProperty(standings, name, { get: () => standingClause(at(node)), enumerable: true })
  }
  return strict(standings, (name) => {
    const unknown = unknownName(`standing of ${type.name}`, name, Object.keys(type.standings))
    throw new RulebookError(here(), `${unknown}. A standing can be used in later calls of standings(...), not in its own.`)
  })
}

/** A standing of a reached record. */
function standingAt(node: ConditionNode, reached: Reached): ConditionNode {
  const { via } = reached
  const link = via.at(-1)
  if (link === undefined) return reached.kind === 'field' && reached.of !== 'record' ? askedOf(node, 'record', reached.of) : node
  const from = { ...reached, via: via.slice(0, -1), ...(reached.kind === 'claim' ? { path: reached.path.slice(0, -1) } : {}) }
  const each = newEach()
  const over: OverNode = Object.freeze({ kind: 'records', type: link.to, name: link.name, one: true as const, by: joins(link, from) })
  return someNode(each, over, onLinked(link, each, askedOf(node, 'record', each)))
}

/** Terms for the fields and links of a record, `plot` in rules. */
export function recordTerms(types: Types, type: TypeModel, of: RecordRef = 'record', name = type.name): object {
  return termsOf(types, type, { kind: 'field', of, via: [] }, name)
}

/** Links of the person, `me.member` in rules. */
export function myLinks(types: Types, links: { readonly [name: string]: LinkModel }): Record<string, () => object> {
  return linkGetters(types, links, { kind: 'claim', path: [], via: [] }, 'me')
}

function termsOf(types: Types, type: TypeModel, reached: Reached, name: string): object {
  const linked = reached.kind === 'claim' || reached.via.length > 0
  // A record that is there has all fields of its key.
  const key = at(reached, placesOf(type)(type.keys[0] as string) as PlaceNode)
  const presence = {
    isMissing: () => toCondition(presenceNode(key, false)),
    isPresent: () => toCondition(presenceNode(key, true)),
  }
  const words = {
    ...(linked ? presence : {}),
    ...(reached.kind === 'field' ? { ancestors: (link: unknown) => ancestors(types, type, reached, link, name) } : {}),
    standing: standingsOf(type, (node) => standingAt(node, reached)),
  }
  const links = linkGetters(types, type.links, reached, name)
  const options = { name, ids: type.ids, words, links }
  if (reached.kind === 'field') return groupTerms('field', type.fields, { ...options, of: reached.of, via: reached.via })
  return groupTerms('claim', type.fields, { ...options, within: reached.path, linked: reached.path.length })
}

function linkGetters(
  types: Types,
  links: { readonly [name: string]: LinkModel },
  reached: Reached,
  name: string,
): Record<string, () => object> {
  return Object.fromEntries(
    Object.values(links).map((link) => {
      const type = types[link.to] as TypeModel
      const named = `${name}.${link.name}`
      if (link.many) return [link.name, () => manyTerm(types, type, () => overOf(link, reached), named)]
      const via = [...reached.via, plain(link)]
      const next: Reached = reached.kind === 'field' ? { ...reached, via } : { ...reached, path: [...reached.path, link.name], via }
      return [link.name, () => termsOf(types, type, next, named)]
    }),
  )
}

/** A link without the options that concern only writing. */
function plain({ name, to, by, removal }: LinkNode): LinkNode {
  return Object.freeze({ name, to, by, ...(removal ? { removal } : {}) })
}

/** A place in a record, as a term. */
function at(reached: Reached, { ignoringCase: _how, ...place }: PlaceNode): FieldNode | ClaimNode {
  if (reached.kind === 'claim') {
    const links = reached.path.length > 0 ? { links: reached.path.length } : {}
    return Object.freeze({ kind: 'claim', ...links, ...place, path: Object.freeze([...reached.path, ...place.path]) })
  }
  return Object.freeze({ kind: 'field', of: reached.of, ...(reached.via.length > 0 ? { via: Object.freeze(reached.via) } : {}), ...place })
}

function joins(link: LinkNode, reached: Reached): readonly JoinNode[] {
  return Object.freeze(link.by.map(({ to, from }) => Object.freeze({ to, from: at(reached, from) })))
}

function overOf(link: LinkModel, reached: Reached): OverNode {
  const mine = reached.kind === 'claim' && reached.path.length === 0 ? { mine: true as const } : {}
  return Object.freeze({ kind: 'records', type: link.to, name: link.name, ...mine, by: joins(link, reached) })
}

/** The records of a link of the person to many. */
export function mineOf(link: LinkModel): OverNode {
  return overOf(link, { kind: 'claim', path: [], via: [] })
}

function manyTerm(types: Types, type: TypeModel, over: () => OverNode, named: string): object {
  const removal = type.removal === undefined ? undefined : placesOf(type)(type.removal)
  const there = (each: number, of: ConditionNode) => onLinked({ ...(removal ? { removal } : {}) }, each, of)
  return countedTerm(over, (each) => recordTerms(types, type, each), named, there)
}

function ancestors(types: Types, type: TypeModel, reached: Extract<Reached, { kind: 'field' }>, name: unknown, named: string): object {
  const own = Object.values(type.links).filter(({ to, many }) => to === type.name && !many)
  const link = own.find((one) => one.name === name)
  if (link === undefined)
    throw new RulebookError(
      here(),
      `${named}.ancestors(...): ${unknownName(
        `link to one ${type.name}`,
        name,
        own.map((one) => one.name),
      )}`,
    )
  if (link.by.some(({ to }) => to.ignoringCase))
    throw new RulebookError(here(), `${named}.ancestors(...): a chain cannot follow a link that ignores case`)
  const keys = type.keys.map((key) => placesOf(type)(key) as PlaceNode)
  const over: OverNode = Object.freeze({
    kind: 'ancestors',
    type: type.name,
    by: joins(link, reached),
    link: plain(link),
    keys,
    self: keys.map((place) => at(reached, place)),
  })
  return manyTerm(types, type, () => over, `${named}.ancestors("${link.name}")`)
}

/** The `records` function: any record of a type. */
export function recordsWord(types: Types): (type: unknown) => object {
  return (name) => {
    if (typeof name !== 'string' || !Object.hasOwn(types, name))
      throw new RulebookError(here(), `records(...): ${unknownName('record type', name, Object.keys(types))}`)
    const over: OverNode = Object.freeze({ kind: 'records', type: name, by: Object.freeze([]) })
    return manyTerm(types, types[name] as TypeModel, () => over, `records("${name}")`)
  }
}
