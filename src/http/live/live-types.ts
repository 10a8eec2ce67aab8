import type { World } from '../../rulebook/index.js'
import type { RecordChange, Store } from '../../store/index.js'
import type { Messages } from './messages.js'
import type { LiveEvent, LiveQuery } from './subscription.js'

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
  /** And this many for all visitors that cannot be told apart. Default 1,000. */
  readonly visitors?: number
  /** Receives unexpected errors. Default: prints them to the console. */
  readonly onFailure?: (error: unknown) => void
}

/** Lists that are kept up to date for those who watch them. */
export interface LiveLists {
  /**
   * Receives what is written through a store, even while nothing is watched here: other processes may have subscribers. `routes` calls it.
   */
  hearOf<W extends World>(store: Store<W>): void
  /** Reports writes that trusted code made without the store: the records before and after. */
  changed(changes: readonly RecordChange[]): void
  /** Checks every list again: after an import that bypassed the store, for example. */
  changedEverywhere(): void
  /**
   * Subscribes. Every event is delivered in order. Returns functions to unsubscribe and to request the whole list again. `visitor` tells
   * visitors apart, for example by address.
   */
  watch<W extends World>(
    store: Store<W>,
    me: W['me'] | null,
    type: string,
    query: LiveQuery,
    hear: (event: LiveEvent) => void,
    visitor?: string,
  ): Promise<{ stop(): void; again(): void }>
  /** Resolves when all changes reported so far have been processed. */
  settled(): Promise<void>
  /** The number of subscribers, and the number of different lists. */
  readonly watching: { readonly people: number; readonly lists: number }
  /** Ends all lists. */
  close(): Promise<void>
}
