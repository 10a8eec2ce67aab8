// The application's server: the records behind their rules, one procedure of its own, and the page.
import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { serve } from '@hono/node-server'
import { serveStatic } from '@hono/node-server/serve-static'
import { Hono } from 'hono'
import { NONCE, secureHeaders } from 'hono/secure-headers'
import { fromToken, guard, liveLists, routes } from 'pachter/http'
import { book } from '../../world/rulebook.js'
import type { Data } from './data.js'
import { developer } from './developer.js'
import { listening } from './listening.js'
import type { Provider } from './provider.js'
import { rentsBySite } from './reports.js'

const BUILT = fileURLToPath(new URL('../page/dist/', import.meta.url))

export interface AppOptions {
  readonly data: Data
  readonly provider: Provider
  readonly port?: number
  /** Where the page was built. Default: `page/dist`. */
  readonly page?: string
  /** The developer's drawer. Never in production: it tells why, and with what values. Default: yes. */
  readonly drawer?: boolean
}

function readPage(folder: string): string {
  try {
    return readFileSync(join(folder, 'index.html'), 'utf8')
  } catch {
    throw new Error(`there is no page in ${folder}. Run npm run demo to build it.`)
  }
}

/** Starts the application. The page has to be built before: `npm run demo` does so. */
export async function startApp({ data: { store, dialect }, provider, port = 0, page: built = BUILT, drawer = true }: AppOptions) {
  const discovered = await fetch(`${provider.url}/.well-known/openid-configuration`)
  const { issuer, jwks_uri } = (await discovered.json()) as { issuer: string; jwks_uri: string }

  // Identifies people by a token of the provider. Its groups are ignored: roles come from the member's record.
  const identity = fromToken({
    issuer,
    audience: provider.application.audience,
    algorithms: ['ES256'],
    keys: new URL(jwks_uri),
    leeway: 0,
    me: ({ sub, email }) => ({ id: sub ?? '', ...(typeof email === 'string' ? { email } : {}) }),
  })
  const live = liveLists()
  const records = routes(book, store, {
    identity,
    base: '/api',
    signIn: '/sign-in',
    live,
    recheck: 1,
    actions: {
      inspection: {
        // A procedure lets the secretary confirm what otherwise only the inspector may write.
        confirm: async ({ record, asSystem }) =>
          asSystem('the secretary confirms an inspection').update('inspection', record.id as string, { state: 'filed' }),
      },
    },
  })
  // A procedure of the server's own. The rulebook still decides who may call it, and what it may change.
  const guarded = guard(store, { identity, signIn: '/sign-in' })

  const page = readPage(built).replaceAll('%ISSUER%', issuer).replaceAll('%CLIENT%', provider.application.clientId)
  const app = new Hono()
    .use(
      secureHeaders({
        contentSecurityPolicy: {
          defaultSrc: ["'self'"],
          styleSrc: ["'self'", NONCE],
          styleSrcAttr: ["'unsafe-inline'"],
          imgSrc: ["'self'", 'data:'],
          connectSrc: ["'self'", issuer],
        },
        // Over plain HTTP, as here on your own machine, it has no effect.
        strictTransportSecurity: false,
      }),
    )
    .all('/api/*', (context) => records(context.req.raw))
    .post('/procedures/hand-over/:plot', (context) =>
      guarded(context.req.raw, async ({ store: mine }) => {
        const { holderId = null } = (await context.req.json()) as { holderId?: string | null }
        const changes = { holderId, coHolderIds: [], state: holderId === null ? ('vacant' as const) : ('let' as const) }
        const plot = await mine.routine('handOver', (inside) => inside.update('plot', context.req.param('plot'), changes))
        return Response.json(plot)
      }),
    )
    .get('/reports/rents', (context) =>
      guarded(context.req.raw, async ({ store: mine }) => Response.json({ rents: await rentsBySite(mine, dialect) })),
    )
  if (drawer) app.route('/developer', developer(store, identity))
  app
    .use(
      '/assets/*',
      serveStatic({ root: built, onFound: (_path, context) => context.header('cache-control', 'public, max-age=31536000, immutable') }),
    )
    .get('/assets/*', (context) => context.notFound())
    // Every other address is a page of the application, which finds out which.
    .get('*', (context) => {
      context.header('cache-control', 'no-cache')
      return context.html(page.replaceAll('%NONCE%', String(context.get('secureHeadersNonce'))))
    })

  const server = await listening(serve({ fetch: app.fetch, port, hostname: '127.0.0.1' }))
  provider.application.origins.push(server.url)
  return {
    url: server.url,
    port: server.port,
    live,
    async close() {
      await live.close()
      await server.close()
    },
  }
}
