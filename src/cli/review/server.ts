import { readFileSync } from 'node:fs'
import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { extname, join, normalize, sep } from 'node:path'
import { fileURLToPath } from 'node:url'
import { isPachterError } from '../../condition/index.js'
import { middleware } from '../../http/index.js'
import { type Expectation, expectationTitle, type Project } from '../../review/index.js'
import { UsageError } from '../errors.js'
import { readCells } from './keep.js'

/** Where the page is, in the package. */
const PAGE = fileURLToPath(new URL('../../page/', import.meta.url))

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
  project: () => Project,
  port: number,
  keep?: (expectations: readonly Expectation[]) => string,
): Promise<{ readonly url: string; readonly close: () => Promise<void> }> {
  pageFile('index.html')
  const server: Server = createServer(middleware(async (request) => answer(request, ownNames(server), project, keep)))
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

async function answer(request: Request, names: readonly string[], project: () => Project, keep: Keep | undefined): Promise<Response> {
  const { host, pathname } = new URL(request.url)
  const origin = request.headers.get('origin')
  const site = request.headers.get('sec-fetch-site') ?? 'none'
  const isOurs = names.includes(host) && (origin === null || names.includes(origin.replace(/^http:\/\//, '')))
  if (!isOurs || (site !== 'same-origin' && site !== 'none')) return new Response('Not from there.', { status: 403, headers: HEADERS })
  if (pathname === '/keep' && request.method === 'POST' && keep !== undefined) return keeping(request, origin, project(), keep)
  if (request.method !== 'GET' && request.method !== 'HEAD')
    return new Response('It only reads.', { status: 405, headers: { ...HEADERS, allow: 'GET, HEAD' } })
  if (pathname === '/project.json')
    return new Response(JSON.stringify(project()), { headers: { ...HEADERS, 'content-type': KINDS['.json'] as string } })
  const name = pathname === '/' ? 'index.html' : decodeURIComponent(pathname.slice(1))
  const file = pageFile(name)
  if (file === undefined) return new Response('There is nothing here.', { status: 404, headers: HEADERS })
  return new Response(new Uint8Array(file), { headers: { ...HEADERS, 'content-type': KINDS[extname(name)] ?? 'application/octet-stream' } })
}

type Keep = (expectations: readonly Expectation[]) => string

/** Writes expectations beside the others: all that is ever written. */
async function keeping(request: Request, origin: string | null, project: Project, keep: Keep): Promise<Response> {
  const say = (status: number, told: object) => Response.json(told, { status, headers: HEADERS })
  // A form of another page could send neither.
  if (origin === null || !/^application\/json\b/.test(request.headers.get('content-type') ?? ''))
    return say(415, { problem: 'JSON is needed, from the page itself.' })
  const text = await request.text()
  if (text.length > 100_000) return say(413, { problem: 'That is too much at once.' })
  try {
    const expectations = readCells(JSON.parse(text), project)
    return say(200, { file: keep(expectations), kept: expectations.map(expectationTitle) })
  } catch (error) {
    if (error instanceof SyntaxError || isPachterError(error)) return say(422, { problem: error.message })
    throw error
  }
}
