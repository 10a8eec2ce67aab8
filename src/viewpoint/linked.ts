import {
  type ClaimNode,
  type ConditionNode,
  claimNodesIn,
  eachNode,
  type Links,
  LinksError,
  linkedAs,
  linkedBy,
  linkedRecords,
  lower,
  type Row,
  type SomeNode,
  startOf,
} from '../condition/index.js'
import {
  conditionsOfType,
  type LinkModel,
  type Model,
  type RowOf,
  type TypeModel,
  type TypeName,
  typeModel,
  type World,
} from '../rulebook/index.js'

/** Records by type, for rules that follow links. A type that is left out is unknown: rules that read it cannot be judged. */
export type LinkedRecords<W extends World = World> = { readonly [K in TypeName<W>]?: readonly RowOf<W, K>[] }

const LINKS: unique symbol = Symbol.for('pachter.links')

/**
 * Indexes records for many viewpoints. Each index is built when first needed and then kept, so the records must not change: if they do,
 * index them again.
 * @example
 * const records = indexed({ member: members, share: shares })
 * const lists = people.map((me) => book.for(me, { records }).filter('plot', plots))
 */
export function indexed<R extends { readonly [type: string]: readonly object[] }>(records: R): R & { readonly [LINKS]: Links } {
  return Object.freeze(Object.assign(Object.create(null, { [LINKS]: { value: linksIn(records) } }), records))
}

/** Creates indexes over records, or returns existing ones. @throws UnknownNameError for an unknown record type */
export function linksOver(
  model: Model,
  records: { readonly [type: string]: readonly object[] | undefined; readonly [LINKS]?: Links },
): Links {
  for (const type of Object.keys(records)) typeModel(model, type)
  return records[LINKS] ?? linksIn(records)
}

function linksIn(records: { readonly [type: string]: readonly object[] | undefined }): Links {
  return linkedRecords(
    (type) => (Object.hasOwn(records, type) ? (records[type] as readonly Row[] | undefined) : undefined),
    (type) => {
      throw new LinksError(type)
    },
  )
}

/** The records of a link of the person to many are read with the claims if there are at most this many. */
export const MOST_OWN = 100

/** A record linked to the person, or several, by the links that lead there. Those before are loaded first. */
export interface LinkOfMe {
  readonly path: readonly string[]
  readonly link: LinkModel
  /** Of a link to many: the links to one that the rules follow from its records. */
  readonly further: readonly FurtherLink[]
}

/** A link to one from a record of the person, with the links that are followed from there. */
export interface FurtherLink {
  readonly link: LinkModel
  readonly further: readonly FurtherLink[]
}

const NONE: readonly LinkOfMe[] = Object.freeze([])
const found = new WeakMap<Model, Map<string, readonly LinkOfMe[]>>()

/** The records linked to the person that the rules of these types read, and what belongs to no type. Default: all types. */
export function linksOfMe(model: Model, types: readonly string[] = Object.keys(model.types)): readonly LinkOfMe[] {
  if (Object.keys(model.me.links).length === 0) return NONE
  let known = found.get(model)
  if (known === undefined) {
    known = new Map()
    found.set(model, known)
  }
  const name = types.join(' ')
  let links = known.get(name)
  if (links === undefined) {
    links = findLinks(
      model,
      types.map((type) => typeModel(model, type)),
    )
    known.set(name, links)
  }
  return links
}

function findLinks(model: Model, types: readonly TypeModel[]): readonly LinkOfMe[] {
  const links = new Map<string, LinkOfMe>()
  for (const claim of claimsAsked(model, types)) {
    let known = model.me.links
    for (let step = 1; step <= (claim.links ?? 0); step++) {
      const path = claim.path.slice(0, step)
      const link = known[path[step - 1] as string] as LinkModel
      links.set(path.join('.'), { path, link, further: [] })
      known = typeModel(model, link.to).links
    }
  }
  for (const [name, searches] of manyAsked(model, types)) {
    const link = model.me.links[name] as LinkModel
    links.set(name, { path: [name], link, further: furtherOf(model, link, searches) })
  }
  return [...links.values()].sort((a, b) => a.path.length - b.path.length)
}

/** The links of the person to many that these rules follow, with the searches along each. */
function manyAsked(model: Model, types: readonly TypeModel[]): ReadonlyMap<string, readonly SomeNode[]> {
  const found = new Map<string, SomeNode[]>()
  for (const condition of conditionsAsked(model, types))
    eachNode(condition, (node) => {
      if (node.kind !== 'some' || node.over.kind !== 'records' || !node.over.mine) return
      const name = node.over.name as string
      found.set(name, [...(found.get(name) ?? []), lower(node) as SomeNode])
    })
  return found
}

/** The links to one that searches follow from the records they find. A link to a key leads to one record at most. */
function furtherOf(model: Model, { to }: LinkModel, searches: readonly SomeNode[]): readonly FurtherLink[] {
  const followed = new Map<LinkModel, SomeNode[]>()
  const links = Object.values(typeModel(model, to).links).filter((link) => !link.many && leadsToKey(model, link))
  for (const { each, of } of searches)
    eachNode(of, (node) => {
      if (node.kind !== 'some' || node.over.kind !== 'records' || !node.over.one || startOf(node.over.by) !== each) return
      const name = linkedAs(node.over)
      const link = links.find((one) => linkedAs(one) === name)
      if (link !== undefined) followed.set(link, [...(followed.get(link) ?? []), node])
    })
  return [...followed].map(([link, inner]) => ({ link, further: furtherOf(model, link, inner) }))
}

function leadsToKey(model: Model, { to, by }: LinkModel): boolean {
  const { keys } = typeModel(model, to)
  return by.length === keys.length && by.every((pair) => keys.includes(pair.to.path.join('.')))
}

/** A record of the person, with the records that further links lead to. */
export function withFurther(row: Row, further: readonly FurtherLink[], links: Links): Row {
  if (further.length === 0) return row
  const found = further.map(({ link, further }) => [
    linkedAs(link),
    linkedBy(link, row, links).map((one) => withFurther(one, further, links)),
  ])
  return { ...row, ...Object.fromEntries(found) }
}

/** The record types whose records are read with the claims of a person. */
export function typesOfMe(model: Model): readonly string[] {
  const types = new Set<string>()
  const add = ({ link, further }: FurtherLink): void => {
    types.add(link.to)
    further.forEach(add)
  }
  linksOfMe(model).forEach(add)
  return [...types]
}

/** The claims that the rules of these types read, and what belongs to no type. */
function claimsAsked(model: Model, types: readonly TypeModel[]): ClaimNode[] {
  const conditions = conditionsAsked(model, types)
  const stamps = types.flatMap(({ rules }) => Object.values(rules?.stamps ?? {}).flatMap((of) => Object.values(of)))
  return [...conditions.flatMap(claimNodesIn), ...stamps.filter((term) => term.kind === 'claim')]
}

function conditionsAsked(model: Model, types: readonly TypeModel[]): ConditionNode[] {
  return [
    ...(model.gate ? [model.gate] : []),
    ...Object.values(model.privileges),
    ...Object.values(model.routines),
    ...types.flatMap((type) => conditionsOfType({}, type).map(({ condition }) => condition)),
  ]
}

/** What rules read of the records linked to the person, as paths from `me`. */
export function linkedClaims(model: Model): readonly (readonly string[])[] {
  const claims = claimsAsked(model, Object.values(model.types)).filter(({ links = 0 }) => links > 0)
  return [...new Map(claims.map(({ path }) => [path.join('.'), path])).values()]
}

/** The claims without anything under the name of a link: linked data is never taken from the client. */
export function claimsAlone(model: Model, me: Row): Row {
  const names = Object.keys(model.me.links)
  return names.some((name) => name in me) ? Object.fromEntries(Object.entries(me).filter(([name]) => !names.includes(name))) : me
}

/** The claims with a linked record added, or with the records of a link to many. */
export function withLinked(me: Row, [name = '', ...rest]: readonly string[], record: Row | readonly Row[] | undefined): Row {
  if (rest.length === 0) return { ...me, [name]: record }
  return { ...me, [name]: withLinked((me[name] ?? {}) as Row, rest, record) }
}

/** The start of a link of the person: the claims, or a record linked to them; undefined if that is missing. */
export function startOfLink(me: Row, path: readonly string[]): Row | undefined {
  let from: unknown = me
  for (const step of path.slice(0, -1)) from = (from as Row | undefined)?.[step]
  return from as Row | undefined
}

/** What a person has by a link. Of a link to one: if two records match, it is unknown which belongs to the person. */
export function ownOf({ many }: LinkModel, found: readonly Row[]): Row | readonly Row[] | undefined {
  if (many) return found.length <= MOST_OWN ? found : undefined
  return found.length === 1 ? found[0] : undefined
}

/** The claims with the records linked to them. */
export function withMyLinks(model: Model, me: Row, links: Links): Row {
  let mine = claimsAlone(model, me)
  for (const { path, link, further } of linksOfMe(model)) {
    const from = startOfLink(mine, path)
    const found = from === undefined ? [] : linkedBy(link, from, links)
    const own = ownOf(link, found)
    mine = withLinked(mine, path, Array.isArray(own) ? own.map((row) => withFurther(row, further, links)) : own)
  }
  return mine
}
