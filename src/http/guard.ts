import { jsonText } from '../condition/index.js'
import type { World } from '../rulebook/index.js'
import type { GuardedStore, Store } from '../store/index.js'
import { READ_ONLY } from '../store/session.js'
import { checkIdentity, senderOf } from './acting.js'
import { RequestError, SetupError } from './error.js'
import { isAutomatic } from './identity.js'
import type { Actor, Identity, Sender } from './identity-types.js'
import { isLocal } from './local.js'
import { untilNextStep } from './pad-timing.js'
import { problemOf } from './problem.js'
import { type RefusalHooks, refusalResponse } from './refusal.js'

const SAFE = ['GET', 'HEAD', 'OPTIONS']

/** Whether requests pass through a proxy that ends TLS and says so. */
export interface Transport {
  /** A proxy in front of this server ends TLS and sets `X-Forwarded-Proto` itself. */
  readonly behindProxy?: boolean
  /** Accepts plain HTTP from anywhere. */
  readonly insecure?: boolean
}

/** Refuses plain HTTP, except on this machine. @throws RequestError 403 */
export function checkTransport(request: Request, { behindProxy = false, insecure = false }: Transport): void {
  const { protocol, hostname } = new URL(request.url)
  const said = behindProxy ? request.headers.get('x-forwarded-proto')?.split(',')[0]?.trim() : undefined
  const encrypted = said === undefined ? protocol === 'https:' : said === 'https'
  if (!encrypted && !insecure && !isLocal(hostname))
    throw new RequestError(403, 'Use https. Requests over plain http can be read by others.')
}

/**
 * Browsers send cookies with requests from other sites too. So a request that changes something must come from this origin, according to
 * Fetch metadata (`Sec-Fetch-Site`), or to `Origin` if the browser does not send that. @throws RequestError 403
 */
export function checkSameOrigin(request: Request, origins: readonly string[]): void {
  if (SAFE.includes(request.method)) return
  const [site, origin] = [request.headers.get('sec-fetch-site'), request.headers.get('origin')]
  if (origin !== null && origins.includes(origin)) return
  if (site !== null ? site === 'same-origin' : origin !== null && sameHost(origin, request)) return
  throw new RequestError(403, 'Requests that change something have to come from this site.')
}

function sameHost(origin: string, request: Request): boolean {
  try {
    return new URL(origin).host === new URL(request.url).host
  } catch {
    return false
  }
}

/** How requests are authenticated. */
export interface GuardOptions<W extends World = World> extends Transport, RefusalHooks {
  /** Who is asking. */
  readonly identity: Identity<W['me']>
  /** Where people sign in: an address. Clients are told it, and pages are sent there with the path to return to, as `back`. */
  readonly signIn?: string
  /** Other origins that may send changing requests with cookies. */
  readonly origins?: readonly string[]
  /** The number of seconds that a person has to wait; undefined if they need not. If a person acts as another one, `me` are their own claims. */
  readonly limit?: (request: Request, me: W['me'] | null) => Promise<number | undefined> | number | undefined
  /** Receives unexpected errors. Default: prints them to the console. */
  readonly onFailure?: (error: unknown, request: Request) => void
  /**
   * For developers: every response contains the claims in `x-me`, as percent-encoded JSON. Refused if
   * `NODE_ENV` is `production`.
   */
  readonly showClaims?: boolean
}

/** An authenticated person. */
export interface Guarded<W extends World = World> {
  readonly request: Request
  /** Their claims; null for a visitor. */
  readonly me: W['me'] | null
  /** The records as the person may see and change them. */
  readonly store: GuardedStore<W>
  /** Who acts as this person. Absent if they act themselves. */
  readonly actor?: Actor
}

/** A guarded request, with what is known of its sender. */
export interface GuardedCall<W extends World = World> extends Guarded<W> {
  readonly sender: Sender<W['me']>
}

/**
 * A guard for your own handlers. It identifies the person, refuses plain HTTP, requests from other sites and too many requests, and
 * turns errors of the store into problem details (RFC 9457), or into a small page for clients that accept `text/html`. A response without
 * `Cache-Control` gets `private, no-cache`, so that no shared cache keeps what one person may see. If a person acts as another one and may only read, it refuses all methods
 * but GET, HEAD and OPTIONS.
 *
 * @throws SetupError
 * @example
 * const guarded = guard(store, { identity: fromSession(...) })
 * app.get('/mine', (context) => guarded(context.req.raw, async ({ store }) => Response.json(await store.list('plot'))))
 */
export function guard<W extends World>(
  store: Store<W>,
  options: GuardOptions<W>,
): (request: Request, work: (guarded: Guarded<W>) => Promise<Response>) => Promise<Response> {
  const guarded = guardCalls(store, options)
  return (request, work) =>
    guarded(request, async ({ sender, ...given }) => {
      // What such a handler changes by itself, the store cannot refuse.
      if (sender.actor?.readOnly && !SAFE.includes(request.method)) throw new RequestError(403, READ_ONLY)
      return work(given)
    })
}

/** The guard of the routes and of the application's own handlers. @throws SetupError */
export function guardCalls<W extends World>(
  store: Store<W>,
  options: GuardOptions<W>,
): (request: Request, work: (guarded: GuardedCall<W>) => Promise<Response>) => Promise<Response> {
  const { identity, signIn, limit, origins = [], showClaims = false, onFailure = logFailure } = options
  checkIdentity('identity', identity)
  if (signIn !== undefined && !URL.canParse(signIn, 'https://site.example'))
    throw new SetupError('signIn', `${JSON.stringify(signIn)} is not an address`)
  if (showClaims && globalThis.process?.env.NODE_ENV === 'production')
    throw new SetupError('showClaims', 'is for development only: claims are not shown in production')
  return async (request, work) => {
    let me: W['me'] | null | undefined
    let status = 200
    const answered = async () => {
      try {
        checkTransport(request, options)
        if (isAutomatic(identity, request)) checkSameOrigin(request, origins)
        const sender = await senderOf(identity, request)
        me = sender.me
        const { actor, actorClaims } = sender
        const wait = await limit?.(request, actorClaims ?? me)
        if (wait !== undefined) throw new RequestError(429, 'Too many requests. Wait a moment.', { 'retry-after': String(Math.ceil(wait)) })
        if (actor === undefined) return await work({ request, me, store: store.for(me), sender })
        const mine = store.for(me, { actor: actor.key, readOnly: actor.readOnly })
        return await work({ request, me, store: mine, actor, sender })
      } catch (error) {
        const told = problemOf(error, { at: signIn, scheme: identity.scheme ?? 'Bearer' })
        if ([500, 503].includes(told.problem.status) || told.problem.code === 'BAD_CLAIMS') onFailure(error, request)
        status = told.problem.status
        return refusalResponse(request, told, { error, hooks: options, signIn, onFailure })
      }
    }
    const began = performance.now()
    const response = forThisPerson(await answered())
    // Whether a record is hidden or does not exist, as the target of the request or of a link. A hook may have answered with another status.
    if ([status, response.status].some((one) => one === 404 || one === 422)) await untilNextStep(began)
    if (showClaims && me !== undefined) response.headers.set('x-me', encodeURIComponent(jsonText(me)))
    return response
  }
}

const VARIES = ['Accept', 'Authorization', 'Cookie']

/** A response that no shared cache keeps, and that depends on who asks. The headers of some responses cannot be changed, so it is a copy. */
function forThisPerson(response: Response): Response {
  const own = new Response(response.body, response)
  if (!own.headers.has('cache-control')) own.headers.set('cache-control', 'private, no-cache')
  const there = own.headers.get('vary')?.toLowerCase() ?? ''
  if (there === '*') return own
  const more = VARIES.filter((name) => !there.split(/[\s,]+/).includes(name.toLowerCase()))
  if (more.length > 0) own.headers.append('vary', more.join(', '))
  return own
}

/** The default for unexpected errors. */
export function logFailure(error: unknown, { method, url }: Request): void {
  console.error(`${method} ${new URL(url).pathname}:`, error)
}
