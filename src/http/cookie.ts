import { CredentialError } from './error.js'

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
