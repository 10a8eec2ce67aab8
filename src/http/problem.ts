import { isPachterError } from '../condition/index.js'
import { type BulkError, DeniedError, type InvalidError, type RefusedError } from '../store/index.js'
import { CredentialError, RequestError } from './error.js'

/** Problem details (RFC 9457). */
export interface Problem {
  readonly status: number
  readonly title: string
  readonly detail?: string
  /** The stable code of the error. */
  readonly code: string
  readonly [more: string]: unknown
}

/** The sign-in options. */
export interface SignIn {
  /** The sign-in address for people. */
  readonly at?: string | undefined
  /** The authentication scheme for programs. */
  readonly scheme: string
}

const TITLES: { readonly [status: number]: string } = {
  400: 'Bad Request',
  401: 'Unauthorized',
  403: 'Forbidden',
  404: 'Not Found',
  405: 'Method Not Allowed',
  406: 'Not Acceptable',
  409: 'Conflict',
  412: 'Precondition Failed',
  413: 'Content Too Large',
  414: 'URI Too Long',
  415: 'Unsupported Media Type',
  422: 'Unprocessable Content',
  428: 'Precondition Required',
  429: 'Too Many Requests',
  500: 'Internal Server Error',
  503: 'Service Unavailable',
}

/** Converts an error to problem details. Unexpected errors reveal nothing. */
export function problemOf(
  error: unknown,
  signIn: SignIn,
): { readonly problem: Problem; readonly headers: Readonly<Record<string, string>> } {
  const found = (status: number, code: string, detail: string | undefined, more: object = {}, headers: Record<string, string> = {}) => ({
    problem: { status, title: TITLES[status] ?? 'Problem', ...(detail === undefined ? {} : { detail }), code, ...more },
    headers,
  })
  const challenge = { 'www-authenticate': signIn.scheme }
  const where = signIn.at === undefined ? {} : { signIn: signIn.at }
  if (error instanceof CredentialError)
    return found(401, error.code, 'These credentials are not valid here.', where, {
      'www-authenticate': `${signIn.scheme} error="invalid_token"`,
    })
  // The claims do not fit the shape of `me`, so nothing is allowed.
  if (isPachterError(error, 'BAD_CLAIMS'))
    return found(401, 'BAD_CLAIMS', 'These credentials are not valid here.', where, {
      'www-authenticate': `${signIn.scheme} error="invalid_token"`,
    })
  if (error instanceof RequestError) return found(error.status, error.code, error.message, {}, { ...error.headers })
  if (error instanceof DeniedError) {
    const { outcome } = error.verdict
    if (outcome === 'sign in') return found(401, error.code, error.message, where, challenge)
    if (outcome === 'not found') return found(404, error.code, error.message)
    const { fields = [] } = error as RefusedError
    return found(403, error.code, error.message, fields.length === 0 ? {} : { fields })
  }
  if (isPachterError(error, 'INVALID')) return found(422, 'INVALID', error.message, { faults: (error as InvalidError).faults })
  if (isPachterError(error, 'IN_THE_WAY')) return found(409, 'IN_THE_WAY', error.message, { refused: (error as BulkError).refused })
  if (isPachterError(error) && ['BAD_QUERY', 'BAD_CURSOR', 'BAD_TEXT', 'UNKNOWN_NAME'].includes(error.code))
    return found(400, error.code, error.message)
  if (isPachterError(error, 'BUSY'))
    return found(
      503,
      'BUSY',
      'Other writes to the same records got in between. Nothing was written. Try again.',
      {},
      { 'retry-after': '1' },
    )
  // Whether the change was saved is unknown, so the response must not say that it was not.
  if (isPachterError(error, 'UNCERTAIN'))
    return found(503, 'UNCERTAIN', 'The change may or may not have been saved. Load the record before you try again.')
  if (isPachterError(error, 'STORE_FAILED'))
    return found(503, 'STORE_FAILED', 'Nothing was written. Try again later.', {}, { 'retry-after': '5' })
  return found(500, 'FAILED', undefined)
}

/** Problem details as a response. */
export function problemResponse({ problem, headers }: ReturnType<typeof problemOf>): Response {
  return new Response(JSON.stringify({ type: 'about:blank', ...problem }), {
    status: problem.status,
    headers: { ...headers, 'content-type': 'application/problem+json', 'cache-control': 'no-store' },
  })
}
