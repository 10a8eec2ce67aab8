// Ready-made routes on Hono: npm run example:hono, then http://127.0.0.1:4000. Records in SQLite within this process, live lists, a page
// with the person's rules, and signed tokens for identity.
import { readFileSync } from 'node:fs'
import { fileURLToPath } from 'node:url'
import { serve } from '@hono/node-server'
import { Hono } from 'hono'
import { secureHeaders } from 'hono/secure-headers'
import { SignJWT } from 'jose'
import { Kysely } from 'kysely'
import { developmentIdentity, fromToken, liveLists, openApi, routes } from 'pachter/http'
import { overKysely } from 'pachter/kysely'
import { createTables, sqlite, sqlJsDialect } from 'pachter/sql'
import { openStore } from 'pachter/store'
import initSqlJs from 'sql.js'
import { build, type Rollup } from 'vite'
import { recordsOf, today } from '../world/open.js'
import { people } from '../world/people.js'
import { book } from '../world/rulebook.js'

const folder = fileURLToPath(new URL('./page/', import.meta.url))
const ISSUER = 'https://id.marshlane.example'

/** The demo world behind routes. */
export async function start(port = 4000) {
  const { Database } = await initSqlJs()
  const db = new Kysely<any>({ dialect: sqlJsDialect(new Database()) })
  await createTables(db, book, sqlite)
  const store = openStore(book, overKysely(db, sqlite), { now: today })
  const system = store.asSystem('fill the example')
  for (const type of Object.keys(book.model.types) as 'plot'[])
    for (const record of recordsOf(type)) await system.create(type, record as never)

  // Here this server signs the tokens itself with its own secret. With an identity provider, configure its issuer and the URL of its keys.
  const secret = crypto.getRandomValues(new Uint8Array(32))
  const byToken = fromToken({
    issuer: ISSUER,
    audience: 'allotment',
    algorithms: ['HS256'],
    keys: secret,
    me: ({ sub, email }) => ({ id: sub ?? '', email: typeof email === 'string' ? email : '' }),
  })
  // NODE_ENV=development: a bar in the page lets you choose any person, without a token.
  const identity = process.env.NODE_ENV === 'development' ? developmentIdentity(byToken, { people }) : byToken
  const live = liveLists()
  const records = routes(book, store, { identity, base: '/api', signIn: '/', live })

  const page = await bundle()
  const app = new Hono()
    .use(secureHeaders({ contentSecurityPolicy: { defaultSrc: ["'self'"], imgSrc: ["'self'", 'data:'] } }))
    .all('/api/*', (context) => records(context.req.raw))
    .get('/openapi.json', (context) => context.json(openApi(book, { title: 'Marsh Lane Allotments', version: '1', base: '/api' })))
    // Signing in by name only is for a demo on your own machine.
    .post('/sign-in/:name', async (context) => {
      const name = context.req.param('name')
      const who = Object.hasOwn(people, name) ? people[name as 'ines'] : undefined
      if (who === undefined) return context.json({ detail: 'There is no such person.' }, 404)
      return context.json({ token: await tokenOf(who) })
    })
    .get('/people', (context) => context.json(Object.keys(people)))
    .get('/page.js', (context) => context.body(page, 200, { 'content-type': 'text/javascript' }))
    .get('/page.css', (context) => context.body(readFileSync(`${folder}page.css`, 'utf8'), 200, { 'content-type': 'text/css' }))
    .get('/', (context) => context.html(readFileSync(`${folder}index.html`, 'utf8')))

  const tokenOf = ({ id, email }: { readonly id: string; readonly email: string }) =>
    new SignJWT({ email })
      .setProtectedHeader({ alg: 'HS256' })
      .setSubject(id)
      .setIssuer(ISSUER)
      .setAudience('allotment')
      .setExpirationTime('1h')
      .sign(secret)
  const server = serve({ fetch: app.fetch, port, hostname: '127.0.0.1' })
  await new Promise((resolve) => server.once('listening', resolve))
  const { port: at } = server.address() as { port: number }
  return {
    url: `http://127.0.0.1:${at}`,
    store,
    tokenOf,
    async close() {
      await live.close()
      if ('closeAllConnections' in server) server.closeAllConnections()
      await new Promise((resolve) => server.close(resolve))
    },
  }
}

async function bundle(): Promise<string> {
  const [output] = (await build({
    configFile: false,
    logLevel: 'error',
    oxc: { jsx: { development: false } },
    define: { 'process.env.NODE_ENV': '"production"' },
    build: { write: false, lib: { entry: `${folder}page.tsx`, formats: ['es'] } },
  })) as Rollup.RollupOutput[]
  return output?.output.map((chunk) => ('code' in chunk ? chunk.code : '')).join('') ?? ''
}

if (process.argv[1] === fileURLToPath(import.meta.url)) {
  const { url } = await start(Number(process.env.PORT ?? 4000))
  console.log(`Marsh Lane Allotments at ${url}\nOpen it in two windows, as two people, and change something.`)
}
