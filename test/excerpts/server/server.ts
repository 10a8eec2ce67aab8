// What the documents show of servers.
import type { Express } from 'express'
import type { Hono } from 'hono'
import type { WorldOf } from 'pachter'
import {
  answerRefusals,
  attachRules,
  fromToken,
  type Guarded,
  guard,
  type Identity,
  liveLists,
  middleware,
  routes,
  type TokenOptions,
} from 'pachter/http'
import type { Store } from 'pachter/store'
import type { book as Book } from './rules.js'

type Garden = WorldOf<typeof Book>
type Me = Garden['me']

declare module 'express-serve-static-core' {
  interface Request {
    rules: Guarded<Garden>
  }
}

/** Readme, "Over HTTP". */
export function overHttp(
  app: Hono,
  book: typeof Book,
  store: Store<Garden>,
  issuer: string,
  audience: string,
  keys: TokenOptions<Me>['keys'],
) {
  const identity = fromToken({ issuer, audience, algorithms: ['RS256'], keys, me: ({ sub = '' }) => ({ id: sub, roles: [] }) })
  const records = routes(book, store, { identity, base: '/api', live: liveLists() })
  app.all('/api/*', (context) => records(context.req.raw)) // Hono; with Express: app.use(middleware(records))
  return middleware(records)
}

/** Quick start, "With Express", and docs/web.md, "Guard your own handlers". */
export function withExpress(app: Express, book: typeof Book, store: Store<Garden>, identity: Identity<Me>) {
  const guarded = guard(store, { identity })
  app.use('/api', middleware(routes(book, store, { identity, base: '/api' })))
  app.use(attachRules(guarded))
  app.get('/mine', async ({ rules }, response) => response.json(await rules.store.list('plot')))
  app.use(answerRefusals(guarded))
  app.get(
    '/plots',
    middleware((request) => guarded(request, async ({ store: mine }) => Response.json(await mine.list('plot')))),
  )
}

/** Docs/web.md, "Live lists". */
export function withLiveLists(book: typeof Book, store: Store<Garden>, identity: Identity<Me>) {
  const live = liveLists()
  const records = routes(book, store, { identity, base: '/api', live })
  return { records, live }
}
