import { jsonText, type Row } from '../condition/index.js'
import type { Key, World } from '../rulebook/index.js'
import type { GuardedStore, Store } from '../store/index.js'
import { insideOf } from '../store/internals.js'
import type { Rulebook } from '../viewpoint/index.js'
import { senderOf } from './acting.js'
import { byMethod, type Call, type Methods, NOWHERE, type Site, type WatchedList, type Watching } from './call.js'
import { RequestError } from './error.js'
import { guardCalls, logFailure } from './guard.js'
import type { Sender } from './identity-types.js'
import { OpenStreams } from './live/open-streams.js'
import { type EventStream, eventStream, eventStreamOfSeveral } from './live/stream.js'
import type { LiveEvent } from './live/subscription.js'
import { problemOf } from './problem.js'
import type { Endpoint } from './route.js'
import type { RouteOptions } from './route-options.js'
import { finder } from './route-table.js'
import { siteOf } from './site.js'

/**
 * Routes for the records of a rulebook, over a guarded store: a function from a Fetch standard request to its response.
 * `GET` lists and gets, `POST` creates, `PATCH` updates (JSON Merge Patch, RFC 7396), `DELETE` removes; of one record, or of all
 * that filters name. Refusals are problem details (RFC 9457).
 *
 * @throws SetupError
 * @example
 * const records = routes(book, store, { identity: fromToken({ ... }), base: '/api' })
 * app.all('/api/*', (context) => records(context.req.raw))
 */
export function routes<W extends World>(
  book: Rulebook<W>,
  store: Store<W>,
  options: RouteOptions<W>,
): (request: Request) => Promise<Response> {
  const site = siteOf(book.model, options as never)
  const find = finder(site)
  const guarded = guardCalls(store, options).call
  const streams = new OpenStreams<EventStream>()
  options.live?.hearOf(store)
  return (request) =>
    guarded(request, async ({ store: mine, me, sender }) => {
      const { steps, params } = addressOf(site, request)
      const found = find(steps)
      if (found === undefined) throw NOWHERE()
      const call: Call = {
        site,
        store: mine as unknown as GuardedStore,
        request,
        params,
        watch: watching(store, options, streams, sender, request),
        isVisitor: me === null,
        sender,
      }
      const methods = Object.entries(found.route.endpoints) as [string, Endpoint][]
      return byMethod(
        call,
        Object.fromEntries(methods.map(([method, { answer }]) => [method, () => answer(call, found.params)])) as Methods,
      )
    })
}

/** Starts live lists, which end when the person's identity or claims change. */
function watching<W extends World>(
  store: Store<W>,
  { live, identity, recheck = 30, visitor, signIn: at, onFailure = logFailure }: RouteOptions<W>,
  streams: OpenStreams<EventStream>,
  sender: Sender<W['me']>,
  request: Request,
): Watching | undefined {
  if (live === undefined) return undefined
  const { me, actor } = sender
  const said = jsonText(sender)
  const counted = actor === undefined ? (me === null ? visitor?.(request) : undefined) : `acting ${jsonText(actor)}`
  const one = async ({ type, query }: WatchedList, hear: (event: LiveEvent) => void) => {
    const watched = await live.watch(store, me, type, query, hear, counted)
    logWatching(store, sender, type)
    return watched
  }
  const keeping = {
    recheck: async () => jsonText(await senderOf(identity, request)) === said,
    recheckEvery: recheck * 1000,
    beat: 20_000,
    refusal: (error: unknown) => {
      const { problem } = problemOf(error, { at, scheme: identity.scheme ?? 'Bearer' })
      if (problem.status >= 500) onFailure(error, request)
      return problem
    },
  }
  const later = (list: () => Promise<WatchedList>) => async (hear: (event: LiveEvent) => void) => one(await list(), hear)
  return {
    one: (list) => eventStream((hear) => one(list, hear), keeping),
    several: (lists) => eventStreamOfSeveral(lists.map(later), keeping, streams, said),
    stream(id) {
      const stream = streams.find(id, said)
      return (
        stream && {
          highest: stream.highest,
          size: stream.size,
          change: (add, remove) => stream.change(new Map([...add].map(([number, list]) => [number, later(list)])), remove),
        }
      )
    },
  }
}

/** What a list sends later is read for all its subscribers, so the verdict log gets an entry when an actor subscribes. */
function logWatching<W extends World>(store: Store<W>, { me, actor }: Sender<W['me']>, type: string): void {
  if (actor === undefined || actor.key === null) return
  const { model, logger } = insideOf(store as unknown as Store)
  const who = me === null || me === undefined ? null : ((me as Row)[model.me.key] as Key)
  logger?.({ who, actor: actor.key }).entry({ action: 'read', type, outcome: 'allowed' })
}

/** The maximum length of a URL, as in common servers. */
const LONGEST_ADDRESS = 16_384

/** The path segments below the site, and the query parameters. @throws RequestError */
function addressOf(site: Site, request: Request): { readonly steps: readonly string[]; readonly params: URLSearchParams } {
  if (request.url.length > LONGEST_ADDRESS) throw new RequestError(414, `The address is longer than ${LONGEST_ADDRESS} characters.`)
  const url = new URL(request.url)
  if (url.pathname !== site.base && !url.pathname.startsWith(`${site.base}/`)) throw NOWHERE()
  return { steps: stepsOf(url.pathname.slice(site.base.length)), params: url.searchParams }
}

function stepsOf(path: string): string[] {
  try {
    return path
      .split('/')
      .filter((step, at, all) => step !== '' || (at > 0 && at < all.length - 1))
      .map(decodeURIComponent)
  } catch {
    throw new RequestError(400, 'The address is not a valid URL.')
  }
}
