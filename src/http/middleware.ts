import type { IncomingMessage, ServerResponse } from 'node:http'

/** A request handler as Express, Connect and Node's own server take it. */
export type Middleware = (
  request: IncomingMessage & { readonly body?: unknown; readonly protocol?: string; readonly originalUrl?: string },
  response: ServerResponse,
  next?: (error?: unknown) => void,
) => void

/**
 * Handlers of Fetch standard requests in an Express application, or with Node's own server. A body that a parser before it has
 * read already is taken as it was read.
 *
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

type Incoming = Parameters<Middleware>[0]

async function answer(handle: (request: Request) => Promise<Response>, incoming: Incoming, outgoing: ServerResponse): Promise<void> {
  const request = requestOf(incoming, outgoing)
  if (request === undefined) {
    outgoing.statusCode = 400
    return void outgoing.end()
  }
  const response = await handle(request)
  outgoing.statusCode = response.status
  for (const [name, value] of response.headers) if (name !== 'set-cookie') outgoing.setHeader(name, value)
  const cookies = response.headers.getSetCookie()
  if (cookies.length > 0) outgoing.setHeader('set-cookie', cookies)
  if (response.body === null) return void outgoing.end()
  const reader = response.body.getReader()
  // Whoever went away is not written to, and what was being made for them is made no longer; whoever is slow is waited for.
  outgoing.once('close', () => void reader.cancel().catch(() => undefined))
  for (let part = await reader.read(); !part.done; part = await reader.read()) {
    if (outgoing.destroyed) return
    if (!outgoing.write(part.value)) await new Promise<void>((resolve) => outgoing.once('drain', resolve).once('close', resolve))
  }
  outgoing.end()
}

function requestOf(incoming: Incoming, outgoing: ServerResponse): Request | undefined {
  const { method = 'GET', headers, socket } = incoming
  const headed = new Headers()
  for (const [name, value] of Object.entries(headers)) {
    if (name.startsWith(':')) continue
    for (const one of Array.isArray(value) ? value : value === undefined ? [] : [value]) headed.append(name, one)
  }
  // What a proxy says of the protocol is for the guard to believe or not: here it is what the socket is.
  const protocol = (socket as { encrypted?: boolean }).encrypted === true ? 'https' : 'http'
  const path = incoming.originalUrl ?? incoming.url ?? '/'
  const address = path.startsWith('/') ? `${protocol}://${headers.host ?? 'localhost'}${path}` : path
  if (!URL.canParse(address)) return undefined
  const gone = new AbortController()
  outgoing.once('close', () => gone.abort())
  const sent = ['GET', 'HEAD'].includes(method) ? {} : bodyOf(incoming)
  return new Request(address, { method, headers: headed, signal: gone.signal, ...sent } as RequestInit)
}

function bodyOf(incoming: Incoming): object {
  const { body } = incoming
  if (body === undefined || !incoming.readableEnded) return { body: incoming, duplex: 'half' }
  if (typeof body === 'string' || body instanceof Uint8Array) return { body }
  return { body: JSON.stringify(body) }
}
