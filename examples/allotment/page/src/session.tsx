// The signed-in person: OpenID Connect with the authorization code flow and PKCE. Stored for this window only, so that another window can
// have another person.
import * as oauth from 'oauth4webapi'
import { createContext, type ReactNode, useCallback, useContext, useEffect, useMemo, useState } from 'react'

/** A signed-in person. */
export interface Session {
  readonly token: string
  readonly name: string
  readonly sub: string
  readonly groups: readonly string[]
  /** When the token expires, in milliseconds. */
  readonly until: number
}

interface Signing {
  readonly verifier: string
  readonly state: string
  readonly nonce: string
  readonly back: string
}

const meta = (name: string) => document.querySelector<HTMLMetaElement>(`meta[name=${name}]`)?.content ?? ''
const issuer = new URL(meta('issuer'))
const client: oauth.Client = { client_id: meta('client') }
// The provider of the demo runs on this machine without a certificate.
const insecure = { [oauth.allowInsecureRequests]: issuer.protocol === 'http:' }
const returnTo = `${location.origin}/signed-in`

function kept<T>(name: string): T | undefined {
  const text = sessionStorage.getItem(name)
  return text === null ? undefined : (JSON.parse(text) as T)
}

async function provider(): Promise<oauth.AuthorizationServer> {
  return oauth.processDiscoveryResponse(issuer, await oauth.discoveryRequest(issuer, insecure))
}

/** Sends the person to the provider, and returns them to where they were. */
export async function beginSignIn(back: string, hint?: string): Promise<void> {
  const { authorization_endpoint } = await provider()
  const signing: Signing = {
    verifier: oauth.generateRandomCodeVerifier(),
    state: oauth.generateRandomState(),
    nonce: oauth.generateRandomNonce(),
    // Only to addresses within this site.
    back: /^\/(?![/\\])/.test(back) ? back : '/',
  }
  sessionStorage.setItem('signing', JSON.stringify(signing))
  const address = new URL(authorization_endpoint as string)
  const asked = {
    response_type: 'code',
    client_id: client.client_id,
    redirect_uri: returnTo,
    scope: 'openid email groups',
    state: signing.state,
    nonce: signing.nonce,
    code_challenge: await oauth.calculatePKCECodeChallenge(signing.verifier),
    code_challenge_method: 'S256',
    ...(hint === undefined ? {} : { login_hint: hint }),
  }
  for (const [name, value] of Object.entries(asked)) address.searchParams.set(name, value)
  location.assign(address)
}

/** Completes the sign-in. Returns the session, and where the person was. */
export async function endSignIn(): Promise<{ readonly session: Session; readonly back: string }> {
  const signing = kept<Signing>('signing')
  sessionStorage.removeItem('signing')
  if (signing === undefined) throw new Error('There is no sign-in in progress.')
  const server = await provider()
  const answer = oauth.validateAuthResponse(server, client, new URL(location.href), signing.state)
  const none = oauth.None()
  const response = await oauth.authorizationCodeGrantRequest(server, client, none, answer, returnTo, signing.verifier, insecure)
  const tokens = await oauth.processAuthorizationCodeResponse(server, client, response, { expectedNonce: signing.nonce })
  const claims = oauth.getValidatedIdTokenClaims(tokens) as oauth.IDToken & { name?: string; groups?: string[] }
  const session: Session = {
    token: tokens.access_token,
    name: claims.name ?? claims.sub,
    sub: claims.sub,
    groups: claims.groups ?? [],
    until: Date.now() + (tokens.expires_in ?? 60) * 1000,
  }
  return { session, back: signing.back }
}

interface Signed {
  readonly session: Session | undefined
  /** The token has expired: the person must sign in again. */
  readonly expired: boolean
  readonly take: (session: Session) => void
  readonly signOut: () => void
}

const Context = createContext<Signed | undefined>(undefined)

export function SessionProvider({ children }: { readonly children: ReactNode }) {
  const [session, setSession] = useState(() => kept<Session>('session'))
  const [expired, setExpired] = useState(() => session !== undefined && session.until <= Date.now())
  useEffect(() => {
    if (session === undefined) return
    const left = session.until - Date.now()
    const timer = setTimeout(() => setExpired(true), Math.min(Math.max(0, left), 2 ** 31 - 1))
    return () => clearTimeout(timer)
  }, [session])
  const take = useCallback((next: Session) => {
    sessionStorage.setItem('session', JSON.stringify(next))
    setExpired(false)
    setSession(next)
  }, [])
  const signOut = useCallback(() => {
    sessionStorage.removeItem('session')
    setSession(undefined)
    setExpired(false)
  }, [])
  const signed = useMemo(() => ({ session, expired, take, signOut }), [session, expired, take, signOut])
  return <Context.Provider value={signed}>{children}</Context.Provider>
}

/** The person signed in in this window. */
export function useSession(): Signed {
  const signed = useContext(Context)
  if (signed === undefined) throw new Error('useSession needs a <SessionProvider> around it')
  return signed
}
