import type { Key, World } from '../rulebook/index.js'
import { type Rulebook, readClaims, viewpointOf } from '../viewpoint/index.js'
import { person, system } from './asker.js'
import { type RecordChange, telling, untold } from './changes.js'
import { QueryError } from './errors.js'
import { createGuardedStore } from './guarded-store.js'
import { putInside } from './internals.js'
import { DEFAULT_LIMITS } from './limits.js'
import { type AboutAsker, loggerFor } from './log.js'
import { cursors } from './read/cursor.js'
import type { ActingOptions, Store, StoreOptions } from './store-types.js'
import type { Backend, Tables } from './tables.js'

/**
 * Opens a store: the rulebook in front of the stored records.
 * @example
 * const store = openStore(book, inMemory(data))
 * const mine = await store.for({ id: 'm-01', roles: [] }).list('plot')
 */
export function openStore<W extends World>(book: Rulebook<W>, backend: Backend, options: StoreOptions = {}): Store<W> {
  const { model } = book
  const listeners = new Set<(changes: readonly RecordChange[]) => void>(options.changed === undefined ? [] : [options.changed])
  const tell = (changes: readonly RecordChange[]) => {
    for (const hear of listeners) {
      try {
        hear(changes)
      } catch (error) {
        // The write is committed already: a failing listener must not make the call fail.
        console.error('pachter: the "changed" listener failed', error)
      }
    }
  }
  const stored = backend(model)
  const tables = telling(stored, model, tell, () => listeners.size > 0)
  const newKey = options.newKey ?? (() => globalThis.crypto.randomUUID())
  const signed = cursors(options.cursorSecret)
  const now = viewpointOf(model, null, { now: options.now }).env
  const logger = (asker: AboutAsker) => loggerFor(asker, () => now().now, options)
  const trusted = (over: Tables, reason: string, failed?: (error: unknown) => void) => {
    if (typeof reason !== 'string' || reason.trim() === '')
      throw new QueryError('as the system', "give a reason, as in store.asSystem('nightly import')")
    const asker = logger({ who: 'system', trusted: true, reason })
    asker.entry({ action: 'act', type: 'system', outcome: 'allowed' })
    return createGuardedStore(over, system(model, options.now), { ...needs, logger: asker, ...(failed ? { failed } : {}) })
  }
  const needs = { newKey, cursors: signed, trusted, limits: { ...DEFAULT_LIMITS, ...options.limits } }
  const over = (these: Tables, held: boolean) => ({
    for(me: W['me'] | null | undefined, { actor, readOnly = false }: ActingOptions = {}) {
      const claims = readClaims(model.me, me)
      const who = claims === null ? null : (claims[model.me.key] as Key)
      return createGuardedStore(these, person(model, claims, options.now), {
        ...needs,
        logger: logger(actor === undefined ? { who } : { who, actor }),
        held,
        readOnly,
      })
    },
    asSystem: (reason: string) => trusted(these, reason),
  })
  const store = Object.freeze({
    ...over(tables, false),
    in(transaction: unknown) {
      const inside = stored.within?.(transaction)
      if (inside === undefined) throw new QueryError('store.in', 'this store has no transactions of your own: use mine.transaction(...)')
      const { tables: noted, take } = untold(inside, model)
      return Object.freeze({
        ...over(noted, true),
        committed() {
          const changes = take()
          if (changes.length > 0 && listeners.size > 0) tell(changes)
        },
      })
    },
  }) as unknown as Store<W>
  putInside(store, {
    model,
    tables,
    now: () => now().now,
    logger: options.log === undefined ? undefined : logger,
    asker: async (me, types) => person(model, readClaims(model.me, me), options.now).now(tables, types),
    listen(hear) {
      listeners.add(hear)
      return () => listeners.delete(hear)
    },
  })
  return store
}
