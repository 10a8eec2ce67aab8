import { RequestError } from './error.js'
import { isLocal } from './token.js'

const SAFE = ['GET', 'HEAD', 'OPTIONS']

/** Whether requests come by way of something that ended their encryption, and says so. */
export interface Transport {
  /** A proxy stands before this server and sets `X-Forwarded-Proto` itself. */
  readonly behindProxy?: boolean
  /** Takes plain HTTP from anywhere. */
  readonly insecure?: boolean
}

/** Refuses plain HTTP, but on this machine. @throws RequestError 403 */
export function checkTransport(request: Request, { behindProxy = false, insecure = false }: Transport): void {
  const { protocol, hostname } = new URL(request.url)
  const said = behindProxy ? request.headers.get('x-forwarded-proto')?.split(',')[0]?.trim() : undefined
  const encrypted = said === undefined ? protocol === 'https:' : said === 'https'
  if (!encrypted && !insecure && !isLocal(hostname))
    throw new RequestError(403, 'Use https: what is sent here in the clear, others can read.')
}

/**
 * What a browser sends of itself, as cookies are, it sends for other sites as well: so what changes something must come from
 * this origin, by Fetch metadata (`Sec-Fetch-Site`), or by `Origin` where a browser does not send that. @throws RequestError 403
 */
export function checkSameOrigin(request: Request, origins: readonly string[]): void {
  if (SAFE.includes(request.method)) return
  const [site, origin] = [request.headers.get('sec-fetch-site'), request.headers.get('origin')]
  if (origin !== null && origins.includes(origin)) return
  if (site !== null ? site === 'same-origin' : origin !== null && sameHost(origin, request)) return
  throw new RequestError(403, 'What changes something has to come from this site itself.')
}

function sameHost(origin: string, request: Request): boolean {
  try {
    return new URL(origin).host === new URL(request.url).host
  } catch {
    return false
  }
}
