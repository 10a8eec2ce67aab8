import { allOfNode, type Row, simplify, TRUE } from '../../condition/index.js'
import { type Condition, type Key, type Model, type TypeModel, typeModel, type World } from '../../rulebook/index.js'
import type { Change, GuardedStore, Store } from '../../store/index.js'
import { insideOf } from '../../store/internals.js'
import { readWhere } from '../../store/read/query.js'
import { RequestError, SetupError } from '../error.js'
import {
  type Audience,
  forget,
  type Hearer,
  type Home,
  indexOf,
  isConcerned,
  isWatched,
  type LiveEvent,
  type LiveQuery,
  outdate,
  reachFor,
} from './audience.js'
import { compare } from './compare.js'
import { due } from './due-instants.js'
import { find } from './find.js'
import { coverOf, instantsIn } from './lookup-anchors.js'
import { changesText, type Messages, readChanges } from './messages.js'
import { ownPlaces } from './own-fields.js'

/** How lists are kept up to date. */
export interface LiveOptions {
  /** How processes tell each other. Default: there is this one alone. */
  readonly messages?: Messages
  /** Every so many milliseconds it is looked whether the time itself has changed something. Default 1,000. */
  readonly tick?: number
  /** A list may have so many records. Default 5,000. */
  readonly listLimit?: number
  /** So many lists may be watched at once. Default 100,000. */
  readonly most?: number
  /** And so many by one person. Default 200. */
  readonly each?: number
  /** And so many by all visitors whom nothing tells apart. Default 1,000. */
  readonly visitors?: number
  /** Is told of what should not have happened. Default: written to the console. */
  readonly onFailure?: (error: unknown) => void
}

/** Lists that are kept up to date for those who watch them. */
export interface LiveLists {
  /** Hears of what is written through a store, even while nobody watches here: others may. `routes` does so. */
  hearOf<W extends World>(store: Store<W>): void
  /** Told of what was written past the store, by trusted code: records as they were and as they are. */
  changed(changes: readonly Change[]): void
  /** Everything is looked at anew: after an import past the store, say. */
  changedEverywhere(): void
  /**
   * Lets somebody watch. Each event is told in order. Gives a way to stop, and to be told the whole list again. `visitor` tells visitors
   * apart, by their addresses, say.
   */
  watch<W extends World>(
    store: Store<W>,
    me: W['me'] | null,
    type: string,
    query: LiveQuery,
    hear: (event: LiveEvent) => void,
    visitor?: string,
  ): Promise<{ stop(): void; again(): void }>
  /** When all that was told until now has been worked through. */
  settled(): Promise<void>
  /** How many watch, and how many lists that comes to. */
  readonly watching: { readonly people: number; readonly lists: number }
  /** Ends everything. */
  close(): Promise<void>
}

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
  const { messages, tick = 1000, listLimit = 5000, most = 100_000, each = 200, visitors = 1000, onFailure = logFailure } = options
  if (!(tick >= 10)) throw new SetupError('liveLists', 'tick: at least 10 milliseconds')
  const process = globalThis.crypto.randomUUID()
  const homes = new Map<object, Home>()
  const storesOf = new Map<Home, Store>()
  const waiting: { readonly home: Home; readonly changes: readonly Change[] }[] = []
  let working: Promise<void> | undefined
  let people = 0
  const watchedBy = new Map<string, number>()
  let stopListening: (() => unknown) | undefined
  let closed = false
  let ticks = 0
  let timer: ReturnType<typeof setInterval> | undefined

  const ready = (async () => {
    stopListening = await messages?.listen(heard, everywhere)
  })()
  ready.catch(onFailure)

  function heard(text: string): void {
    try {
      for (const home of homes.values()) {
        const changes = readChanges(home.inside.model, process, text)
        if (changes !== undefined) enqueue(home, changes)
      }
    } catch (error) {
      // Whatever it was about, nobody may miss it.
      onFailure(error)
      everywhere()
    }
  }

  function tell(home: Home, changes: readonly Change[]): void {
    enqueue(home, changes)
    if (messages === undefined) return
    // The others look at what there is when they hear again.
    void (async () => messages.send(changesText(process, changes)))().catch(onFailure)
  }

  function enqueue(home: Home, changes: readonly Change[]): void {
    if (closed) return
    waiting.push({ home, changes })
    working ??= work()
  }

  async function work(): Promise<void> {
    // What is written together is told together.
    await undefined
    while (waiting.length > 0) {
      const all = waiting.splice(0)
      for (const home of new Set(all.map((one) => one.home))) {
        const changes = all.flatMap((one) => (one.home === home ? one.changes : []))
        try {
          await find(home, changes)
        } catch (error) {
          // Whom it concerns could not be found out: so it may concern everybody.
          onFailure(error)
          for (const audience of home.audiences.values()) outdate(audience)
        }
        await check(home)
      }
    }
    working = undefined
  }

  /** Tells those who are concerned what has become of their lists. */
  async function check(home: Home): Promise<void> {
    const concernedOnes = [...home.concerned]
    home.concerned.clear()
    let next = 0
    const some = async () => {
      while (next < concernedOnes.length) await checked(concernedOnes[next++] as Audience)
    }
    await Promise.all(Array.from({ length: Math.min(8, concernedOnes.length) }, some))
  }

  function checked(audience: Audience): Promise<void> {
    if (audience.running === undefined) {
      const looking = look(audience)
      audience.running = looking
      lookings.add(looking)
      void looking.finally(() => lookings.delete(looking))
    }
    return audience.running
  }

  async function look(audience: Audience): Promise<void> {
    await audience.placed.catch(() => undefined)
    while (isConcerned(audience)) {
      try {
        await lookOnce(audience)
      } catch (error) {
        onFailure(error)
        // Not known is not unchanged: it is looked at again, and given up before long. Nobody else waits for that.
        audience.stale = true
        if (++audience.failures >= 5) end(audience, 'failed')
        else retry(audience)
        break
      }
    }
    // At once, so that what comes next begins anew.
    audience.running = undefined
  }

  function retry(audience: Audience): void {
    const again = new Promise((resolve) => setTimeout(resolve, 100 * 2 ** audience.failures).unref?.()).then(() => checked(audience))
    retries.add(again)
    void again.finally(() => retries.delete(again))
  }

  async function lookOnce(audience: Audience): Promise<void> {
    if (audience.moved) {
      audience.moved = false
      try {
        const before = audience.as
        await place(audience)
        if (audience.as !== before) for (const { hear } of audience.hearers) hear({ event: 'rules' })
      } catch (error) {
        audience.moved = true
        throw error
      }
    }
    const fresh = [...audience.hearers].filter((hearer) => hearer.fresh)
    const whole = audience.stale || fresh.length > 0
    const keys = [...audience.dirty]
    audience.dirty = new Set()
    audience.stale = false
    let records: readonly Row[]
    try {
      records = await list(audience, whole ? undefined : keys)
    } catch (error) {
      for (const key of keys) audience.dirty.add(key)
      audience.stale ||= whole
      throw error
    }
    // Nobody is there any more to be told.
    if (!isWatched(audience)) return
    audience.failures = 0
    if (records.length > listLimit) return end(audience, 'too many')
    const hearers = [...audience.hearers].filter((hearer) => !hearer.fresh)
    compare(audience, records, whole ? [...audience.shown.keys()] : keys, (event) => {
      for (const { hear } of hearers) hear(event)
    })
    if (audience.shown.size > listLimit) return end(audience, 'too many')
    for (const hearer of fresh) {
      hearer.fresh = false
      hearer.hear({ event: 'listed', records })
    }
  }

  async function list({ mine, type, query }: Audience, keys: readonly Key[] | undefined): Promise<readonly Row[]> {
    const among =
      keys === undefined
        ? undefined
        : (record: unknown) =>
            (record as { field(name: string): { isOneOf(keys: readonly Key[]): Condition } }).field(type.key).isOneOf(keys)
    const { where, fields, withActions } = query
    const both = where && among ? (record: unknown) => among(record).and(where(record)) : (among ?? where)
    return (await mine.list(type.name, {
      limit: keys === undefined ? listLimit + 1 : keys.length,
      ...(both ? { where: both as never } : {}),
      ...(fields ? { fields } : {}),
      ...(withActions?.length ? { withActions } : {}),
    } as never)) as readonly Row[]
  }

  /** Specialises the rules for somebody as they stand now, and puts what is left of them into the index. */
  async function place(audience: Audience): Promise<void> {
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

  function unplace(audience: Audience): void {
    const { home, type } = audience
    home.indexes.get(type.name)?.remove(audience, audience.cover)
    home.timed.delete(audience)
    for (const name of audience.mineAt) forget(home.own, name, audience)
  }

  function end(audience: Audience, why: 'too many' | 'failed'): void {
    for (const { hear } of audience.hearers) hear({ event: 'ended', why })
    people -= audience.hearers.size
    audience.hearers.clear()
    drop(audience)
  }

  function drop(audience: Audience): void {
    const { home, type, id } = audience
    unplace(audience)
    for (const key of audience.shown.keys()) forget(home.showing.get(type.name), key, audience)
    home.audiences.delete(id)
    if (homes.size > 0 && [...homes.values()].every(({ audiences }) => audiences.size === 0) && timer !== undefined) {
      clearInterval(timer)
      timer = undefined
    }
  }

  function begin(home: Home, id: string, me: unknown, type: TypeModel, query: LiveQuery): Audience {
    const audience: Audience = {
      id,
      home,
      me,
      type,
      query,
      where: query.where === undefined ? TRUE : readWhere(home.inside.model.types, type, query.where as never),
      mine: storesOf.get(home)?.for(me as never) as unknown as GuardedStore,
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
      people -= audience.hearers.size
      audience.hearers.clear()
      drop(audience)
      throw error
    })
    return audience
  }

  function homeOf(store: Store): Home {
    const there = homes.get(store)
    if (there !== undefined) return there
    const inside = insideOf(store)
    const home: Home = {
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
    homes.set(store, home)
    storesOf.set(home, store)
    unlisten.push(inside.listen((changes) => tell(home, changes)))
    return home
  }
  const unlisten: (() => void)[] = []
  const lookings = new Set<Promise<void>>()
  const retries = new Set<Promise<void>>()

  /** Looks whether the time itself has changed something. */
  async function pass(): Promise<void> {
    ticks++
    for (const home of homes.values()) {
      const changes = await due(home, ticks)
      if (changes.length > 0 || home.concerned.size > 0) enqueue(home, changes)
    }
  }

  function everywhere(): void {
    for (const home of homes.values()) {
      for (const audience of home.audiences.values()) outdate(audience, true)
      enqueue(home, [])
    }
  }

  return Object.freeze({
    hearOf: (store: Store) => void homeOf(store),
    changed(changes: readonly Change[]) {
      for (const home of homes.values()) tell(home, changes)
    },
    changedEverywhere: everywhere,
    async watch(store: Store, me: unknown, typeName: string, query: LiveQuery, hear: (event: LiveEvent) => void, visitor?: string) {
      if (closed) throw new RequestError(503, 'Lists are no longer kept up to date here.')
      await ready.catch(() => {
        throw new RequestError(503, 'Lists cannot be kept up to date here now.', { 'retry-after': '30' })
      })
      if (people >= most) throw new RequestError(503, 'Too many are watching already: try again later.', { 'retry-after': '30' })
      const home = homeOf(store)
      const asker = askerOf(home.inside.model, me, visitor)
      const allowed = asker === VISITORS ? visitors : each
      if ((watchedBy.get(asker) ?? 0) >= allowed)
        throw new RequestError(429, `You watch ${allowed} lists already: close some of the pages.`, { 'retry-after': '30' })
      const type = typeModel(home.inside.model, typeName)
      const id = JSON.stringify([typeName, me, query.name ?? globalThis.crypto.randomUUID()])
      reachFor(home, typeName, ['read', ...(query.withActions ?? [])])
      const audience = home.audiences.get(id) ?? begin(home, id, me, type, query)
      const hearer: Hearer = { hear, fresh: true }
      audience.hearers.add(hearer)
      people++
      watchedBy.set(asker, (watchedBy.get(asker) ?? 0) + 1)
      // In the index before it is listed: what is written in between is not missed.
      await audience.placed
      timer ??= setInterval(() => void pass().catch(onFailure), tick)
      timer.unref?.()
      void checked(audience)
      return Object.freeze({
        stop() {
          if (!audience.hearers.delete(hearer)) return
          people--
          const left = (watchedBy.get(asker) ?? 1) - 1
          if (left > 0) watchedBy.set(asker, left)
          else watchedBy.delete(asker)
          if (audience.hearers.size === 0) drop(audience)
        },
        again() {
          hearer.fresh = true
          void checked(audience)
        },
      })
    },
    async settled() {
      for (;;) {
        if (working === undefined && lookings.size + retries.size === 0) return
        await Promise.all([working, ...lookings, ...retries])
      }
    },
    get watching() {
      return { people, lists: [...homes.values()].reduce((sum, { audiences }) => sum + audiences.size, 0) }
    },
    async close() {
      closed = true
      clearInterval(timer)
      for (const stop of unlisten) stop()
      for (const home of homes.values()) for (const audience of [...home.audiences.values()]) end(audience, 'failed')
      await ready.catch(() => undefined)
      await stopListening?.()
    },
  }) as LiveLists
}

const VISITORS = 'visitors'

/** Who watches, as far as it is known: everybody may watch so many lists, whatever their claims are besides. */
function askerOf({ me: { key } }: Model, me: unknown, visitor: string | undefined): string {
  if (me !== null && me !== undefined) return `person ${JSON.stringify((me as Row)[key])}`
  return visitor === undefined ? VISITORS : `visitor ${visitor}`
}

function logFailure(error: unknown): void {
  console.error('pachter: a live list', error)
}
