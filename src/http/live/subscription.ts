// Who watches which list of a store, and what is to be looked at again.
import type { ConditionNode } from '../../condition/index.js'
import type { Condition, Key, TypeModel } from '../../rulebook/index.js'
import type { GuardedStore } from '../../store/index.js'
import type { Inside } from '../../store/internals.js'
import { type ConditionIndex, conditionIndex } from './index-of.js'
import type { Anchor } from './lookup-anchors.js'
import { type Reach, reachOf } from './reach.js'

/** What somebody hears of a list. */
export type LiveEvent =
  | { readonly event: 'listed'; readonly records: readonly unknown[] }
  | { readonly event: 'appeared' | 'changed'; readonly key: Key; readonly record: unknown }
  | { readonly event: 'gone'; readonly key: Key }
  /** What the person may do has changed: what was asked of rules has to be asked again. */
  | { readonly event: 'rules' }
  /** It cannot go on: sign in again, narrow the list, or come back later. */
  | { readonly event: 'ended'; readonly why: 'sign in' | 'too many' | 'failed' }

/** Which records somebody watches. */
export interface LiveQuery {
  readonly where?: ((record: unknown) => Condition) | undefined
  readonly fields?: readonly string[] | undefined
  /** What may be done to each, along with it. */
  readonly withActions?: readonly string[] | undefined
  /** The same text for the same query, so that those who ask alike share the work. */
  readonly name?: string | undefined
}

/** Those who watch the same list as the same person. */
export interface Subscription {
  readonly id: string
  readonly watched: WatchedStore
  readonly me: unknown
  readonly type: TypeModel
  readonly query: LiveQuery
  readonly where: ConditionNode
  readonly mine: GuardedStore
  readonly subscribers: Set<Subscriber>
  /** What they were told last, by key: a digest of it. */
  readonly shown: Map<Key, string>
  /** When it is in the index for the first time. */
  placed: Promise<void>
  cover: readonly Anchor[] | undefined
  /** Who they are, with their own records, as the rules were specialised for. */
  as: string | undefined
  /** Where records are looked for that tell who they are. */
  mineAt: readonly string[]
  /** Instants at which it may come out otherwise. */
  instants: readonly number[]
  dirty: Set<Key>
  stale: boolean
  /** They stand otherwise than when the rules were last specialised for them. */
  moved: boolean
  running: Promise<void> | undefined
  failures: number
}

/** One of them. */
export interface Subscriber {
  readonly hear: (event: LiveEvent) => void
  /** Who it is, as far as that is counted. */
  readonly asker: string
  /** Has to be told the whole list. */
  fresh: boolean
}

/** One store, and what is watched of it. */
export interface WatchedStore {
  readonly inside: Inside
  readonly subscriptions: Map<string, Subscription>
  readonly indexes: Map<string, ConditionIndex<Subscription>>
  /** Who is shown a record, by type and key. */
  readonly showing: Map<string, Map<Key, Set<Subscription>>>
  readonly reaches: Map<string, Reach>
  readonly reached: Set<string>
  /** Whose own records are where. */
  readonly own: Map<string, Set<Subscription>>
  /** Who has to be looked at, now that something has changed. */
  readonly concerned: Set<Subscription>
  /** The subscriptions for which something changes by itself at a known instant. */
  readonly timed: Set<Subscription>
  last: number
}

/** Notes that the whole list of a subscription has to be looked at; `moved`, and who they are as well. */
export function outdate(subscription: Subscription, moved = false): void {
  subscription.stale = true
  subscription.moved ||= moved
  subscription.watched.concerned.add(subscription)
}

/** Notes that a record may have come, gone or changed for a subscription. */
export function touch(subscription: Subscription, key: Key): void {
  subscription.dirty.add(key)
  subscription.watched.concerned.add(subscription)
}

/** Whether there is anything to look at, and anybody to tell. */
export const isConcerned = (subscription: Subscription) =>
  subscription.subscribers.size > 0 &&
  (subscription.stale || subscription.moved || subscription.dirty.size > 0 || [...subscription.subscribers].some(({ fresh }) => fresh))

/** Whether anybody watches it still. */
export const isWatched = (subscription: Subscription) => subscription.watched.subscriptions.get(subscription.id) === subscription

/** The index over what those who watch records of a type may see. */
export function indexOf(watched: WatchedStore, type: string): ConditionIndex<Subscription> {
  const there = watched.indexes.get(type) ?? conditionIndex<Subscription>()
  watched.indexes.set(type, there)
  return there
}

/** Takes a subscription out of a set, and the set away when it is empty. */
export function forget<K>(from: Map<K, Set<Subscription>> | undefined, key: K, subscription: Subscription): void {
  const there = from?.get(key)
  there?.delete(subscription)
  if (there?.size === 0) from?.delete(key)
}

/** Notes what a type's rules hang on, once for each set of actions. */
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
