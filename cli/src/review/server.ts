import { readFileSync } from 'node:fs'
import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { extname, join, normalize, sep } from 'node:path'
import { fileURLToPath } from 'node:url'
import { isPachterError } from 'pachter/internal/condition'
import { middleware } from 'pachter/internal/http'
import { expectationTitle, type Project } from 'pachter/internal/review'
import { UsageError } from '../errors.js'
import { readKept } from './keep.js'
import type { Reviewed } from './reviewed.js'

/** Where the page is, in the package. */
const PAGE = fileURLToPath(new URL('../page/', import.meta.url))

const KINDS: { readonly [extension: string]: string } = {
  '.html': 'text/html; charset=utf-8',
  '.js': 'text/javascript; charset=utf-8',
  '.css': 'text/css; charset=utf-8',
  '.json': 'application/json; charset=utf-8',
}

const HEADERS = {
  'content-security-policy':
    "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; frame-ancestors 'none'; base-uri 'none'; form-action 'none'",
  'cross-origin-resource-policy': 'same-origin',
  'referrer-policy': 'no-referrer',
  'x-content-type-options': 'nosniff',
  'cache-control': 'no-store',
}

/** The files of the page. @throws UsageError where the package was not built whole */
export function pageFile(name: string): Buffer | undefined {
  const path = normalize(join(PAGE, name))
  if (!path.startsWith(normalize(PAGE)) || path.split(sep).some((part) => part.startsWith('.'))) return undefined
  try {
    return readFileSync(path)
  } catch {
    if (name === 'index.html') throw new UsageError(`review: there is no page in ${PAGE}: the package was not built whole`)
    return undefined
  }
}

/**
 * Serves the page of a project, on this machine alone. Real records are in it: so it answers nobody who came by another name than
 * that of this machine (as a page elsewhere does that has its own name lead here), and no page from elsewhere.
 */
export async function serveReview(
  reviewed: Reviewed,
  port: number,
): Promise<{ readonly url: string; readonly close: () => Promise<void> }> {
  pageFile('index.html')
  const server: Server = createServer(middleware(async (request) => answer(request, ownNames(server), reviewed)))
  await new Promise<void>((done, failed) => {
    server.once('error', (error: Error & { code?: string }) =>
      failed(error.code === 'EADDRINUSE' ? new UsageError(`review: another program listens on port ${port}; --port takes another`) : error),
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

async function answer(request: Request, names: readonly string[], reviewed: Reviewed): Promise<Response> {
  const { host, pathname } = new URL(request.url)
  const origin = request.headers.get('origin')
  const site = request.headers.get('sec-fetch-site') ?? 'none'
  const isOurs = names.includes(host) && (origin === null || names.includes(origin.replace(/^http:\/\//, '')))
  if (!isOurs || (site !== 'same-origin' && site !== 'none')) return new Response('Not from there.', { status: 403, headers: HEADERS })
  if (request.method === 'POST' && (pathname === '/keep' || pathname === '/weaken')) {
    // A form of another page could send neither.
    if (origin === null || !/^application\/json\b/.test(request.headers.get('content-type') ?? ''))
      return json(415, { problem: 'JSON is needed, from the page itself.' })
    if (pathname === '/keep') return keeping(request, reviewed)
    reviewed.weaken()
    return json(202, {})
  }
  if (request.method !== 'GET' && request.method !== 'HEAD')
    return new Response('It only reads.', { status: 405, headers: { ...HEADERS, allow: 'GET, HEAD' } })
  switch (pathname) {
    case '/project.json':
      return text(200, reviewed.project())
    case '/findings.json':
      return text(200, reviewed.findings() ?? 'null')
    case '/mutants.json':
      return text(200, JSON.stringify(reviewed.mutants() ?? null))
    case '/changes':
      return changes(request, reviewed)
  }
  const name = pathname === '/' ? 'index.html' : fileName(pathname)
  const file = name === undefined ? undefined : pageFile(name)
  if (name === undefined || file === undefined) return new Response('There is nothing here.', { status: 404, headers: HEADERS })
  return new Response(new Uint8Array(file), { headers: { ...HEADERS, 'content-type': KINDS[extname(name)] ?? 'application/octet-stream' } })
}

/** The file that a path names; undefined for what cannot be read. */
function fileName(pathname: string): string | undefined {
  try {
    return decodeURIComponent(pathname.slice(1))
  } catch {
    return undefined
  }
}

const text = (status: number, body: string) =>
  new Response(body, { status, headers: { ...HEADERS, 'content-type': KINDS['.json'] as string } })
const json = (status: number, told: object) => text(status, JSON.stringify(told))

/** How it stands, at once and whenever that changes: server-sent events (https://html.spec.whatwg.org/multipage/server-sent-events.html). */
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

/** Writes expectations beside the others: all that is ever written. */
async function keeping(request: Request, reviewed: Reviewed): Promise<Response> {
  const sent = await request.text()
  if (sent.length > 2_000_000) return json(413, { problem: 'That is too much at once.' })
  try {
    const expectations = readKept(JSON.parse(sent), JSON.parse(reviewed.project()) as Project, reviewed.mutants())
    return json(200, { file: reviewed.keep(expectations), kept: expectations.map(expectationTitle) })
  } catch (error) {
    if (error instanceof SyntaxError || isPachterError(error)) return json(422, { problem: error.message })
    throw error
  }
}
