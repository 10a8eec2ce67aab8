import { CredentialError } from './error.js'

/** Who is asking: their claims, or null for a visitor. Throws a `CredentialError` if the credentials are not valid. */
export interface Identity<Me = unknown> {
  (request: Request): Promise<Me | null>
  /**
   * Whether the browser sends the credentials by itself, as it does cookies. Then changing requests must come from the same origin.
   * Default: true, except for requests with a bearer token, which another site cannot make a browser send.
   */
  readonly automatic?: boolean | ((request: Request) => boolean)
  /** The scheme named in `WWW-Authenticate`. */
  readonly scheme?: string
}

/** How to treat an application's sessions. */
export interface SessionOptions {
  /** Whether browsers send these credentials on their own, as they do with cookies. Default: true. */
  readonly automatic?: boolean
  /** What they are called in `WWW-Authenticate`. Default: `Session`. */
  readonly scheme?: string
  /** The session cookie. If a request sends one whose session has ended, the answer is 401: the person is not treated as a visitor. */
  readonly cookie?: string
}

/**
 * Identifies people by the application's own sign-in: the function receives the request and returns the claims, or null for a visitor. It
 * may throw a `CredentialError`. Cookies are assumed, unless the options say otherwise.
 * @example
 * fromSession(async (request) => sessions.get(cookieOf(request, 'sid'))?.claims ?? null)
 */
export function fromSession<Me>(
  resolve: (request: Request) => Promise<Me | null | undefined> | Me | null | undefined,
  { automatic = true, scheme = 'Session', cookie }: SessionOptions = {},
): Identity<Me> {
  const identity = async (request: Request) => {
    const me = (await resolve(request)) ?? null
    if (me === null && cookie !== undefined && cookieOf(request, cookie))
      throw new CredentialError(`the session of the cookie ${cookie} has ended`)
    return me
  }
  return Object.assign(identity, { automatic, scheme })
}

/**
 * Tries several identities in order; the first one that knows the person counts. If one finds invalid credentials, the next ones are not
 * tried.
 * @example
 * firstOf(fromToken({ ... }), fromSession(...))
 */
export function firstOf<Me>(...identities: readonly Identity<Me>[]): Identity<Me> {
  const identity = async (request: Request) => {
    for (const one of identities) {
      const found = await one(request)
      if (found !== null) return found
    }
    return null
  }
  return Object.assign(identity, {
    // Only a program that holds the token can send it. Another site cannot add it to a browser's request.
    automatic: (request: Request) => !hasBearer(request) && identities.some((one) => isAutomatic(one, request)),
    scheme: identities.find(({ scheme }) => scheme !== undefined)?.scheme ?? 'Bearer',
  })
}

/** Only a program that holds the token can send it. */
function hasBearer({ headers }: Request): boolean {
  return /^Bearer /i.test(headers.get('authorization') ?? '')
}

/** Whether the browser may have sent the credentials by itself. */
export function isAutomatic({ automatic = (one) => !hasBearer(one) }: Identity, request: Request): boolean {
  return typeof automatic === 'function' ? automatic(request) : automatic
}

/** The value of a cookie (RFC 6265); undefined if there is none. */
export function cookieOf(request: Request, name: string): string | undefined {
  for (const pair of (request.headers.get('cookie') ?? '').split(';')) {
    const at = pair.indexOf('=')
    if (at < 0 || pair.slice(0, at).trim() !== name) continue
    const value = pair
      .slice(at + 1)
      .trim()
      .replace(/^"(.*)"$/, '$1')
    try {
      return decodeURIComponent(value)
    } catch {
      throw new CredentialError(`the cookie ${name} cannot be read`)
    }
  }
  return undefined
}
