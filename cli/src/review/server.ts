import { existsSync } from 'node:fs'
import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http'
import type { AddressInfo } from 'node:net'
import { join } from 'node:path'
import { isPachterError } from 'pachter/internal/condition'
import { middleware } from 'pachter/internal/http'
import { expectationTitle, type Project } from 'pachter/internal/review'
import sirv from 'sirv'
import { UsageError } from '../errors.js'
import { PAGE } from '../installed.js'
import type { Reviewed } from './reviewed.js'
import { readSaved } from './save.js'

const HEADERS = {
  'content-security-policy':
    "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; frame-ancestors 'none'; base-uri 'none'; form-action 'none'",
  'cross-origin-resource-policy': 'same-origin',
  'referrer-policy': 'no-referrer',
  'x-content-type-options': 'nosniff',
  'cache-control': 'no-store',
}

/** The folder of the page's files. @throws UsageError if the package was not built completely */
export function pageFolder(): string {
  if (!existsSync(join(PAGE, 'index.html')))
    throw new UsageError(`review: the page is missing in ${PAGE}. Build or install pachter-cli again.`)
  return PAGE
}

/**
 * Serves the page of a project on this machine only. It contains real records, so it refuses requests with another host name (a page
 * elsewhere could have its name point here) and requests from other pages.
 */
export async function serveReview(
  reviewed: Reviewed,
  port: number,
): Promise<{ readonly url: string; readonly close: () => Promise<void> }> {
  const data = middleware(async (request) => answer(request, ownNames(server), reviewed))
  // Only the files that exist at the start are served: no path leads elsewhere.
  const files = sirv(pageFolder(), {
    setHeaders: (response: ServerResponse) => {
      for (const [name, value] of Object.entries(HEADERS)) response.setHeader(name, value)
    },
  })
  const server: Server = createServer((incoming, outgoing) => {
    if (!mayHaveFiles(incoming, ownNames(server))) return data(incoming, outgoing)
    // The page never requests ranges, and an invalid range makes sirv throw.
    delete incoming.headers.range
    files(incoming, outgoing, () => data(incoming, outgoing))
  })
  await new Promise<void>((done, failed) => {
    server.once('error', (error: Error & { code?: string }) =>
      failed(error.code === 'EADDRINUSE' ? new UsageError(`review: port ${port} is in use. Choose another with --port.`) : error),
    )
    server.listen(port, '127.0.0.1', done)
  })
  return {
    url: `http://127.0.0.1:${(server.address() as AddressInfo).port}`,
    async close() {
      server.closeAllConnections()
      await new Promise((done) => server.close(done))
    },
  }
}

function ownNames(server: Server): readonly string[] {
  const { port } = server.address() as AddressInfo
  return [`127.0.0.1:${port}`, `localhost:${port}`]
}

/** Whether a request used a name of this machine, and came from the page itself or from a typed address. */
function isOurs(names: readonly string[], host: string | undefined, origin: string | null, site: string): boolean {
  if (host === undefined || !names.includes(host)) return false
  if (origin !== null && !names.includes(origin.replace(/^http:\/\//, ''))) return false
  return site === 'same-origin' || site === 'none'
}

function mayHaveFiles({ method, headers }: IncomingMessage, names: readonly string[]): boolean {
  if (method !== 'GET' && method !== 'HEAD') return false
  return isOurs(names, headers.host, headers.origin ?? null, String(headers['sec-fetch-site'] ?? 'none'))
}

async function answer(request: Request, names: readonly string[], reviewed: Reviewed): Promise<Response> {
  const { host, pathname } = new URL(request.url)
  const origin = request.headers.get('origin')
  if (!isOurs(names, host, origin, request.headers.get('sec-fetch-site') ?? 'none'))
    return new Response('Requests from other sites are refused.', { status: 403, headers: HEADERS })
  if (request.method === 'POST' && (pathname === '/save' || pathname === '/weaken' || pathname === '/prove')) {
    // A form on another page could send neither.
    if (origin === null || !/^application\/json\b/.test(request.headers.get('content-type') ?? ''))
      return json(415, { problem: 'Only JSON from the page itself is accepted.' })
    if (pathname === '/save') return saving(request, reviewed)
    if (pathname === '/prove') reviewed.prove()
    else reviewed.weaken()
    return json(202, {})
  }
  if (request.method !== 'GET' && request.method !== 'HEAD')
    return new Response('Use GET or HEAD.', { status: 405, headers: { ...HEADERS, allow: 'GET, HEAD' } })
  switch (pathname) {
    case '/project.json':
      return text(200, reviewed.project())
    case '/findings.json':
      return text(200, reviewed.findings() ?? 'null')
    case '/proofs.json':
      return text(200, reviewed.proofs() ?? 'null')
    case '/mutants.json':
      return text(200, JSON.stringify(reviewed.mutants() ?? null))
    case '/changes':
      return changes(request, reviewed)
  }
  return new Response('Not Found', { status: 404, headers: HEADERS })
}

const text = (status: number, body: string) =>
  new Response(body, { status, headers: { ...HEADERS, 'content-type': 'application/json; charset=utf-8' } })
const json = (status: number, told: object) => text(status, JSON.stringify(told))

/** The state, at once and whenever it changes, as Server-Sent Events (https://html.spec.whatwg.org/multipage/server-sent-events.html). */
function changes(request: Request, reviewed: Reviewed): Response {
  const encoder = new TextEncoder()
  let stop = () => {}
  const body = new ReadableStream<Uint8Array>({
    start(controller) {
      const send = () => controller.enqueue(encoder.encode(`data: ${JSON.stringify(reviewed.state())}\n\n`))
      const unsubscribe = reviewed.subscribe(send)
      const beating = setInterval(() => controller.enqueue(encoder.encode(':\n\n')), 20_000)
      stop = () => {
        clearInterval(beating)
        unsubscribe()
      }
      request.signal.addEventListener('abort', stop)
      send()
    },
    cancel: () => stop(),
  })
  return new Response(body, { headers: { ...HEADERS, 'content-type': 'text/event-stream' } })
}

/** Saves expectations next to the others. Nothing else is ever written. */
async function saving(request: Request, reviewed: Reviewed): Promise<Response> {
  const sent = await request.text()
  if (sent.length > 2_000_000) return json(413, { problem: 'The request is too large.' })
  try {
    const expectations = readSaved(JSON.parse(sent), JSON.parse(reviewed.project()) as Project, reviewed.mutants())
    return json(200, { file: reviewed.save(expectations), saved: expectations.map(expectationTitle) })
  } catch (error) {
    if (error instanceof SyntaxError || isPachterError(error)) return json(422, { problem: error.message })
    throw error
  }
}
