import { actingIdentity, senderOf } from './acting.js'
import { cookieOf } from './cookie.js'
import { CredentialError } from './error.js'
import type { Identity, Sender } from './identity-types.js'

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
  const sender = async (request: Request) => {
    let last: Sender<Me> = { me: null }
    for (const one of identities) {
      last = await senderOf(one, request)
      if (last.me !== null || last.actor !== undefined) return last
    }
    return last
  }
  return actingIdentity(sender, {
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
