import { jsonText, TRUE } from '../../condition/index.js'
import { type TypeModel, typeModel } from '../../rulebook/index.js'
import type { GuardedStore, RecordChange, Store } from '../../store/index.js'
import { insideOf } from '../../store/internals.js'
import { readWhere } from '../../store/read/query.js'
import { RequestError, SetupError } from '../error.js'
import { due } from './due-instants.js'
import { find } from './find.js'
import type { LiveLists, LiveOptions } from './live-types.js'
import { changesText, type Messages, readChanges } from './messages.js'
import { place, unplace } from './placement.js'
import { Quota } from './quota.js'
import { Refresh } from './refresh.js'
import {
  forget,
  type LiveEvent,
  type LiveQuery,
  outdate,
  reachFor,
  type Subscriber,
  type Subscription,
  type WatchedStore,
} from './subscription.js'

/**
 * Keeps lists up to date. Subscribers receive the records that appear, change and leave: because of changes to records, shares, owners,
 * parents or a person's own roles, and as time passes. An index over the subscribers' specialised rules finds those that a change
 * affects. What they receive is read through the guarded store.
 *
 * @example
 * const live = liveLists()
 * app.all('/api/*', (context) => routes(book, store, { identity, base: '/api', live })(context.req.raw))
 */
export function liveLists(options: LiveOptions = {}): LiveLists {
  const { tick = 1000 } = options
  if (!(tick >= 10)) throw new SetupError('liveLists', 'has to be at least 10 milliseconds')
  const server = new LiveListServer(options, tick)
  return Object.freeze({
    hearOf: (store: Store) => void server.watchedOf(store),
    changed: (changes: readonly RecordChange[]) => server.changed(changes),
    changedEverywhere: () => server.everywhere(),
    watch: server.watch.bind(server),
    settled: () => server.settled(),
    get watching() {
      return server.watching
    },
    close: () => server.close(),
  }) as unknown as LiveLists
}

class LiveListServer {
  readonly #process = globalThis.crypto.randomUUID()
  readonly #watched = new Map<object, WatchedStore>()
  readonly #storesOf = new Map<WatchedStore, Store>()
  readonly #waiting: { readonly watched: WatchedStore; readonly changes: readonly RecordChange[] }[] = []
  readonly #unlisten: (() => void)[] = []
  readonly #messages: Messages | undefined
  readonly #onFailure: (error: unknown) => void
  readonly #tick: number
  readonly #quota: Quota
  readonly #refresh: Refresh
  readonly #ready: Promise<void>
  #stopListening: (() => unknown) | undefined
  #working: Promise<void> | undefined
  #timer: ReturnType<typeof setInterval> | undefined
  #ticks = 0
  #closed = false

  constructor(
    { messages, listLimit = 5000, most = 100_000, each = 200, visitors = 1000, onFailure = logFailure }: LiveOptions,
    tick: number,
  ) {
    this.#messages = messages
    this.#onFailure = onFailure
    this.#tick = tick
    this.#quota = new Quota({ most, each, visitors })
    this.#refresh = new Refresh(listLimit, (subscription, why) => this.#end(subscription, why), onFailure)
    this.#ready = this.#listen()
    this.#ready.catch(onFailure)
  }

  async #listen(): Promise<void> {
    this.#stopListening = await this.#messages?.listen(
      (text) => this.#heard(text),
      () => this.everywhere(),
    )
  }

  #heard(text: string): void {
    try {
      for (const watched of this.#watched.values()) {
        const changes = readChanges(watched.inside.model, this.#process, text)
        if (changes !== undefined) this.#enqueue(watched, changes)
      }
    } catch (error) {
      // If a listener failed, the change still has to reach the others.
      this.#onFailure(error)
      this.everywhere()
    }
  }

  #tell(watched: WatchedStore, changes: readonly RecordChange[]): void {
    this.#enqueue(watched, changes)
    const messages = this.#messages
    if (messages === undefined) return
    // The others look at the current state at the next message.
    void (async () => messages.send(changesText(this.#process, changes)))().catch(this.#onFailure)
  }

  #enqueue(watched: WatchedStore, changes: readonly RecordChange[]): void {
    if (this.#closed) return
    this.#waiting.push({ watched, changes })
    this.#working ??= this.#work()
  }

  async #work(): Promise<void> {
    // Changes of one transaction are sent together.
    await undefined
    while (this.#waiting.length > 0) {
      const all = this.#waiting.splice(0)
      for (const watched of new Set(all.map((one) => one.watched))) {
        const changes = all.flatMap((one) => (one.watched === watched ? one.changes : []))
        try {
          await find(watched, changes)
        } catch (error) {
          // It is unknown which subscriptions this affects, so check all.
          this.#onFailure(error)
          for (const subscription of watched.subscriptions.values()) outdate(subscription)
        }
        const concerned = [...watched.concerned]
        watched.concerned.clear()
        await this.#refresh.all(concerned)
      }
    }
    this.#working = undefined
  }

  #end(subscription: Subscription, why: 'too many' | 'failed'): void {
    for (const { hear } of subscription.subscribers) hear({ event: 'ended', why })
    this.#drop(subscription)
  }

  /** Ends a list for all its subscribers. */
  #drop(subscription: Subscription): void {
    const { watched, type, id, subscribers } = subscription
    for (const { asker } of subscribers) this.#quota.stop(asker)
    subscribers.clear()
    unplace(subscription)
    for (const key of subscription.shown.keys()) forget(watched.showing.get(type.name), key, subscription)
    watched.subscriptions.delete(id)
    if ([...this.#watched.values()].every(({ subscriptions }) => subscriptions.size === 0)) {
      clearInterval(this.#timer)
      this.#timer = undefined
    }
  }

  #begin(watched: WatchedStore, id: string, me: unknown, type: TypeModel, query: LiveQuery): Subscription {
    const subscription: Subscription = {
      id,
      watched,
      me,
      type,
      query,
      where: query.where === undefined ? TRUE : readWhere(watched.inside.model.types, type, query.where),
      open: () => this.#storesOf.get(watched)?.for(me as never) as unknown as GuardedStore,
      subscribers: new Set(),
      shown: new Map(),
      placed: Promise.resolve(),
      cover: [],
      as: undefined,
      mineAt: [],
      instants: [],
      dirty: new Set(),
      stale: true,
      moved: false,
      running: undefined,
      failures: 0,
    }
    watched.subscriptions.set(id, subscription)
    subscription.placed = place(subscription).catch((error: unknown) => {
      this.#drop(subscription)
      throw error
    })
    return subscription
  }

  watchedOf(store: Store): WatchedStore {
    const there = this.#watched.get(store)
    if (there !== undefined) return there
    const inside = insideOf(store)
    const watched: WatchedStore = {
      inside,
      subscriptions: new Map(),
      indexes: new Map(),
      showing: new Map(),
      reaches: new Map(),
      reached: new Set(),
      own: new Map(),
      concerned: new Set(),
      timed: new Set(),
      last: inside.now(),
    }
    this.#watched.set(store, watched)
    this.#storesOf.set(watched, store)
    this.#unlisten.push(inside.listen((changes) => this.#tell(watched, changes)))
    return watched
  }

  /** Checks whether anything changed because time passed. */
  async #pass(): Promise<void> {
    this.#ticks++
    for (const watched of this.#watched.values()) {
      const changes = await due(watched, this.#ticks)
      if (changes.length > 0 || watched.concerned.size > 0) this.#enqueue(watched, changes)
    }
  }

  changed(changes: readonly RecordChange[]): void {
    for (const watched of this.#watched.values()) this.#tell(watched, changes)
  }

  everywhere(): void {
    for (const watched of this.#watched.values()) {
      for (const subscription of watched.subscriptions.values()) outdate(subscription, true)
      this.#enqueue(watched, [])
    }
  }

  async watch(store: Store, me: unknown, typeName: string, query: LiveQuery, hear: (event: LiveEvent) => void, visitor?: string) {
    if (this.#closed) throw new RequestError(503, 'Live lists have been stopped on this server.')
    await this.#ready.catch(() => {
      throw new RequestError(503, 'Live lists are not available now.', { 'retry-after': '30' })
    })
    const watched = this.watchedOf(store)
    const asker = this.#quota.check(watched.inside.model, me, visitor)
    const type = typeModel(watched.inside.model, typeName)
    const id = jsonText([typeName, me, query.name ?? globalThis.crypto.randomUUID()])
    reachFor(watched, typeName, ['read', ...(query.withActions ?? [])])
    const subscription = watched.subscriptions.get(id) ?? this.#begin(watched, id, me, type, query)
    const subscriber: Subscriber = { hear, asker, fresh: true }
    subscription.subscribers.add(subscriber)
    this.#quota.begin(asker)
    // Added to the index before the list is read, so that no write in between is missed.
    await subscription.placed
    this.#timer ??= setInterval(() => void this.#pass().catch(this.#onFailure), this.#tick)
    this.#timer.unref?.()
    void this.#refresh.one(subscription)
    return Object.freeze({
      stop: () => {
        if (!subscription.subscribers.delete(subscriber)) return
        this.#quota.stop(asker)
        if (subscription.subscribers.size === 0) this.#drop(subscription)
      },
      again: () => {
        subscriber.fresh = true
        void this.#refresh.one(subscription)
      },
    })
  }

  /** Resolves when all changes reported so far have been processed. */
  async settled(): Promise<void> {
    for (;;) {
      const underWay = this.#refresh.underWay
      if (this.#working === undefined && underWay.length === 0) return
      await Promise.all([this.#working, ...underWay])
    }
  }

  get watching(): { readonly people: number; readonly lists: number } {
    return {
      people: this.#quota.people,
      lists: [...this.#watched.values()].reduce((sum, { subscriptions }) => sum + subscriptions.size, 0),
    }
  }

  async close(): Promise<void> {
    this.#closed = true
    clearInterval(this.#timer)
    for (const stop of this.#unlisten) stop()
    for (const watched of this.#watched.values())
      for (const subscription of [...watched.subscriptions.values()]) this.#end(subscription, 'failed')
    await this.#ready.catch(() => undefined)
    await this.#stopListening?.()
  }
}

function logFailure(error: unknown): void {
  console.error('pachter: a live list', error)
}
