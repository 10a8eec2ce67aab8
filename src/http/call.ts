// One request on its way through the routes, and the responses that all routes share.
import { jsonText, type Row } from '../condition/index.js'
import type { Key, Model, TypeModel } from '../rulebook/index.js'
import type { GuardedStore } from '../store/index.js'
import { RequestError } from './error.js'
import { etagOf, isAmong } from './etag.js'
import type { Sender } from './identity-types.js'
import type { LiveQuery } from './live/subscription.js'
import { prefersPage } from './refusal-page.js'
import type { FileContext, RouteContext, RouteOptions } from './route-options.js'
import { seeOther } from './see-other.js'

/** What the site serves. */
export interface Site extends Required<Pick<RouteOptions, 'bodyLimit' | 'pageSize' | 'pageLimit'>> {
  readonly model: Model
  readonly base: string
  /** Record types by the first segment of a path. */
  readonly types: ReadonlyMap<string, TypeModel>
  readonly pathOf: (type: string) => string | undefined
  readonly matchRequired: boolean
  readonly rulesAt: string | false
  readonly listsAt: string | false
  readonly showReasons: boolean
  readonly signIn: string | undefined
  readonly next: RouteOptions['next']
  /** The standings that clients may ask for, by record type. */
  readonly standings: { readonly [type: string]: readonly string[] | undefined }
  readonly actions: {
    readonly [type: string]: { readonly [action: string]: (asked: RouteContext) => Promise<Row | undefined> } | undefined
  }
  readonly files: { readonly [type: string]: ((asked: FileContext) => Promise<Response | undefined>) | undefined }
}

/** Starts live lists for the asker. */
export interface Watching {
  one(list: WatchedList): Promise<Response>
  /** Several over one connection, numbered in this order. */
  several(lists: readonly (() => Promise<WatchedList>)[]): Promise<Response>
  /** An open stream of the asker on this server, of several lists. */
  stream(id: string): OpenStream | undefined
}

/** A stream of several lists. */
export interface OpenStream {
  /** The highest number that a list has had. */
  readonly highest: number
  /** How many lists there are. */
  readonly size: number
  change(add: ReadonlyMap<number, () => Promise<WatchedList>>, remove: readonly number[]): Promise<void>
}

/** A list that a client wants to watch. */
export interface WatchedList {
  readonly type: string
  readonly query: LiveQuery
}

/** One request. */
export interface Call {
  readonly site: Site
  readonly store: GuardedStore
  readonly request: Request
  readonly params: URLSearchParams
  readonly watch: Watching | undefined
  /** Who is asking, and who acts as them. */
  readonly sender: Sender
  /** Whether the asker is a visitor. */
  readonly isVisitor: boolean
}

export const NOWHERE = () => new RequestError(404, 'There is nothing at this address.')

/** The handlers of a path, by method. */
export type Methods = { readonly [method: string]: () => Promise<Response> }

/** Calls the handler for the request's method. @throws RequestError 405 */
export async function byMethod({ request }: Call, methods: Methods): Promise<Response> {
  const allow = [...Object.keys(methods), ...('GET' in methods ? ['HEAD'] : []), 'OPTIONS'].join(', ')
  if (request.method === 'OPTIONS') return new Response(null, { status: 204, headers: { allow } })
  const method = request.method === 'HEAD' ? 'GET' : request.method
  const work = Object.hasOwn(methods, method) ? methods[method] : undefined
  if (work === undefined) throw new RequestError(405, `Use ${allow} at this address.`, { allow })
  const response = await work()
  if (request.method !== 'HEAD') return response
  await response.body?.cancel()
  return new Response(null, response)
}

/** A response with its entity tag; without a body if the asker has it already. */
export async function tagged(request: Request, body: Row): Promise<Response> {
  const etag = await etagOf(body)
  const seen = request.headers.get('if-none-match')
  if (seen !== null && isAmong(seen, etag, 'weakly'))
    return new Response(null, { status: 304, headers: { etag, 'cache-control': 'private, no-cache' } })
  return json(body, { headers: { etag } })
}

/** The answer to a change of one record: another page for a person who sees pages, or what a program expects. */
export function changed({ site, request }: Call, action: string, { type, key }: { type: string; key: Key }, answer: Response): Response {
  const next = site.next !== undefined && prefersPage(request) ? site.next({ request, type: type as never, action, key }) : undefined
  return next === undefined ? answer : seeOther(next.to, next)
}

/** A JSON response for this asker only. */
export function json(body: unknown, { status = 200, headers = {} }: { status?: number; headers?: Record<string, string> } = {}): Response {
  const text = jsonText(body)
  return new Response(text, { status, headers: { 'content-type': 'application/json', 'cache-control': 'private, no-cache', ...headers } })
}
