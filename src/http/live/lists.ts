import { TRUE } from '../../condition/index.js'
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
 * Keeps lists up to date: whoever watches one hears of records that appear in it, change and are gone, as records, shares, owners
 * and parents change, as somebody's own roles do, and as time passes. Whom a change concerns is found through an index over
 * their specialised rules, and what they are told is read through the guarded store.
 *
 * @example
 * const live = liveLists()
 * app.all('/api/*', (context) => routes(book, store, { identity, base: '/api', live })(context.req.raw))
 */
export function liveLists(options: LiveOptions = {}): LiveLists {
  const { tick = 1000 } = options
  if (!(tick >= 10)) throw new SetupError('liveLists', 'tick: at least 10 milliseconds')
  const server = new LiveListServer(options, tick)
  return Object.freeze({
    hearOf: (store: Store) => void server.homeOf(store),
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
  readonly #homes = new Map<object, WatchedStore>()
  readonly #storesOf = new Map<WatchedStore, Store>()
  readonly #waiting: { readonly home: WatchedStore; readonly changes: readonly RecordChange[] }[] = []
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
    this.#refresh = new Refresh(listLimit, (audience, why) => this.#end(audience, why), onFailure)
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
      for (const home of this.#homes.values()) {
        const changes = readChanges(home.inside.model, this.#process, text)
        if (changes !== undefined) this.#enqueue(home, changes)
      }
    } catch (error) {
      // Whatever it was about, nobody may miss it.
      this.#onFailure(error)
      this.everywhere()
    }
  }

  #tell(home: WatchedStore, changes: readonly RecordChange[]): void {
    this.#enqueue(home, changes)
    const messages = this.#messages
    if (messages === undefined) return
    // The others look at what there is when they hear again.
    void (async () => messages.send(changesText(this.#process, changes)))().catch(this.#onFailure)
  }

  #enqueue(home: WatchedStore, changes: readonly RecordChange[]): void {
    if (this.#closed) return
    this.#waiting.push({ home, changes })
    this.#working ??= this.#work()
  }

  async #work(): Promise<void> {
    // What is written together is told together.
    await undefined
    while (this.#waiting.length > 0) {
      const all = this.#waiting.splice(0)
      for (const home of new Set(all.map((one) => one.home))) {
        const changes = all.flatMap((one) => (one.home === home ? one.changes : []))
        try {
          await find(home, changes)
        } catch (error) {
          // Whom it concerns could not be found out: so it may concern everybody.
          this.#onFailure(error)
          for (const audience of home.audiences.values()) outdate(audience)
        }
        const concerned = [...home.concerned]
        home.concerned.clear()
        await this.#refresh.all(concerned)
      }
    }
    this.#working = undefined
  }

  #end(audience: Subscription, why: 'too many' | 'failed'): void {
    for (const { hear } of audience.hearers) hear({ event: 'ended', why })
    this.#drop(audience)
  }

  /** Ends a list, for all who watch it. */
  #drop(audience: Subscription): void {
    const { home, type, id, hearers } = audience
    for (const { asker } of hearers) this.#quota.stop(asker)
    hearers.clear()
    unplace(audience)
    for (const key of audience.shown.keys()) forget(home.showing.get(type.name), key, audience)
    home.audiences.delete(id)
    if ([...this.#homes.values()].every(({ audiences }) => audiences.size === 0)) {
      clearInterval(this.#timer)
      this.#timer = undefined
    }
  }

  #begin(home: WatchedStore, id: string, me: unknown, type: TypeModel, query: LiveQuery): Subscription {
    const audience: Subscription = {
      id,
      home,
      me,
      type,
      query,
      where: query.where === undefined ? TRUE : readWhere(home.inside.model.types, type, query.where as never),
      mine: this.#storesOf.get(home)?.for(me as never) as unknown as GuardedStore,
      hearers: new Set(),
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
    home.audiences.set(id, audience)
    audience.placed = place(audience).catch((error: unknown) => {
      this.#drop(audience)
      throw error
    })
    return audience
  }

  homeOf(store: Store): WatchedStore {
    const there = this.#homes.get(store)
    if (there !== undefined) return there
    const inside = insideOf(store)
    const home: WatchedStore = {
      inside,
      audiences: new Map(),
      indexes: new Map(),
      showing: new Map(),
      reaches: new Map(),
      reached: new Set(),
      own: new Map(),
      concerned: new Set(),
      timed: new Set(),
      last: inside.now(),
    }
    this.#homes.set(store, home)
    this.#storesOf.set(home, store)
    this.#unlisten.push(inside.listen((changes) => this.#tell(home, changes)))
    return home
  }

  /** Looks whether the time itself has changed something. */
  async #pass(): Promise<void> {
    this.#ticks++
    for (const home of this.#homes.values()) {
      const changes = await due(home, this.#ticks)
      if (changes.length > 0 || home.concerned.size > 0) this.#enqueue(home, changes)
    }
  }

  changed(changes: readonly RecordChange[]): void {
    for (const home of this.#homes.values()) this.#tell(home, changes)
  }

  everywhere(): void {
    for (const home of this.#homes.values()) {
      for (const audience of home.audiences.values()) outdate(audience, true)
      this.#enqueue(home, [])
    }
  }

  async watch(store: Store, me: unknown, typeName: string, query: LiveQuery, hear: (event: LiveEvent) => void, visitor?: string) {
    if (this.#closed) throw new RequestError(503, 'Lists are no longer kept up to date here.')
    await this.#ready.catch(() => {
      throw new RequestError(503, 'Lists cannot be kept up to date here now.', { 'retry-after': '30' })
    })
    const home = this.homeOf(store)
    const asker = this.#quota.check(home.inside.model, me, visitor)
    const type = typeModel(home.inside.model, typeName)
    const id = JSON.stringify([typeName, me, query.name ?? globalThis.crypto.randomUUID()])
    reachFor(home, typeName, ['read', ...(query.withActions ?? [])])
    const audience = home.audiences.get(id) ?? this.#begin(home, id, me, type, query)
    const hearer: Subscriber = { hear, asker, fresh: true }
    audience.hearers.add(hearer)
    this.#quota.begin(asker)
    // In the index before it is listed: what is written in between is not missed.
    await audience.placed
    this.#timer ??= setInterval(() => void this.#pass().catch(this.#onFailure), this.#tick)
    this.#timer.unref?.()
    void this.#refresh.one(audience)
    return Object.freeze({
      stop: () => {
        if (!audience.hearers.delete(hearer)) return
        this.#quota.stop(asker)
        if (audience.hearers.size === 0) this.#drop(audience)
      },
      again: () => {
        hearer.fresh = true
        void this.#refresh.one(audience)
      },
    })
  }

  /** When all that was told until now has been worked through. */
  async settled(): Promise<void> {
    for (;;) {
      const underWay = this.#refresh.underWay
      if (this.#working === undefined && underWay.length === 0) return
      await Promise.all([this.#working, ...underWay])
    }
  }

  get watching(): { readonly people: number; readonly lists: number } {
    return { people: this.#quota.people, lists: [...this.#homes.values()].reduce((sum, { audiences }) => sum + audiences.size, 0) }
  }

  async close(): Promise<void> {
    this.#closed = true
    clearInterval(this.#timer)
    for (const stop of this.#unlisten) stop()
    for (const home of this.#homes.values()) for (const audience of [...home.audiences.values()]) this.#end(audience, 'failed')
    await this.#ready.catch(() => undefined)
    await this.#stopListening?.()
  }
}

function logFailure(error: unknown): void {
  console.error('pachter: a live list', error)
}
