import { type Row, TRUE } from '../../condition/index.js'
import { type Key, toCondition } from '../../rulebook/index.js'
import { keyIsOneOf } from '../../store/read/key-conditions.js'
import { compare, keyShown } from './compare.js'
import { place } from './placement.js'
import { isConcerned, isWatched, type Subscription } from './subscription.js'

/** The reason why a list ends. */
type End = (subscription: Subscription, why: 'too many' | 'failed') => void

/** After this many failures in a row, the list ends. */
const MOST_FAILURES = 5
/** This many lists are read at the same time. */
const AT_ONCE = 8

/** Reads the lists that changes affect again, and sends the differences to their subscribers. */
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

  /** Lists that are being read, and lists waiting for a retry. */
  get underWay(): readonly Promise<void>[] {
    return [...this.#lookings, ...this.#retries]
  }

  /** Refreshes all marked subscriptions. */
  async all(concerned: readonly Subscription[]): Promise<void> {
    let next = 0
    const some = async () => {
      while (next < concerned.length) await this.one(concerned[next++] as Subscription)
    }
    await Promise.all(Array.from({ length: Math.min(AT_ONCE, concerned.length) }, some))
  }

  /** Refreshes one subscription. At most one refresh of it runs at a time. */
  one(subscription: Subscription): Promise<void> {
    if (subscription.running === undefined) {
      const looking = this.#look(subscription)
      subscription.running = looking
      this.#lookings.add(looking)
      void looking.finally(() => this.#lookings.delete(looking))
    }
    return subscription.running
  }

  async #look(subscription: Subscription): Promise<void> {
    await subscription.placed.catch(() => undefined)
    while (isConcerned(subscription)) {
      try {
        await this.#lookOnce(subscription)
      } catch (error) {
        this.#onFailure(error)
        // After a failure the state is unknown. It is tried again a few times, without delaying other lists.
        subscription.stale = true
        if (++subscription.failures >= MOST_FAILURES) this.#end(subscription, 'failed')
        else this.#retry(subscription)
        break
      }
    }
    // Cleared at once, so that marks made during the refresh count for the next one.
    subscription.running = undefined
  }

  #retry(subscription: Subscription): void {
    const pause = new Promise((resolve) => setTimeout(resolve, 100 * 2 ** subscription.failures).unref?.())
    const again = pause.then(() => this.one(subscription))
    this.#retries.add(again)
    void again.finally(() => this.#retries.delete(again))
  }

  async #lookOnce(subscription: Subscription): Promise<void> {
    if (subscription.moved) await placeAgain(subscription)
    const fresh = [...subscription.subscribers].filter((subscriber) => subscriber.fresh)
    const whole = subscription.stale || fresh.length > 0
    const keys = [...subscription.dirty]
    const records = await this.#read(subscription, whole, keys)
    // No subscriber is left.
    if (!isWatched(subscription)) return
    subscription.failures = 0
    if (records.length > this.#listLimit) return this.#end(subscription, 'too many')
    const subscribers = [...subscription.subscribers].filter((subscriber) => !subscriber.fresh)
    compare(subscription, records, whole ? [...subscription.shown.keys()] : keys, (event) => {
      for (const { hear } of subscribers) hear(event)
    })
    if (subscription.shown.size > this.#listLimit) return this.#end(subscription, 'too many')
    const listed = fresh.length === 0 ? [] : records.map((one) => keyShown(subscription, one))
    for (const subscriber of fresh) {
      subscriber.fresh = false
      subscriber.hear({ event: 'listed', keys: listed, records })
    }
  }

  /** Reads the list, or only the records that may differ. If that fails, they stay marked. */
  async #read(subscription: Subscription, whole: boolean, keys: readonly Key[]): Promise<readonly Row[]> {
    subscription.dirty = new Set()
    subscription.stale = false
    try {
      return await this.#list(subscription, whole ? undefined : keys)
    } catch (error) {
      for (const key of keys) subscription.dirty.add(key)
      subscription.stale ||= whole
      throw error
    }
  }

  async #list({ open, type, query, where: node }: Subscription, keys: readonly Key[] | undefined): Promise<readonly Row[]> {
    const among = keys === undefined ? undefined : () => toCondition(keyIsOneOf(type, keys))
    const { fields, withActions } = query
    // The filter as it was when the list began.
    const where = node === TRUE ? undefined : toCondition(node)
    const both = where && among ? () => among().and(where) : (among ?? (where && (() => where)))
    return (await open().list(type.name, {
      limit: keys === undefined ? this.#listLimit + 1 : keys.length,
      ...(both ? { where: both as never } : {}),
      ...(fields ? { fields } : {}),
      ...(withActions?.length ? { withActions } : {}),
    } as never)) as readonly Row[]
  }
}

/** The person's rules must be specialised again. */
async function placeAgain(subscription: Subscription): Promise<void> {
  subscription.moved = false
  try {
    const before = subscription.as
    await place(subscription)
    if (subscription.as !== before) for (const { hear } of subscription.subscribers) hear({ event: 'rules' })
  } catch (error) {
    subscription.moved = true
    throw error
  }
}
