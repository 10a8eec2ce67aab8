// The subscriptions to the lists of a store, and what they must check again.
import type { ConditionNode } from '../../condition/index.js'
import type { Condition, Key, TypeModel } from '../../rulebook/index.js'
import type { GuardedStore } from '../../store/index.js'
import type { Inside } from '../../store/internals.js'
import type { Anchor } from '../../store/read/anchors.js'
import { type ConditionIndex, conditionIndex } from './index-of.js'
import { type Reach, reachOf } from './reach.js'

/** An event of a list. */
export type LiveEvent =
  /** The whole list, with the key of each record. */
  | { readonly event: 'listed'; readonly keys: readonly Key[]; readonly records: readonly unknown[] }
  | { readonly event: 'appeared' | 'changed'; readonly key: Key; readonly record: unknown }
  | { readonly event: 'gone'; readonly key: Key }
  /** What the person may do has changed: what was asked of rules has to be asked again. */
  | { readonly event: 'rules' }
  /** It cannot go on: sign in again, narrow the list, or come back later. */
  | { readonly event: 'ended'; readonly why: 'sign in' | 'too many' | 'failed' }

/** The records that a subscription covers. */
export interface LiveQuery {
  readonly where?: ((record: unknown) => Condition) | undefined
  readonly fields?: readonly string[] | undefined
  /** Also the verdicts for each record. */
  readonly withActions?: readonly string[] | undefined
  /** A text that is the same for equal queries, so that equal subscriptions share the work. */
  readonly name?: string | undefined
}

/** The subscribers of the same list as the same person. */
export interface Subscription {
  readonly id: string
  readonly watched: WatchedStore
  readonly me: unknown
  readonly type: TypeModel
  readonly query: LiveQuery
  readonly where: ConditionNode
  /** The store of the person. It is not kept, since their specialised rules take memory. */
  readonly open: () => GuardedStore
  readonly subscribers: Set<Subscriber>
  /** A hash of what was sent last, by key. */
  readonly shown: Map<Key, string>
  /** Resolves when the subscription is in the index for the first time. */
  placed: Promise<void>
  cover: readonly Anchor[] | undefined
  /** The claims with the person's own records, as the rules were last specialised for. */
  as: string | undefined
  /** The places of the person's own records. */
  mineAt: readonly string[]
  /** Times at which the result may change. */
  instants: readonly number[]
  dirty: Set<Key>
  stale: boolean
  /** The claims changed since the rules were last specialised. */
  moved: boolean
  running: Promise<void> | undefined
  failures: number
}

/** One subscriber. */
export interface Subscriber {
  readonly hear: (event: LiveEvent) => void
  /** The person for the quota, as far as known. */
  readonly asker: string
  /** Must receive the whole list. */
  fresh: boolean
}

/** One store and its subscriptions. */
export interface WatchedStore {
  readonly inside: Inside
  readonly subscriptions: Map<string, Subscription>
  readonly indexes: Map<string, ConditionIndex<Subscription>>
  /** The subscriptions that show a record, by type and key. */
  readonly showing: Map<string, Map<Key, Set<Subscription>>>
  readonly reaches: Map<string, Reach>
  readonly reached: Set<string>
  /** The subscriptions by the places of their own records. */
  readonly own: Map<string, Set<Subscription>>
  /** The subscriptions that must be checked because something changed. */
  readonly concerned: Set<Subscription>
  /** The subscriptions whose result changes at a known time. */
  readonly timed: Set<Subscription>
  last: number
}

/** Marks the whole list of a subscription for a check; with `moved`, also the person's claims. */
export function outdate(subscription: Subscription, moved = false): void {
  subscription.stale = true
  subscription.moved ||= moved
  subscription.watched.concerned.add(subscription)
}

/** Marks one record of a subscription for a check. */
export function touch(subscription: Subscription, key: Key): void {
  subscription.dirty.add(key)
  subscription.watched.concerned.add(subscription)
}

/** Whether there is anything to check, and a subscriber. */
export const isConcerned = (subscription: Subscription) =>
  subscription.subscribers.size > 0 &&
  (subscription.stale || subscription.moved || subscription.dirty.size > 0 || [...subscription.subscribers].some(({ fresh }) => fresh))

/** Whether the subscription still has a subscriber. */
export const isWatched = (subscription: Subscription) => subscription.watched.subscriptions.get(subscription.id) === subscription

/** The index over what the subscribers of a type may see. */
export function indexOf(watched: WatchedStore, type: string): ConditionIndex<Subscription> {
  const there = watched.indexes.get(type) ?? conditionIndex<Subscription>()
  watched.indexes.set(type, there)
  return there
}

/** Removes a subscription from a set, and an empty set from its map. */
export function forget<K>(from: Map<K, Set<Subscription>> | undefined, key: K, subscription: Subscription): void {
  const there = from?.get(key)
  there?.delete(subscription)
  if (there?.size === 0) from?.delete(key)
}

/** Records what a type's rules read, once for each set of actions. */
export function reachFor(watched: WatchedStore, type: string, actions: readonly string[]): void {
  const name = [type, ...actions].join(' ')
  if (watched.reached.has(name)) return
  watched.reached.add(name)
  watched.reaches.set(type, merged(watched.reaches.get(type), reachOf(watched.inside.model, type, actions)))
}

function merged(a: Reach | undefined, b: Reach): Reach {
  if (a === undefined) return b
  const ways = new Map([...a.ways, ...b.ways].map((steps) => [JSON.stringify(steps), steps]))
  const times = new Map([...a.times, ...b.times].map((one) => [JSON.stringify(one), one]))
  return {
    ways: [...ways.values()],
    anywhere: new Set([...a.anywhere, ...b.anywhere]),
    times: [...times.values()],
    ticking: a.ticking || b.ticking,
  }
}
