import { CredentialError } from './error.js'

/** Who is asking: their claims, or null for a visitor. Throws a `CredentialError` where what they show cannot be believed. */
export interface Identity<Me = unknown> {
  (request: Request): Promise<Me | null>
  /**
   * Whether the browser sends it by itself, as cookies are: what changes something must come from the same origin then. Where nobody
   * says so, it is taken to, but for requests with a bearer token: these no other site can have a browser send.
   */
  readonly automatic?: boolean | ((request: Request) => boolean)
  /** What it is called in `WWW-Authenticate`. */
  readonly scheme?: string
}

/** What is known of an application's sessions. */
export interface SessionOptions {
  /** Whether browsers send these credentials on their own, as they do with cookies. Default: true. */
  readonly automatic?: boolean
  /** What they are called in `WWW-Authenticate`. Default: `Session`. */
  readonly scheme?: string
  /** The session cookie. If a request sends one whose session has ended, the answer is 401: the person is not treated as a visitor. */
  readonly cookie?: string
}

/**
 * Who is asking, by an application's own sign-in: the function is given the request and gives their claims, or null for a
 * visitor. It may throw a `CredentialError`. Cookies are assumed, unless the options say otherwise.
 *
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
 * The first of several ways in that knows somebody. What one of them finds broken is not tried with the next.
 *
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
    // A bearer token is sent by nobody but a program that means to: no other site can add it to a browser's request.
    automatic: (request: Request) => !hasBearer(request) && identities.some((one) => isAutomatic(one, request)),
    scheme: identities.find(({ scheme }) => scheme !== undefined)?.scheme ?? 'Bearer',
  })
}

/** A bearer token is sent by nobody but a program that means to. */
function hasBearer({ headers }: Request): boolean {
  return /^Bearer /i.test(headers.get('authorization') ?? '')
}

/** Whether the browser may have sent by itself what tells who is asking. */
export function isAutomatic({ automatic = (one) => !hasBearer(one) }: Identity, request: Request): boolean {
  return typeof automatic === 'function' ? automatic(request) : automatic
}

/** The value of a cookie, as RFC 6265 has it; undefined where there is none. */
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
