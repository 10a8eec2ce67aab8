import { allOfNode, anyOfNode, type Comparable, type ConditionNode, type Row, waysAt } from '../../condition/index.js'
import {
  type Condition,
  type FieldName,
  isKeyField,
  type Link,
  type LinkModel,
  type Model,
  type RecordTerms,
  type SeenRow,
  type TypeModel,
  type TypeName,
  typeModel,
  UnknownNameError,
  type World,
} from '../../rulebook/index.js'
import { QueryError } from '../errors.js'
import { type Operation, type Seen, see } from '../operation.js'
import type { SortStep } from '../tables.js'
import { guardedWhere, typesIn, visibleField } from './filter-guards.js'
import { placeIs, placeIsOneOf } from './key-conditions.js'
import { orderFor } from './pages.js'
import { readOptions, readSort, readWhere } from './query.js'

/** Which linked records to return with each record of a list. Each contains only what the asker may see. */
export type Include<W extends World, K extends TypeName<W>> = {
  readonly [N in keyof W['links'][K]]?: true | IncludeMore<W, TargetOf<W['links'][K][N]>>
}

type TargetOf<L> = L extends Link<any, infer T, any, any> ? T : never

/** Which records of one link, in which order, and which links to follow from them. */
export type IncludeMore<W extends World, T> =
  T extends TypeName<W>
    ? {
        readonly where?: (record: RecordTerms<T, W>) => Condition
        readonly sort?: readonly (FieldName<W, T> | `-${FieldName<W, T>}`)[]
        readonly include?: Include<W, T>
      }
    : never

/** The linked records: a list for a link to many; for a link to one, a record, or undefined if none is visible. */
export type Included<W extends World, K extends TypeName<W>, I> = {
  readonly [N in keyof I & keyof W['links'][K]]: W['links'][K][N] extends Link<infer A, infer T, any, any>
    ? T extends TypeName<W>
      ? 'one' extends A
        ? (SeenRow<W, T> & Nested<W, T, I[N]>) | undefined
        : (SeenRow<W, T> & Nested<W, T, I[N]>)[]
      : never
    : never
}

type Nested<W extends World, T extends TypeName<W>, M> = M extends { readonly include: infer I } ? Included<W, T, I> : unknown

/** One link to follow from the records of a list. */
export interface IncludePlan {
  readonly link: LinkModel
  readonly type: TypeModel
  readonly where: ConditionNode
  readonly sort: readonly SortStep[]
  readonly within: readonly IncludePlan[]
}

const DEEPEST = 8

/** Reads which links to follow. @throws QueryError, UnknownNameError */
export function readInclude(types: Model['types'], type: TypeModel, given: unknown, depth = 0): IncludePlan[] {
  if (given === undefined) return []
  if (typeof given !== 'object' || given === null || Array.isArray(given))
    throw new QueryError(type.name, 'include needs an object, as in { shares: true }')
  if (depth >= DEEPEST) throw new QueryError(type.name, `include is limited to ${DEEPEST} levels`)
  return Object.entries(given).flatMap(([name, more]) => {
    const link = Object.hasOwn(type.links, name) ? type.links[name] : undefined
    if (link === undefined) throw new UnknownNameError('link', name, Object.keys(type.links), type.name)
    if (more === undefined) return []
    const target = typeModel({ types }, link.to)
    const options = readOptions(target.name, more === true ? {} : more, ['where', 'sort', 'include']) as {
      where?: unknown
      sort?: string[]
      include?: unknown
    }
    const within = readInclude(types, target, options.include, depth + 1)
    return [{ link, type: target, where: readWhere(types, target, options.where), sort: readSort(target, options.sort), within }]
  })
}

/** The record types on the way. */
export function typesIncluded(plans: readonly IncludePlan[]): string[] {
  return plans.flatMap(({ type, where, within }) => [type.name, ...typesIn(where), ...typesIncluded(within)])
}

/**
 * Fetches the included records with one query for each link, and returns each record with its own. A link is followed only if the asker
 * sees the fields that it joins on, on both sides; otherwise the included records would reveal them.
 */
export async function included(op: Operation, type: TypeModel, seen: readonly Seen[], plans: readonly IncludePlan[]): Promise<Row[]> {
  const along = await Promise.all(plans.map((plan) => follow(op, type, seen, plan)))
  return seen.map(({ shown }, at) => ({ ...shown, ...Object.fromEntries(plans.map(({ link }, of) => [link.name, along[of]?.[at]])) }))
}

async function follow(op: Operation, type: TypeModel, seen: readonly Seen[], plan: IncludePlan): Promise<unknown[]> {
  const { link, type: target, where, sort, within } = plan
  const ways = seen.map((one) => waysOf(type, one, link))
  const wanted = [...new Map(ways.flat().map((way) => [JSON.stringify(way), way])).values()]
  if (wanted.length === 0) return seen.map(() => (link.many ? [] : undefined))
  const visible = link.by.map(({ to }) => visibleField(op.asker, target.name, to.path[0] as string))
  const found = await see(op, target.name, {
    where: allOfNode([...visible, reachedBy(link, wanted), guardedWhere(op.asker, target, where)]),
    sort: orderFor(op, target, sort),
  })
  const rows = await included(op, target, found, within)
  const reached = new Map<string, number[]>()
  for (const [at, { row }] of found.entries())
    for (const way of new Set(waysTo(row, link).map((one) => JSON.stringify(one)))) {
      const there = reached.get(way)
      if (there === undefined) reached.set(way, [at])
      else there.push(at)
    }
  return ways.map((mine) => {
    const places = new Set(mine.flatMap((way) => reached.get(JSON.stringify(way)) ?? []))
    // In the order in which they were found, whatever path led to them.
    const own = [...places].sort((a, b) => a - b).map((at) => rows[at])
    return link.many ? own : own[0]
  })
}

/** The values by which the link leads on from a record, one for each pair; empty if the asker does not see them. */
function waysOf(type: TypeModel, { row, visible }: Seen, link: LinkModel): Comparable[][] {
  const hidden = link.by.some(
    ({ from }) => !isKeyField(type, from.path[0] as string) && visible !== undefined && !visible.includes(from.path[0] as string),
  )
  return hidden
    ? []
    : waysAt(
        row,
        link.by.map(({ from }) => from),
      )
}

function waysTo(row: Row, link: LinkModel): Comparable[][] {
  return waysAt(
    row,
    link.by.map(({ to }) => to),
  )
}

/** A condition for the records that any of these paths leads to. */
function reachedBy(link: LinkModel, ways: readonly Comparable[][]): ConditionNode {
  const [only] = link.by
  if (only !== undefined && link.by.length === 1)
    return placeIsOneOf(
      only.to,
      ways.map(([value]) => value as Comparable),
    )
  return anyOfNode(ways.map((way) => allOfNode(link.by.map(({ to }, at) => placeIs(to, way[at] as Comparable)))))
}
