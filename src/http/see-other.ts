import { cookieOf } from './cookie.js'
import { SetupError } from './error.js'
import { isOwnPath } from './refusal-page.js'

/** Where a page goes after something was done. */
export interface NextPage {
  /** A path of this site. */
  readonly to: string
  /** What the next page tells, once: see `messageOf`. */
  readonly message?: string
}

const COOKIE = 'message'
const SECONDS = 60
/** Characters: a cookie holds 4 kB, and some characters need twelve bytes there. */
const LONGEST = 300

/**
 * Sends a browser to another page of this site after a form was handled: 303 See Other. The message waits in a cookie for that page.
 *
 * @throws SetupError if `to` is not a path of this site, because an address from a request could lead people elsewhere
 * @example
 * return seeOther('/plots/p-01', { message: 'Saved.' })
 */
export function seeOther(to: string, { message }: Pick<NextPage, 'message'> = {}): Response {
  if (!isOwnPath(to)) throw new SetupError('to', `${JSON.stringify(to)} is not a path of this site: it has to begin with one slash`)
  const headers = new Headers({ location: to, 'cache-control': 'no-store' })
  if (message !== undefined)
    headers.append(
      'set-cookie',
      `${COOKIE}=${encodeURIComponent([...message].slice(0, LONGEST).join(''))}; Path=/; Max-Age=${SECONDS}; HttpOnly; SameSite=Lax`,
    )
  return new Response(null, { status: 303, headers })
}

/**
 * The message for this page, and the `Set-Cookie` header with which the page forgets it. Escape the text like any other.
 *
 * @example
 * const message = messageOf(request)
 * if (message !== undefined) headers.append('set-cookie', message.forget)
 */
export function messageOf(request: Request): { readonly text: string; readonly forget: string } | undefined {
  const text = readable(request)
  return text === undefined || text === '' ? undefined : { text, forget: `${COOKIE}=; Path=/; Max-Age=0; HttpOnly; SameSite=Lax` }
}

/** Nothing depends on this cookie, so one that cannot be read is none. */
function readable(request: Request): string | undefined {
  try {
    return cookieOf(request, COOKIE)
  } catch {
    return undefined
  }
}
