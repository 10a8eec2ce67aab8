import { jsonText } from '../condition/index.js'
import type { World } from '../rulebook/index.js'
import { SignInError } from '../store/errors.js'
import type { GuardedStore, Store } from '../store/index.js'

import { READ_ONLY } from '../store/session.js'
import type { Verdict } from '../viewpoint/index.js'
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

/** Whether the client used https, by what the proxy says if there is one. */
export function isEncrypted(request: Request, { behindProxy = false }: Transport): boolean {
  const said = behindProxy ? request.headers.get('x-forwarded-proto')?.split(',')[0]?.trim() : undefined
  return said === undefined ? new URL(request.url).protocol === 'https:' : said === 'https'
}

/** Refuses plain HTTP, except on this machine. @throws RequestError 403 */
export function checkTransport(request: Request, transport: Transport): void {
  if (!isEncrypted(request, transport) && !transport.insecure && !isLocal(new URL(request.url).hostname))
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

/** Who may come in. */
export interface EntryOptions {
  /** Refuses others before anything else is asked: visitors have to sign in, or people who are signed in have to sign out. Default: everyone. */
  readonly allow?: 'everyone' | 'signed in' | 'visitors'
}

/** A guard of the application's own handlers. */
export interface Guard<W extends World = World> {
  /** Answers a request by a handler that returns a response. */
  (request: Request, work: (guarded: Guarded<W>) => Promise<Response>): Promise<Response>
  /**
   * For handlers that answer by themselves, in frameworks of their own: identifies the person, and checks what the guard checks.
   * @throws CredentialError, RequestError, SignInError
   */
  enter(request: Request): Promise<Guarded<W>>
  /** The answer to an error of `enter`, or of the store in a handler: problem details, a page, or a redirect. */
  refuse(error: unknown, request: Request): Promise<Response>
}

/**
 * A guard for your own handlers. It identifies the person, refuses plain HTTP, requests from other sites and too many requests, and
 * turns errors of the store into problem details (RFC 9457), or into a small page for clients that accept `text/html`. A response without
 * `Cache-Control` gets `private, no-cache`, so that no shared cache keeps what one person may see. If a person acts as another one and may
 * only read, it refuses all methods but GET, HEAD and OPTIONS.
 *
 * @throws SetupError
 * @example
 * const guarded = guard(store, { identity: fromSession(...) })
 * app.get('/mine', (context) => guarded(context.req.raw, async ({ store }) => Response.json(await store.list('plot'))))
 */
export function guard<W extends World>(store: Store<W>, options: GuardOptions<W> & EntryOptions): Guard<W> {
  const { enter, refuse, call } = guardCalls(store, options)
  const { allow = 'everyone' } = options
  if (!['everyone', 'signed in', 'visitors'].includes(allow))
    throw new SetupError('allow', `${JSON.stringify(allow)} is none of everyone, signed in, visitors`)
  const checked = ({ sender, ...given }: GuardedCall<W>): Guarded<W> => {
    const { request, me } = given
    if (allow === 'signed in' && me === null) throw new SignInError(ENTRY)
    if (allow === 'visitors' && me !== null) throw new RequestError(403, 'You are signed in already.')
    // What such a handler changes by itself, the store cannot refuse.
    if (sender.actor?.readOnly && !SAFE.includes(request.method)) throw new RequestError(403, READ_ONLY)
    return given
  }
  return Object.assign(
    (request: Request, work: (guarded: Guarded<W>) => Promise<Response>) => call(request, async (one) => work(checked(one))),
    {
      enter: async (request: Request) => checked(await enter(request)),
      refuse,
    },
  )
}

/** The refusal of a visitor, whatever the record is. */
const ENTRY: Verdict = Object.freeze({ allowed: false, outcome: 'sign in', action: 'enter', type: 'page', message: 'Sign in first.' })

/** The guard of the routes and of the application's own handlers. */
export interface CallGuard<W extends World> {
  enter(request: Request): Promise<GuardedCall<W>>
  refuse(error: unknown, request: Request): Promise<Response>
  call(request: Request, work: (guarded: GuardedCall<W>) => Promise<Response>): Promise<Response>
}

/** @throws SetupError */
export function guardCalls<W extends World>(store: Store<W>, options: GuardOptions<W>): CallGuard<W> {
  checkGuard(options)
  const { identity, signIn, limit, origins = [], showClaims = false, onFailure = logFailure } = options
  const begun = new WeakMap<Request, number>()
  const enter = async (request: Request): Promise<GuardedCall<W>> => {
    begun.set(request, performance.now())
    checkTransport(request, options)
    if (isAutomatic(identity, request)) checkSameOrigin(request, origins)
    const sender = await senderOf(identity, request)
    const { me, actor, actorClaims } = sender
    const wait = await limit?.(request, actorClaims ?? me)
    if (wait !== undefined) throw new RequestError(429, 'Too many requests. Wait a moment.', { 'retry-after': String(Math.ceil(wait)) })
    if (actor === undefined) return { request, me, store: store.for(me), sender }
    return { request, me, store: store.for(me, { actor: actor.key, readOnly: actor.readOnly }), actor, sender }
  }
  // Whether a record is hidden or does not exist, as the target of the request or of a link.
  const padded = async (request: Request, statuses: readonly number[]) => {
    if (statuses.some((one) => one === 404 || one === 422)) await untilNextStep(begun.get(request) ?? performance.now())
  }
  const refuse = async (error: unknown, request: Request): Promise<Response> => {
    const told = problemOf(error, { at: signIn, scheme: identity.scheme ?? 'Bearer' })
    const { status } = told.problem
    if ([500, 503].includes(status) || told.problem.code === 'BAD_CLAIMS') onFailure(error, request)
    const response = forThisPerson(await refusalResponse(request, told, { error, hooks: options, signIn, onFailure }))
    // A hook may have answered with another status.
    await padded(request, [status, response.status])
    return response
  }
  const call: CallGuard<W>['call'] = async (request, work) => {
    let me: W['me'] | null | undefined
    let response: Response
    try {
      const given = await enter(request)
      me = given.me
      response = forThisPerson(await work(given))
      await padded(request, [response.status])
    } catch (error) {
      response = await refuse(error, request)
    }
    return showClaims && me !== undefined ? forThisPerson(response, { 'x-me': encodeURIComponent(jsonText(me)) }) : response
  }
  return { enter, refuse, call }
}

function checkGuard<W extends World>({ identity, signIn, showClaims = false }: GuardOptions<W>): void {
  checkIdentity('identity', identity)
  if (signIn !== undefined && !URL.canParse(signIn, 'https://site.example'))
    throw new SetupError('signIn', `${JSON.stringify(signIn)} is not an address`)
  if (showClaims && globalThis.process?.env.NODE_ENV === 'production')
    throw new SetupError('showClaims', 'is for development only: claims are not shown in production')
}

/** What the responses of a guard depend on. */
export const VARIES = ['Accept', 'Authorization', 'Cookie']

/** A response that no shared cache keeps, and that depends on who asks. */
function forThisPerson(response: Response, more: Readonly<Record<string, string>> = {}): Response {
  try {
    setHeaders(response.headers, more)
    return response
  } catch {
    // Those of a redirect, and of what was fetched, cannot be changed.
    const copy = new Response(response.body, response)
    setHeaders(copy.headers, more)
    return copy
  }
}

function setHeaders(headers: Headers, more: Readonly<Record<string, string>>): void {
  for (const [name, value] of Object.entries(more)) headers.set(name, value)
  if (!headers.has('cache-control')) headers.set('cache-control', 'private, no-cache')
  const there = headers.get('vary')?.toLowerCase()
  if (there === undefined) headers.set('vary', VARIES.join(', '))
  else if (there !== '*') {
    const missing = VARIES.filter((name) => !there.split(/[\s,]+/).includes(name.toLowerCase()))
    if (missing.length > 0) headers.append('vary', missing.join(', '))
  }
}

/** The default for unexpected errors. */
export function logFailure(error: unknown, { method, url }: Request): void {
  console.error(`${method} ${new URL(url).pathname}:`, error)
}
