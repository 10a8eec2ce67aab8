import {
  type ClaimNode,
  type ConditionNode,
  claimNodesIn,
  eachNode,
  type Links,
  LinksError,
  linkedBy,
  linkedRecords,
  type Row,
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
      links.set(path.join('.'), { path, link })
      known = typeModel(model, link.to).links
    }
  }
  for (const name of manyAsked(model, types)) links.set(name, { path: [name], link: model.me.links[name] as LinkModel })
  return [...links.values()].sort((a, b) => a.path.length - b.path.length)
}

/** The links of the person to many that these rules follow. */
function manyAsked(model: Model, types: readonly TypeModel[]): ReadonlySet<string> {
  const names = new Set<string>()
  for (const condition of conditionsAsked(model, types))
    eachNode(condition, (node) => {
      if (node.kind === 'some' && node.over.kind === 'records' && node.over.mine) names.add(node.over.name as string)
    })
  return names
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
  for (const { path, link } of linksOfMe(model)) {
    const from = startOfLink(mine, path)
    const found = from === undefined ? [] : linkedBy(link, from, links)
    mine = withLinked(mine, path, ownOf(link, found))
  }
  return mine
}
