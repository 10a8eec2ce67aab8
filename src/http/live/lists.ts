import { allOfNode, type ConditionNode, type Row, simplify, TRUE, valuesAt } from '../../condition/index.js'
import { type Condition, type Key, type TypeModel, typeModel, type World } from '../../rulebook/index.js'
import type { Change, GuardedStore, Store } from '../../store/index.js'
import { type Inside, insideOf } from '../../store/inside.js'
import { placeIsOneOf } from '../../store/known.js'
import { keyIs } from '../../store/operation.js'
import { readWhere } from '../../store/query.js'
import { linksOfMe, startOfLink } from '../../viewpoint/index.js'
import { RequestError, SetupError } from '../error.js'
import { type Anchor, coverOf, instantsIn } from './cover.js'
import { concerned, leadingTo, type Reading } from './follow.js'
import { type ConditionIndex, conditionIndex } from './index-of.js'
import { changesText, type Messages, readChanges } from './messages.js'
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

/** How lists are kept up to date. */
export interface LiveOptions {
  /** How processes tell each other. Default: there is this one alone. */
  readonly messages?: Messages
  /** Every so many milliseconds it is looked whether the time itself has changed something. Default 1,000. */
  readonly tick?: number
  /** A list may have so many records. Default 5,000. */
  readonly listLimit?: number
  /** So many people may watch at once. Default 100,000. */
  readonly most?: number
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
  /** Lets somebody watch. Each event is told in order. Gives a way to stop, and to be told the whole list again. */
  watch<W extends World>(
    store: Store<W>,
    me: W['me'] | null,
    type: string,
    query: LiveQuery,
    hear: (event: LiveEvent) => void,
  ): Promise<{ stop(): void; again(): void }>
  /** When all that was told until now has been worked through. */
  settled(): Promise<void>
  /** How many watch, and how many lists that comes to. */
  readonly watching: { readonly people: number; readonly lists: number }
  /** Ends everything. */
  close(): Promise<void>
}

interface Audience {
  readonly id: string
  readonly home: Home
  readonly me: unknown
  readonly type: TypeModel
  readonly query: LiveQuery
  readonly where: ConditionNode
  readonly mine: GuardedStore
  readonly hearers: Set<Hearer>
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

interface Hearer {
  readonly hear: (event: LiveEvent) => void
  /** Has to be told the whole list. */
  fresh: boolean
}

/** One store, and what is watched of it. */
interface Home {
  readonly inside: Inside
  readonly audiences: Map<string, Audience>
  readonly indexes: Map<string, ConditionIndex<Audience>>
  /** Who is shown a record, by type and key. */
  readonly showing: Map<string, Map<Key, Set<Audience>>>
  readonly reaches: Map<string, Reach>
  readonly reached: Set<string>
  /** Whose own records are where. */
  readonly own: Map<string, Set<Audience>>
  /** Who has to be looked at, now that something has changed. */
  readonly concerned: Set<Audience>
  /** For whom there is an instant at which something changes by itself. */
  readonly timed: Set<Audience>
  last: number
}

/** Notes that the whole list of an audience has to be looked at; `moved`, and who they are as well. */
function outdate(audience: Audience, moved = false): void {
  audience.stale = true
  audience.moved ||= moved
  audience.home.concerned.add(audience)
}

/** Notes that a record may have come, gone or changed for an audience. */
function touch(audience: Audience, key: Key): void {
  audience.dirty.add(key)
  audience.home.concerned.add(audience)
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
  const { messages, tick = 1000, listLimit = 5000, most = 100_000, onFailure = logFailure } = options
  if (!(tick >= 10)) throw new SetupError('liveLists', 'tick: at least 10 milliseconds')
  const process = globalThis.crypto.randomUUID()
  const homes = new Map<object, Home>()
  const storesOf = new Map<Home, Store>()
  const waiting: { readonly home: Home; readonly changes: readonly Change[] }[] = []
  let working: Promise<void> | undefined
  let people = 0
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

  /** Notes whom changes concern, and with which records. */
  async function find(home: Home, changes: readonly Change[]): Promise<void> {
    const { inside } = home
    const reading: Reading = { tables: inside.tables, model: inside.model, now: inside.now() }
    const concerns = new Map<string, Set<Key>>()
    const note = (type: string, key: unknown) => {
      const keys = concerns.get(type) ?? new Set()
      concerns.set(type, keys.add(key as Key))
    }
    for (const { type, key, before, after } of changes) {
      note(type, key)
      const versions = [before, after].filter((row) => row !== undefined)
      for (const audience of ownAt(home, type, versions)) outdate(audience, true)
    }
    for (const [root, reach] of home.reaches) {
      for (const changed of new Set(changes.map(({ type }) => type))) {
        const rows = changes.flatMap(({ type, before, after }) =>
          type === changed ? [before, after].filter((row) => row !== undefined) : [],
        )
        if (reach.anywhere.has(changed)) {
          for (const audience of home.audiences.values()) if (audience.type.name === root) outdate(audience)
        }
        for (const steps of reach.ways)
          if (steps.at(-1)?.type === changed)
            for (const row of await leadingTo(reading, root, steps, rows)) note(root, row[typeModel(inside.model, root).key])
      }
    }
    for (const [name, keys] of concerns) {
      const index = home.indexes.get(name)
      if (index === undefined) continue
      const type = typeModel(inside.model, name)
      const all = [...keys]
      for (let from = 0; from < all.length; from += 500) {
        const some = all.slice(from, from + 500)
        const place = { path: [type.key], type: type.fields[type.key]?.type === 'integer' ? 'integer' : 'id' } as const
        const where = some.length === 1 ? keyIs(type, some[0] as Key) : placeIsOneOf(place, some)
        for (const { row } of await inside.tables.select(name, { where, now: reading.now }))
          for (const audience of await concerned(reading, index, row)) touch(audience, row[type.key] as Key)
        for (const key of some) for (const audience of home.showing.get(name)?.get(key) ?? []) touch(audience, key)
      }
    }
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
    audience.running ??= look(audience)
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

  function compare(audience: Audience, records: readonly Row[], of: readonly Key[], told: (event: LiveEvent) => void): void {
    const { shown, type, home, query } = audience
    const showing = home.showing.get(type.name) ?? new Map<Key, Set<Audience>>()
    home.showing.set(type.name, showing)
    const left = new Set(of.filter((key) => shown.has(key)))
    for (const one of records) {
      const key = (query.withActions?.length ? (one.record as Row) : one)[type.key] as Key
      left.delete(key)
      const seen = digest(JSON.stringify(one))
      const before = shown.get(key)
      if (before === seen) continue
      shown.set(key, seen)
      if (before === undefined) showing.set(key, (showing.get(key) ?? new Set()).add(audience))
      told({ event: before === undefined ? 'appeared' : 'changed', key, record: one })
    }
    for (const key of left) {
      shown.delete(key)
      forget(showing, key, audience)
      told({ event: 'gone', key })
    }
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

  const isWatched = (audience: Audience) => audience.home.audiences.get(audience.id) === audience

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
  const retries = new Set<Promise<void>>()

  /** Records whose times have come are looked at as if they had been written. */
  async function pass(): Promise<void> {
    ticks++
    for (const home of homes.values()) {
      const now = home.inside.now()
      const { last } = home
      home.last = now
      for (const [type, { ticking }] of home.reaches)
        if (ticking && ticks % 15 === 0) for (const one of home.audiences.values()) if (one.type.name === type) outdate(one)
      if (now <= last) continue
      for (const one of home.timed) if (one.instants.some((at) => at >= last - 1 && at <= now)) outdate(one)
      const places = new Map([...home.reaches.values()].flatMap(({ times }) => times).map((one) => [`${one.type} ${one.place.path}`, one]))
      for (const { type, place } of places.values()) {
        const rows = await home.inside.tables.select(type, { where: between(place.path, last - 1, now + 1), now })
        const { key } = typeModel(home.inside.model, type)
        if (rows.length > 0)
          enqueue(
            home,
            rows.map(({ row }) => ({ type, key: row[key] as Key, before: row, after: row })),
          )
      }
      if (home.concerned.size > 0) enqueue(home, [])
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
    async watch(store: Store, me: unknown, typeName: string, query: LiveQuery, hear: (event: LiveEvent) => void) {
      if (closed) throw new RequestError(503, 'Lists are no longer kept up to date here.')
      await ready
      if (people >= most) throw new RequestError(503, 'Too many are watching already: try again later.', { 'retry-after': '30' })
      const home = homeOf(store)
      const type = typeModel(home.inside.model, typeName)
      const id = JSON.stringify([typeName, me, query.name ?? globalThis.crypto.randomUUID()])
      reachFor(home, typeName, ['read', ...(query.withActions ?? [])])
      const audience = home.audiences.get(id) ?? begin(home, id, me, type, query)
      const hearer: Hearer = { hear, fresh: true }
      audience.hearers.add(hearer)
      people++
      // In the index before it is listed: what is written in between is not missed.
      await audience.placed
      timer ??= setInterval(() => void pass().catch(onFailure), tick)
      timer.unref?.()
      void checked(audience)
      return Object.freeze({
        stop() {
          if (!audience.hearers.delete(hearer)) return
          people--
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
        const running = [...homes.values()].flatMap(({ audiences }) => [...audiences.values()].flatMap((one) => one.running ?? []))
        if (working === undefined && running.length + retries.size === 0) return
        await Promise.all([working, ...running, ...retries])
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

const isConcerned = (audience: Audience) =>
  audience.hearers.size > 0 &&
  (audience.stale || audience.moved || audience.dirty.size > 0 || [...audience.hearers].some(({ fresh }) => fresh))

function logFailure(error: unknown): void {
  console.error('pachter: a live list', error)
}

function indexOf(home: Home, type: string): ConditionIndex<Audience> {
  const there = home.indexes.get(type) ?? conditionIndex<Audience>()
  home.indexes.set(type, there)
  return there
}

function forget<K>(from: Map<K, Set<Audience>> | undefined, key: K, audience: Audience): void {
  const there = from?.get(key)
  there?.delete(audience)
  if (there?.size === 0) from?.delete(key)
}

/** Notes what a type's rules hang on, once for each set of actions. */
function reachFor(home: Home, type: string, actions: readonly string[]): void {
  const name = [type, ...actions].join(' ')
  if (home.reached.has(name)) return
  home.reached.add(name)
  home.reaches.set(type, merged(home.reaches.get(type), reachOf(home.inside.model, type, actions)))
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

/** Where somebody's own records are looked for: whoever writes there changes who they are. */
function ownPlaces({ inside }: Home, type: string, me: Row | null | undefined): string[] {
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

/** Whose own records are among these. */
function ownAt(home: Home, type: string, rows: readonly Row[]): Audience[] {
  const links = home.own.size === 0 ? [] : linksOfMe(home.inside.model).filter(({ link }) => link.to === type)
  const places = links.flatMap(({ link }) => link.by.map(({ to }) => to))
  const names = new Set(places.flatMap((to) => rows.flatMap((row) => valuesAt(row, to).map((value) => ownName(type, to.path, value)))))
  return [...names].flatMap((name) => [...(home.own.get(name) ?? [])])
}

function between(path: readonly string[], after: number, before: number): ConditionNode {
  const field = { kind: 'field', of: 'record', path, type: 'time' } as const
  const at = (time: number) => ({ kind: 'literal', type: 'time', value: new Date(time).toISOString() }) as const
  return allOfNode([
    { kind: 'compare', by: 'isAfter', left: field, right: at(after) },
    { kind: 'compare', by: 'isBefore', left: field, right: at(before) },
  ])
}

/** A short text that differs where the long one does, but for one case in 2^64: FNV-1a, twice, from different beginnings. */
function digest(text: string): string {
  let a = 0x811c9dc5
  let b = 0x9747b28c
  for (let at = 0; at < text.length; at++) {
    const unit = text.charCodeAt(at)
    a = Math.imul(a ^ unit, 0x01000193)
    b = Math.imul(b ^ (unit + at), 0x01000193)
  }
  return `${(a >>> 0).toString(36)}.${(b >>> 0).toString(36)}`
}
