import type { IncomingMessage, ServerResponse } from 'node:http'
import { jsonText } from '../condition/index.js'

/** A request handler as Express, Connect and Node's own server take it. */
export type Middleware = (
  request: IncomingMessage & { readonly body?: unknown; readonly protocol?: string; readonly originalUrl?: string },
  response: ServerResponse,
  next?: (error?: unknown) => void,
) => void

/**
 * Uses handlers of Fetch standard requests in an Express application, or with Node's own server. If an earlier parser has read the body
 * already, its result is used.
 * @example
 * app.use('/api', middleware(routes(book, store, { identity, base: '/api' })))
 */
export function middleware(handle: (request: Request) => Promise<Response>): Middleware {
  return (incoming, outgoing, next) => {
    answer(handle, incoming, outgoing).catch((error: unknown) => {
      if (next !== undefined) return next(error)
      outgoing.statusCode = 500
      outgoing.end()
    })
  }
}

/** A request of Node's server, which a parser may have read. */
export type Incoming = Parameters<Middleware>[0]

async function answer(handle: (request: Request) => Promise<Response>, incoming: Incoming, outgoing: ServerResponse): Promise<void> {
  const request = requestOf(incoming, outgoing)
  if (typeof request === 'number') return turnedAway(outgoing, request)
  await send(await handle(request), outgoing)
}

/** Sends a response by Node's server. */
export async function send(response: Response, outgoing: ServerResponse): Promise<void> {
  outgoing.statusCode = response.status
  for (const [name, value] of response.headers) if (name !== 'set-cookie') outgoing.setHeader(name, value)
  const cookies = response.headers.getSetCookie()
  if (cookies.length > 0) outgoing.setHeader('set-cookie', cookies)
  if (response.body === null) return void outgoing.end()
  const reader = response.body.getReader()
  // If the client disconnects, the response is cancelled. A slow client is waited for.
  outgoing.once('close', () => void reader.cancel().catch(() => undefined))
  for (let part = await reader.read(); !part.done; part = await reader.read()) {
    if (outgoing.destroyed) return
    if (!outgoing.write(part.value)) await new Promise<void>((resolve) => outgoing.once('drain', resolve).once('close', resolve))
  }
  outgoing.end()
}

/** Answers a request that no handler gets. */
export function turnedAway(outgoing: ServerResponse, status: number): void {
  outgoing.statusCode = status
  if (status === 405) outgoing.setHeader('allow', 'GET, HEAD, POST, PUT, PATCH, DELETE, OPTIONS')
  outgoing.end()
}

// A name or address with an optional port, and nothing that would change the rest of the URL.
const HOST = /^([a-z0-9._~-]+|\[[0-9a-f:.]+\])(:\d{1,5})?$/i

/** The request's URL. The protocol in it does not come from the client. */
function addressOf(path: string, host: string | undefined, protocol: string): string | undefined {
  let [at, target] = [host, path]
  if (!path.startsWith('/')) {
    if (!URL.canParse(path)) return undefined
    const url = new URL(path)
    if (url.username !== '' || url.password !== '') return undefined
    ;[at, target] = [url.host, `${url.pathname}${url.search}`]
  }
  if (at === undefined || !HOST.test(at)) return undefined
  const address = `${protocol}://${at}${target}`
  return URL.canParse(address) ? address : undefined
}

/** The request of Node's server as a Fetch standard request, or the status with which it is turned away. */
export function requestOf(incoming: Incoming, outgoing: ServerResponse, withBody = true): Request | 400 | 405 {
  const { method = 'GET', headers, socket } = incoming
  // Methods that Fetch standard requests cannot have.
  if (/^(CONNECT|TRACE|TRACK)$/i.test(method)) return 405
  const headed = new Headers()
  for (const [name, value] of Object.entries(headers)) {
    if (name.startsWith(':')) continue
    for (const one of Array.isArray(value) ? value : value === undefined ? [] : [value]) headed.append(name, one)
  }
  // Only the guard decides whether to trust what a proxy says about the protocol. Here it is the socket's.
  const protocol = (socket as { encrypted?: boolean }).encrypted === true ? 'https' : 'http'
  const path = incoming.originalUrl ?? incoming.url ?? '/'
  const address = addressOf(path, headers.host, protocol)
  if (address === undefined) return 400
  const gone = new AbortController()
  outgoing.once('close', () => gone.abort())
  const sent = !withBody || ['GET', 'HEAD'].includes(method) ? {} : bodyOf(incoming)
  return new Request(address, { method, headers: headed, signal: gone.signal, ...sent } as RequestInit)
}

function bodyOf(incoming: Incoming): object {
  const { body } = incoming
  if (body === undefined || !incoming.readableEnded) return { body: incoming, duplex: 'half' }
  if (typeof body === 'string' || body instanceof Uint8Array) return { body }
  return { body: jsonText(body) }
}
