import { linkedAs, type Row, valuesAt } from '../../condition/index.js'
import type { LinkModel } from '../../rulebook/index.js'
import { type FurtherLink, linksOfMe, startOfLink } from '../../viewpoint/index.js'
import type { Subscription, WatchedStore } from './subscription.js'

/** The places of a person's own records, and of those that further links lead to. A write there can change the person's claims. */
export function ownPlaces({ inside }: WatchedStore, type: string, me: Row | null | undefined): string[] {
  if (me === null || me === undefined) return []
  return linksOfMe(inside.model, [type]).flatMap(({ path, link, further }) => {
    const from = startOfLink(me, path)
    const own = from?.[path.at(-1) as string]
    return [...placesFrom(link, from), ...(Array.isArray(own) ? further.flatMap((one) => furtherPlaces(one, own)) : [])]
  })
}

function furtherPlaces({ link, further }: FurtherLink, rows: readonly Row[]): string[] {
  const found = rows.flatMap((row) => (row[linkedAs(link)] ?? []) as readonly Row[])
  return [...rows.flatMap((row) => placesFrom(link, row)), ...further.flatMap((one) => furtherPlaces(one, found))]
}

function placesFrom({ to: type, by }: LinkModel, from: Row | undefined): string[] {
  return by.flatMap(({ from: place, to }) =>
    from === undefined ? [] : valuesAt(from, place).map((value) => ownName(type, to.path, value)),
  )
}

function ownName(type: string, path: readonly string[], value: unknown): string {
  return JSON.stringify([type, path, value])
}

/** The subscriptions whose own records are among these. */
export function ownAt(watched: WatchedStore, type: string, rows: readonly Row[]): Subscription[] {
  const links = watched.own.size === 0 ? [] : linksTo(type, linksOfMe(watched.inside.model))
  const places = links.flatMap((link) => link.by.map(({ to }) => to))
  const names = new Set(places.flatMap((to) => rows.flatMap((row) => valuesAt(row, to).map((value) => ownName(type, to.path, value)))))
  return [...names].flatMap((name) => [...(watched.own.get(name) ?? [])])
}

function linksTo(type: string, all: readonly FurtherLink[]): readonly LinkModel[] {
  return all.flatMap(({ link, further }) => [...(link.to === type ? [link] : []), ...linksTo(type, further)])
}
