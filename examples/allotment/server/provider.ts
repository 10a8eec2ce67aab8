// A simulated identity provider: OpenID Connect Core 1.0 with the authorization code flow and PKCE (RFC 7636), as much as one application
// needs. People sign in by choosing a name, so it is only for a demo on your own machine.
import { serve } from '@hono/node-server'
import { Hono } from 'hono'
import { cors } from 'hono/cors'
import { html } from 'hono/html'
import { secureHeaders } from 'hono/secure-headers'
import { exportJWK, generateKeyPair, SignJWT } from 'jose'
import { listening } from './listening.js'

/** An account at the provider. */
export interface Account {
  /** The subject: the key of the member. */
  readonly sub: string
  readonly name: string
  readonly email: string
  /** Groups at the provider. They are in the token; the application decides what they mean. */
  readonly groups: readonly string[]
  /** For the choice of accounts. */
  readonly about: string
}

/** An application that people may sign in to. */
export interface Application {
  readonly clientId: string
  /** Where people may come back to: their origins. */
  readonly origins: string[]
  /** The audience of its tokens. */
  readonly audience: string
}

export interface ProviderOptions {
  readonly accounts: { readonly [name: string]: Account }
  readonly application: Application
  readonly port?: number
  /** The lifetime of a sign-in in seconds. Default: an hour. */
  readonly lifetime?: number
}

/** A code that has been given out, and what it was given out for. */
interface Code {
  readonly account: Account
  readonly redirectUri: string
  readonly challenge: string
  readonly nonce: string | undefined
  readonly until: number
}

export interface Provider {
  readonly url: string
  readonly application: Application
  /** The lifetime of a sign-in in seconds. */
  readonly settings: { lifetime: number }
  /** A token for a person, for tests and for `pachter check --url`. */
  tokenOf(name: string): Promise<string>
  close(): Promise<void>
}

/** Starts the provider. It makes new keys each time. */
export async function startProvider({ accounts, application, port = 0, lifetime = 3600 }: ProviderOptions): Promise<Provider> {
  const { publicKey, privateKey } = await generateKeyPair('ES256')
  const jwk = { ...(await exportJWK(publicKey)), kid: KEY, alg: 'ES256', use: 'sig' }
  const settings = { lifetime }
  const desk = new Desk({ accounts, application, settings, privateKey })
  const server = serve({ fetch: appOf(desk, { accounts, application, jwk }).fetch, port, hostname: '127.0.0.1' })
  const { url, close } = await listening(server)
  desk.issuer = url
  return { url, application, settings, tokenOf: (name) => desk.accessToken(desk.account(name) as Account), close }
}

const KEY = 'marsh-lane'

interface DeskOptions {
  readonly accounts: ProviderOptions['accounts']
  readonly application: Application
  readonly settings: { readonly lifetime: number }
  readonly privateKey: Awaited<ReturnType<typeof generateKeyPair>>['privateKey']
}

/** Gives out codes and tokens. */
class Desk {
  /** Where the provider is; known once it listens. */
  issuer = ''
  readonly #options: DeskOptions
  readonly #codes = new Map<string, Code>()

  constructor(options: DeskOptions) {
    this.#options = options
  }

  account(name: string | undefined): Account | undefined {
    const { accounts } = this.#options
    return name !== undefined && Object.hasOwn(accounts, name) ? accounts[name] : undefined
  }

  mayReturnTo(uri: string): boolean {
    return URL.canParse(uri) && this.#options.application.origins.includes(new URL(uri).origin)
  }

  /** What is wrong with a sign-in request; undefined if nothing is. The person is not redirected then. */
  wrongWith(asked: URLSearchParams): string | undefined {
    if (asked.get('client_id') !== this.#options.application.clientId) return 'This application is not registered.'
    if (!this.mayReturnTo(asked.get('redirect_uri') ?? '')) return 'This redirect address is not registered.'
    if (asked.get('response_type') !== 'code') return 'Only the authorization code flow is supported.'
    if (asked.get('code_challenge_method') !== 'S256' || !asked.get('code_challenge')) return 'A code challenge (PKCE, S256) is needed.'
    return undefined
  }

  /** The address to redirect to, with a code. */
  sentBack(asked: URLSearchParams, account: Account): string {
    const code = crypto.randomUUID()
    const redirectUri = asked.get('redirect_uri') as string
    const [challenge, nonce] = [asked.get('code_challenge') as string, asked.get('nonce') ?? undefined]
    this.#codes.set(code, { account, redirectUri, challenge, nonce, until: Date.now() + 60_000 })
    const back = new URL(redirectUri)
    back.searchParams.set('code', code)
    back.searchParams.set('iss', this.issuer)
    const state = asked.get('state')
    if (state !== null) back.searchParams.set('state', state)
    return back.href
  }

  /** What was issued for a code, if this client asked for it. Each code can be used once, even if the request fails. */
  async redeem(form: { readonly [name: string]: unknown }): Promise<Code | undefined> {
    const code = this.#codes.get(String(form.code))
    this.#codes.delete(String(form.code))
    const isRightful =
      code !== undefined &&
      code.until > Date.now() &&
      form.client_id === this.#options.application.clientId &&
      form.redirect_uri === code.redirectUri &&
      (await challengeOf(String(form.code_verifier))) === code.challenge
    return isRightful ? code : undefined
  }

  async tokens({ account, nonce }: Code): Promise<object> {
    const { application, settings } = this.#options
    const about = { name: account.name, groups: account.groups, ...(nonce === undefined ? {} : { nonce }) }
    return {
      token_type: 'Bearer',
      expires_in: settings.lifetime,
      scope: 'openid email groups',
      access_token: await this.accessToken(account),
      id_token: await this.#sign(account, application.clientId, about, 'JWT'),
    }
  }

  accessToken(account: Account): Promise<string> {
    return this.#sign(account, this.#options.application.audience, { groups: account.groups }, 'at+jwt')
  }

  #sign(account: Account, audience: string, claims: object, type: string): Promise<string> {
    return new SignJWT({ email: account.email, email_verified: true, ...claims })
      .setProtectedHeader({ alg: 'ES256', kid: KEY, typ: type })
      .setIssuer(this.issuer)
      .setSubject(account.sub)
      .setAudience(audience)
      .setIssuedAt()
      .setJti(crypto.randomUUID())
      .setExpirationTime(`${this.#options.settings.lifetime}s`)
      .sign(this.#options.privateKey)
  }
}

interface Shown {
  readonly accounts: ProviderOptions['accounts']
  readonly application: Application
  readonly jwk: object
}

function appOf(desk: Desk, { accounts, application, jwk }: Shown): Hono {
  return new Hono()
    .use(secureHeaders({ contentSecurityPolicy: { defaultSrc: ["'none'"], styleSrc: ["'unsafe-inline'"] } }))
    .get('/.well-known/openid-configuration', cors(), (context) => context.json(configuration(desk.issuer)))
    .get('/jwks', cors(), (context) => context.json({ keys: [jwk] }))
    .get('/authorize', (context) => {
      const asked = new URL(context.req.url).searchParams
      const wrong = desk.wrongWith(asked)
      if (wrong !== undefined) return context.text(wrong, 400)
      // The application names the account, so it is signed in without being asked.
      const hinted = asked.get('prompt') === 'select_account' ? undefined : desk.account(asked.get('login_hint') ?? undefined)
      if (hinted !== undefined) return context.redirect(desk.sentBack(asked, hinted))
      return context.html(choosing(accounts, asked))
    })
    .get('/choose/:name', (context) => {
      const asked = new URL(context.req.url).searchParams
      const account = desk.account(context.req.param('name'))
      const wrong = account === undefined ? 'There is no such account.' : desk.wrongWith(asked)
      return wrong === undefined ? context.redirect(desk.sentBack(asked, account as Account)) : context.text(wrong, 400)
    })
    .post('/token', cors({ origin: application.origins }), async (context) => {
      const form = await context.req.parseBody()
      if (form.grant_type !== 'authorization_code') return context.json({ error: 'unsupported_grant_type' }, 400)
      const code = await desk.redeem(form)
      if (code === undefined) return context.json({ error: 'invalid_grant' }, 400)
      context.header('cache-control', 'no-store')
      return context.json(await desk.tokens(code))
    })
    .get('/sign-out', (context) => {
      const back = context.req.query('post_logout_redirect_uri') ?? ''
      return desk.mayReturnTo(back) ? context.redirect(back) : context.text('You have signed out.')
    })
}

/** What there is to find out about the provider (OpenID Connect Discovery 1.0). */
function configuration(issuer: string): object {
  return {
    issuer,
    authorization_endpoint: `${issuer}/authorize`,
    token_endpoint: `${issuer}/token`,
    jwks_uri: `${issuer}/jwks`,
    end_session_endpoint: `${issuer}/sign-out`,
    response_types_supported: ['code'],
    grant_types_supported: ['authorization_code'],
    subject_types_supported: ['public'],
    id_token_signing_alg_values_supported: ['ES256'],
    code_challenge_methods_supported: ['S256'],
    token_endpoint_auth_methods_supported: ['none'],
    scopes_supported: ['openid', 'email', 'groups'],
    claims_supported: ['sub', 'name', 'email', 'email_verified', 'groups'],
    authorization_response_iss_parameter_supported: true,
  }
}

async function challengeOf(verifier: string): Promise<string> {
  const digest = await crypto.subtle.digest('SHA-256', new TextEncoder().encode(verifier))
  return Buffer.from(digest).toString('base64url')
}

const STYLE = `
  :root { color-scheme: light dark; --ink: light-dark(#1f2720, #e7ebe4); --faint: light-dark(#57614f, #a5b09c); --line: light-dark(#d8dccf, #3b4337) }
  body { margin: 0; background: light-dark(#f6f6f1, #171b16); color: var(--ink); font: 16px/1.5 system-ui, sans-serif }
  main { max-width: 44rem; margin: 0 auto; padding: 2rem 1.25rem }
  h1 { font-size: 1.4rem; margin: 0 } p { color: var(--faint); margin: 0.25rem 0 1.25rem }
  ul { list-style: none; margin: 0; padding: 0; display: grid; gap: 0.5rem; grid-template-columns: repeat(auto-fill, minmax(17rem, 1fr)) }
  a { display: block; padding: 0.7rem 1rem; border: 1px solid var(--line); border-radius: 0.5rem; color: inherit; text-decoration: none; background: light-dark(#fff, #20251e) }
  a:hover, a:focus-visible { border-color: light-dark(#2f6b3a, #8fc79a); outline: 2px solid light-dark(#2f6b3a, #8fc79a) }
  small { display: block; color: var(--faint) }`

/** The page for choosing an account. */
function choosing(accounts: ProviderOptions['accounts'], asked: URLSearchParams) {
  return html`<!doctype html>
    <html lang="en">
      <head>
        <meta charset="utf-8" />
        <meta name="viewport" content="width=device-width" />
        <title>Choose a person · simulated identity provider</title>
        <style>${html([STYLE] as never)}</style>
      </head>
      <body>
        <main>
          <h1>Choose a person</h1>
          <p>This is a simulated identity provider for Marsh Lane Allotments. There are no passwords.</p>
          <ul>
            ${Object.entries(accounts).map(
              ([name, account]) =>
                html`<li><a href="/choose/${encodeURIComponent(name)}?${asked.toString()}">${account.name}<small>${account.about}</small></a></li>`,
            )}
          </ul>
        </main>
      </body>
    </html>`
}
