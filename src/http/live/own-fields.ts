import { type Row, valuesAt } from '../../condition/index.js'
import { linksOfMe, startOfLink } from '../../viewpoint/index.js'
import type { Subscription, WatchedStore } from './subscription.js'

/** The places of a person's own records. A write there can change the person's claims. */
export function ownPlaces({ inside }: WatchedStore, type: string, me: Row | null | undefined): string[] {
  if (me === null || me === undefined) return []
  return linksOfMe(inside.model, [type]).flatMap(({ path, link }) => {
    const from = startOfLink(me, path)
    return link.by.flatMap(({ from: place, to }) =>
      from === undefined ? [] : valuesAt(from, place).map((value) => ownName(link.to, to.path, value)),
    )
  })
}

function ownName(type: string, path: readonly string[], value: unknown): string {
  return JSON.stringify([type, path, value])
}

/** The subscriptions whose own records are among these. */
export function ownAt(watched: WatchedStore, type: string, rows: readonly Row[]): Subscription[] {
  const links = watched.own.size === 0 ? [] : linksOfMe(watched.inside.model).filter(({ link }) => link.to === type)
  const places = links.flatMap(({ link }) => link.by.map(({ to }) => to))
  const names = new Set(places.flatMap((to) => rows.flatMap((row) => valuesAt(row, to).map((value) => ownName(type, to.path, value)))))
  return [...names].flatMap((name) => [...(watched.own.get(name) ?? [])])
}
