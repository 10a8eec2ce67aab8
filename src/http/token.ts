import type { KeyObject } from 'node:crypto'
import { actingIdentity } from './acting.js'
import { CredentialError, SetupError } from './error.js'
import type { Identity, Sender } from './identity-types.js'
import { isLocal } from './local.js'

/** The claims of a JSON Web Token (RFC 7519, section 4). */
export interface TokenClaims {
  readonly iss?: string
  readonly sub?: string
  readonly aud?: string | string[]
  readonly exp?: number
  /** Who acts as the person of the token (RFC 8693, section 4.1). */
  readonly act?: { readonly sub?: string }
  readonly [claim: string]: unknown
}

/** A JSON Web Key Set (RFC 7517, section 5). */
export interface KeySet {
  readonly keys: readonly object[]
}

/** The requirements for a JSON Web Token, and how it becomes claims. */
export interface TokenOptions<Me> {
  /** Who issues them: `iss`. */
  readonly issuer: string
  /** The audience: tokens must be meant for one of these applications, by `aud`. */
  readonly audience: string | readonly string[]
  /** The keys that sign tokens: the URL of a JSON Web Key Set, such a set, or a key. */
  readonly keys: URL | KeySet | CryptoKey | KeyObject | Uint8Array
  /** The accepted algorithms: `['RS256']`, `['ES256']`, or with a shared secret `['HS256']`. */
  readonly algorithms: readonly string[]
  /** The allowed clock difference in seconds. Default: 5. */
  readonly leeway?: number
  /** How groups of the issuer become roles. */
  readonly roles?: RoleTable
  /** Only accounts with an email address in these domains, verified by the issuer, are accepted. */
  readonly emailDomains?: readonly string[]
  /**
   * What people may do whose token has the claim `act`, which means that they act as the person of the token. Default: `read`. Their key in
   * the verdict log is `act.sub`.
   */
  readonly actors?: 'read' | 'write'
  /** Makes the claims for the rules. Default: all claims of the token. */
  readonly me: (token: TokenClaims, granted: Granted) => Me
}

/** Which groups become which roles. */
export interface RoleTable {
  /** The claim of the token that lists groups. */
  readonly claim: string
  /** By application (`aud`); `*` for all others. */
  readonly of: { readonly [application: string]: { readonly [group: string]: string } }
  /** The role of people who have no other. */
  readonly otherwise?: string
  /** Claims that come with a role and are kept here instead of in tokens. */
  readonly with?: { readonly [role: string]: Readonly<Record<string, unknown>> }
}

/** The result of the groups. */
export interface Granted {
  readonly roles: readonly string[]
  /** The claims that come with the roles. If roles conflict, the later one in the table counts. */
  readonly attributes: Readonly<Record<string, unknown>>
}

const UNSAFE = /^none$/i

/**
 * Identifies people by a JSON Web Token (RFC 7519) in the `Authorization` header, as a bearer token (RFC 6750). Without the header, the
 * person is a visitor. A token that is malformed, expired, not yet valid, for another audience or with another signature is refused.
 * @throws SetupError for options that would accept too much: no algorithm, `none`, no issuer, no audience
 * @example
 * fromToken({
 *   issuer: 'https://id.marshlane.example',
 *   audience: 'allotment',
 *   algorithms: ['RS256'],
 *   keys: new URL('https://id.marshlane.example/jwks'),
 *   me: ({ sub }) => ({ id: sub }),
 * })
 */
export function fromToken<Me>(options: TokenOptions<Me>): Identity<Me> {
  const { issuer, audience, algorithms, keys, leeway = 5, emailDomains, roles, me, actors = 'read' } = options
  if (typeof issuer !== 'string' || issuer === '') throw new SetupError('fromToken', 'give the issuer of the tokens')
  const audiences = typeof audience === 'string' ? [audience] : [...(audience ?? [])]
  if (audiences.length === 0 || audiences.includes('')) throw new SetupError('fromToken', 'give the audience that tokens must have')
  if (!Array.isArray(algorithms) || algorithms.length === 0)
    throw new SetupError('fromToken', 'give the accepted algorithms, as in ["RS256"]')
  if (algorithms.some((name) => UNSAFE.test(name)))
    throw new SetupError('fromToken', '"none" means unsigned tokens, which are never accepted')
  const shared = algorithms.some((name) => name.startsWith('HS'))
  if (shared && algorithms.some((name) => !name.startsWith('HS')))
    throw new SetupError(
      'fromToken',
      'a shared secret and public keys cannot be used together: anyone who knows the public key could sign tokens with it. Give one of them.',
    )
  if (shared && !(keys instanceof Uint8Array)) throw new SetupError('fromToken', 'HS256, HS384 and HS512 need the secret, as bytes')
  const remote = keys instanceof URL
  if (remote && keys.protocol !== 'https:' && !isLocal(keys.hostname))
    throw new SetupError('fromToken', 'keys have to be fetched over https, except from this machine')
  const about = { issuer, audience: audiences, algorithms: [...algorithms], clockTolerance: leeway, requiredClaims: ['exp'] }
  const verifier = once(async () => verifierOf(await joseLibrary(), keys, about))
  const sender = async (request: Request): Promise<Sender<Me>> => {
    const header = request.headers.get('authorization')
    if (header === null) return { me: null }
    const [, token] = /^Bearer +([A-Za-z0-9._~+/-]+=*)$/i.exec(header) ?? []
    if (token === undefined) throw new CredentialError('the Authorization header contains no bearer token')
    const verify = await verifier()
    const payload = await verify(token).catch((error: unknown) => {
      // If the keys cannot be fetched, the asker has done nothing wrong, but no token is accepted until they can be.
      const code = (error as { code?: unknown } | null)?.code
      const why = typeof code === 'string' ? code : error instanceof Error ? error.message : String(error)
      throw new CredentialError(`the token is not valid here: ${why}`, { cause: error })
    })
    checkEmail(payload, emailDomains)
    const claims = me(payload, grantedBy(payload, audiences, roles))
    const actor = actorOf(payload)
    return actor === undefined ? { me: claims } : { me: claims, actor: { key: actor, readOnly: actors !== 'write' } }
  }
  return actingIdentity(sender, { automatic: false, scheme: 'Bearer' })
}

type Jose = typeof import('jose')
type About = Parameters<Jose['jwtVerify']>[2]

/** jose is an optional peer dependency, needed only for tokens. @throws SetupError */
async function joseLibrary(): Promise<Jose> {
  try {
    return await import('jose')
  } catch (error) {
    throw new SetupError('fromToken', 'fromToken needs the package jose: npm install jose', error)
  }
}

function verifierOf(jose: Jose, keys: TokenOptions<unknown>['keys'], about: About): (token: string) => Promise<TokenClaims> {
  const { createLocalJWKSet, createRemoteJWKSet, jwtVerify } = jose
  const keySet = keys instanceof URL ? createRemoteJWKSet(keys) : isKeySet(keys) ? createLocalJWKSet(keys as never) : undefined
  const verified = (token: string) => (keySet === undefined ? jwtVerify(token, keys as Uint8Array, about) : jwtVerify(token, keySet, about))
  return async (token) => (await verified(token)).payload
}

/** A lazily created value. After a failure, the next call tries again. */
function once<T>(make: () => Promise<T>): () => Promise<T> {
  let made: Promise<T> | undefined
  return () => {
    made ??= make().catch((error: unknown) => {
      made = undefined
      throw error
    })
    return made
  }
}

function isKeySet(keys: object): keys is KeySet {
  return Array.isArray((keys as { keys?: unknown }).keys)
}

/** Who acts as the person of the token; undefined if nobody does. @throws CredentialError */
function actorOf({ act }: TokenClaims): string | undefined {
  if (act === undefined) return undefined
  const sub = (act as { sub?: unknown } | null)?.sub
  if (typeof sub !== 'string' || sub === '') throw new CredentialError('the claim "act" of the token does not say who acts, by "sub"')
  return sub
}

function checkEmail({ email, email_verified: verified }: TokenClaims, domains: readonly string[] | undefined): void {
  if (domains === undefined) return
  const domain = typeof email === 'string' ? /^[^@\s]+@([^@\s]+)$/.exec(email)?.[1]?.toLowerCase() : undefined
  if (domain === undefined || verified !== true || !domains.some((one) => one.toLowerCase() === domain))
    throw new CredentialError('the email address of the token has another domain, or is not verified')
}

function grantedBy(token: TokenClaims, audiences: readonly string[], table: RoleTable | undefined): Granted {
  if (table === undefined) return { roles: [], attributes: {} }
  const claimed = token[table.claim]
  const groups = Array.isArray(claimed) ? claimed.filter((one) => typeof one === 'string') : typeof claimed === 'string' ? [claimed] : []
  const meant = audiences.filter((one) => (Array.isArray(token.aud) ? token.aud : [token.aud]).includes(one))
  const tables = meant.map((application) => (Object.hasOwn(table.of, application) ? table.of[application] : table.of['*']) ?? {})
  const found = tables.flatMap((of) => groups.flatMap((group) => (Object.hasOwn(of, group) ? [of[group] as string] : [])))
  const roles = found.length > 0 ? [...new Set(found)] : table.otherwise === undefined ? [] : [table.otherwise]
  const order = Object.keys(table.with ?? {})
  const mine = order.filter((role) => roles.includes(role))
  return { roles, attributes: Object.assign({}, ...mine.map((role) => table.with?.[role])) }
}
