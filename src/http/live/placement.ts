import { allOfNode, type Row, simplify } from '../../condition/index.js'
import { coverOf, instantsIn } from './lookup-anchors.js'
import { ownPlaces } from './own-fields.js'
import { forget, indexOf, isWatched, type Subscription } from './subscription.js'

/** Specialises the rules for somebody as they stand now, and puts what is left of them into the index. */
export async function place(audience: Subscription): Promise<void> {
  const { home, type, where } = audience
  const { inside } = home
  const asker = await inside.asker(audience.me, [type.name])
  const when = simplify(allOfNode([asker.readable(type.name), where]), null)
  unplace(audience)
  if (!isWatched(audience)) return
  audience.as = JSON.stringify(asker.viewpoint?.me ?? null)
  audience.cover = coverOf(when, type.name, inside.model)
  audience.instants = instantsIn(when)
  if (audience.instants.length > 0) home.timed.add(audience)
  indexOf(home, type.name).add(audience, audience.cover)
  audience.mineAt = ownPlaces(home, type.name, asker.viewpoint?.me as Row | null | undefined)
  for (const name of audience.mineAt) home.own.set(name, (home.own.get(name) ?? new Set()).add(audience))
}

/** Takes an audience out of the index. */
export function unplace(audience: Subscription): void {
  const { home, type } = audience
  home.indexes.get(type.name)?.remove(audience, audience.cover)
  home.timed.delete(audience)
  for (const name of audience.mineAt) forget(home.own, name, audience)
}
