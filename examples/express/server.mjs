// A typical Express application with its own cookie sessions and handlers, and what is added to it: a guard. npm run example:express, then
// http://127.0.0.1:4001.
import { randomBytes } from 'node:crypto'
import express from 'express'
import { createJiti } from 'jiti'
import { answerRefusals, attachRules, cookieOf, fromSession, guard } from 'pachter/http'
import { inMemory, openStore } from 'pachter/store'

// The demo world is in TypeScript, and this application is not.
const world = createJiti(import.meta.url)
const { recordsOf, today } = await world.import('../world/open.ts')
const { people } = await world.import('../world/people.ts')
const { book } = await world.import('../world/rulebook.ts')

const app = express().disable('x-powered-by')

// What the application had before: its sign-in.
const sessions = new Map()
app.post('/sign-in', express.urlencoded({ extended: false }), (request, response) => {
  // Signing in by name only is for a demo on your own machine.
  const name = String(request.body.name)
  if (!Object.hasOwn(people, name)) return response.status(401).send('Nobody is called that.')
  const sid = randomBytes(24).toString('base64url')
  sessions.set(sid, name)
  response.cookie('sid', sid, { httpOnly: true, sameSite: 'lax', path: '/' }).redirect(303, '/my/plots')
})
app.post('/sign-out', (request, response) => {
  const sid = /(?:^|; )sid=([^;]+)/.exec(request.headers.cookie ?? '')?.[1]
  if (sid !== undefined) sessions.delete(sid)
  response.clearCookie('sid').redirect(303, '/')
})

// What is added: a store behind the rules, and a guard that knows the application's sessions.
const types = Object.keys(book.model.types)
const store = openStore(book, inMemory(Object.fromEntries(types.map((type) => [type, recordsOf(type)]))), { now: today })
const identity = fromSession(
  (request) => {
    const name = sessions.get(cookieOf(request, 'sid') ?? '')
    return name === undefined ? null : people[name]
  },
  { cookie: 'sid' },
)
const guarded = guard(store, { identity, signIn: '/' })

// The handlers no longer need their own conditions: what a person may not read does not exist for them, and what they may not change is
// refused. The start page is for everyone, and comes before.
const start = express.Router()
app.use(start)
app.use(attachRules(guarded))
app.get('/my/plots', async ({ rules }, response) => {
  const plots = await rules.store.list('plot', { sort: ['number'], withActions: ['update'] })
  response.json(plots.map(({ record, may }) => ({ ...record, changeable: may.update?.allowed ? (may.update.fields ?? 'all') : [] })))
})
app.post('/plots/:key/planting', express.urlencoded({ extended: false }), async ({ rules, params, body }, response) => {
  await rules.store.update('plot', params.key, { planting: String(body.planting ?? '') })
  response.redirect(303, '/my/plots')
})
app.use(answerRefusals(guarded))
start.get('/', (_request, response) => {
  response
    .type('html')
    .send(`<!doctype html><html lang="en"><meta name="viewport" content="width=device-width"><title>Marsh Lane Allotments</title>
<style>:root { color-scheme: light dark } body { font: 1rem/1.5 system-ui, sans-serif; max-width: 40rem; margin: 2rem auto; padding: 0 1rem }</style>
<h1>Marsh Lane Allotments</h1><form method="post" action="/sign-in"><label>You are <select name="name">
${Object.keys(people)
  .map((name) => `<option>${name}</option>`)
  .join('')}</select></label> <button>Sign in</button></form>`)
})
app.use((_error, _request, response, _next) => response.status(500).send('Something failed.'))

const server = app.listen(Number(process.env.PORT ?? 4001), '127.0.0.1', () => {
  console.log(`Marsh Lane Allotments at http://127.0.0.1:${server.address().port}`)
})
