import type { Row } from '../../condition/index.js'
import type { Condition, Key } from '../../rulebook/index.js'
import { compare } from './compare.js'
import { place } from './placement.js'
import { isConcerned, isWatched, type Subscription } from './subscription.js'

/** What becomes of a list that cannot go on. */
type End = (audience: Subscription, why: 'too many' | 'failed') => void

/** After so many failures in a row it is given up. */
const MOST_FAILURES = 5
/** So many lists are read at the same time. */
const AT_ONCE = 8

/** Reads the lists that changes concern again, and tells those who watch them what is different. */
export class Refresh {
  readonly #listLimit: number
  readonly #end: End
  readonly #onFailure: (error: unknown) => void
  readonly #lookings = new Set<Promise<void>>()
  readonly #retries = new Set<Promise<void>>()

  constructor(listLimit: number, end: End, onFailure: (error: unknown) => void) {
    this.#listLimit = listLimit
    this.#end = end
    this.#onFailure = onFailure
  }

  /** What is being read, and what waits to be tried again. */
  get underWay(): readonly Promise<void>[] {
    return [...this.#lookings, ...this.#retries]
  }

  /** Tells those who are concerned what has become of their lists. */
  async all(concerned: readonly Subscription[]): Promise<void> {
    let next = 0
    const some = async () => {
      while (next < concerned.length) await this.one(concerned[next++] as Subscription)
    }
    await Promise.all(Array.from({ length: Math.min(AT_ONCE, concerned.length) }, some))
  }

  /** The same for one audience, for whom it is done once at a time. */
  one(audience: Subscription): Promise<void> {
    if (audience.running === undefined) {
      const looking = this.#look(audience)
      audience.running = looking
      this.#lookings.add(looking)
      void looking.finally(() => this.#lookings.delete(looking))
    }
    return audience.running
  }

  async #look(audience: Subscription): Promise<void> {
    await audience.placed.catch(() => undefined)
    while (isConcerned(audience)) {
      try {
        await this.#lookOnce(audience)
      } catch (error) {
        this.#onFailure(error)
        // Not known is not unchanged: it is looked at again, and given up before long. Nobody else waits for that.
        audience.stale = true
        if (++audience.failures >= MOST_FAILURES) this.#end(audience, 'failed')
        else this.#retry(audience)
        break
      }
    }
    // At once, so that what comes next begins anew.
    audience.running = undefined
  }

  #retry(audience: Subscription): void {
    const pause = new Promise((resolve) => setTimeout(resolve, 100 * 2 ** audience.failures).unref?.())
    const again = pause.then(() => this.one(audience))
    this.#retries.add(again)
    void again.finally(() => this.#retries.delete(again))
  }

  async #lookOnce(audience: Subscription): Promise<void> {
    if (audience.moved) await placeAgain(audience)
    const fresh = [...audience.hearers].filter((hearer) => hearer.fresh)
    const whole = audience.stale || fresh.length > 0
    const keys = [...audience.dirty]
    const records = await this.#read(audience, whole, keys)
    // Nobody is there any more to be told.
    if (!isWatched(audience)) return
    audience.failures = 0
    if (records.length > this.#listLimit) return this.#end(audience, 'too many')
    const hearers = [...audience.hearers].filter((hearer) => !hearer.fresh)
    compare(audience, records, whole ? [...audience.shown.keys()] : keys, (event) => {
      for (const { hear } of hearers) hear(event)
    })
    if (audience.shown.size > this.#listLimit) return this.#end(audience, 'too many')
    for (const hearer of fresh) {
      hearer.fresh = false
      hearer.hear({ event: 'listed', records })
    }
  }

  /** Reads the list, or the records of it that may be different; where that fails, they are still to be looked at. */
  async #read(audience: Subscription, whole: boolean, keys: readonly Key[]): Promise<readonly Row[]> {
    audience.dirty = new Set()
    audience.stale = false
    try {
      return await this.#list(audience, whole ? undefined : keys)
    } catch (error) {
      for (const key of keys) audience.dirty.add(key)
      audience.stale ||= whole
      throw error
    }
  }

  async #list({ mine, type, query }: Subscription, keys: readonly Key[] | undefined): Promise<readonly Row[]> {
    const among =
      keys === undefined
        ? undefined
        : (record: unknown) =>
            (record as { field(name: string): { isOneOf(keys: readonly Key[]): Condition } }).field(type.key).isOneOf(keys)
    const { where, fields, withActions } = query
    const both = where && among ? (record: unknown) => among(record).and(where(record)) : (among ?? where)
    return (await mine.list(type.name, {
      limit: keys === undefined ? this.#listLimit + 1 : keys.length,
      ...(both ? { where: both as never } : {}),
      ...(fields ? { fields } : {}),
      ...(withActions?.length ? { withActions } : {}),
    } as never)) as readonly Row[]
  }
}

/** They stand otherwise than when the rules were last specialised for them. */
async function placeAgain(audience: Subscription): Promise<void> {
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
