import { allOfNode, jsonText, type Row, simplify } from '../../condition/index.js'
import { coverOf } from '../../store/read/anchors.js'
import { instantsIn } from './instants.js'
import { ownPlaces } from './own-fields.js'
import { forget, indexOf, isWatched, type Subscription } from './subscription.js'

/** Specialises the rules for the person as they are now, and adds the result to the index. */
export async function place(subscription: Subscription): Promise<void> {
  const { watched, type, where } = subscription
  const { inside } = watched
  const asker = await inside.asker(subscription.me, [type.name])
  const when = simplify(allOfNode([asker.readable(type.name), where]), null)
  unplace(subscription)
  if (!isWatched(subscription)) return
  subscription.as = jsonText(asker.viewpoint?.me ?? null)
  subscription.cover = coverOf(when, type.name, inside.model)
  subscription.instants = instantsIn(when)
  if (subscription.instants.length > 0) watched.timed.add(subscription)
  indexOf(watched, type.name).add(subscription, subscription.cover)
  subscription.mineAt = ownPlaces(watched, type.name, asker.viewpoint?.me as Row | null | undefined)
  for (const name of subscription.mineAt) watched.own.set(name, (watched.own.get(name) ?? new Set()).add(subscription))
}

/** Removes a subscription from the index. */
export function unplace(subscription: Subscription): void {
  const { watched, type } = subscription
  watched.indexes.get(type.name)?.remove(subscription, subscription.cover)
  watched.timed.delete(subscription)
  for (const name of subscription.mineAt) forget(watched.own, name, subscription)
}
