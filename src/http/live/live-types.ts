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
  /** Is told of what should not have happened. Default: written to the console. */
  readonly onFailure?: (error: unknown) => void
}

/** Lists that are kept up to date for those who watch them. */
export interface LiveLists {
  /** Hears of what is written through a store, even while nobody watches here: others may. `routes` does so. */
  hearOf<W extends World>(store: Store<W>): void
  /** Told of what was written past the store, by trusted code: records as they were and as they are. */
  changed(changes: readonly RecordChange[]): void
  /** Checks every list again: after an import that bypassed the store, for example. */
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
