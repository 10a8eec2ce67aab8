// Handlers of other frameworks that answer by themselves: Express, Hono, Fastify.
import { type Server, request as send } from 'node:http'
import { createRequire } from 'node:module'
import { expect } from 'chai'
import { Hono } from 'hono'
import { answerRefusals, attachRules, fromSession, type Guarded, guard } from 'pachter/http'
import { accessMatrix } from 'pachter/review'
import { application } from '../../examples/fastify/server.js'
import { book } from '../../examples/world/rulebook.js'
import { serve } from '../support/serve-world.js'
import { ground, options, records } from '../support/world.js'

// As an import it cannot pass the loader of the tests.
const express = createRequire(import.meta.url)('express') as typeof import('express')

const identity = fromSession<{ id: string; email?: string }>(
  (request) => (ground.people[request.headers.get('x-person') ?? ''] ?? null) as { id: string } | null,
  { automatic: false },
)
const guarded = (more: object = {}) =>
  guard(serve().store as never, { identity: identity as never, signIn: '/sign-in', ...more }) as ReturnType<typeof guard<any>>
const matrix = accessMatrix(book, 'plot', { people: ground.people, records, now: options.now })

/** The same three handlers in each framework. */
const FRAMEWORKS: { readonly [name: string]: () => Promise<{ readonly url: string; readonly close: () => unknown }> } = {
  async Express() {
    const mine = guarded()
    const app = express().disable('x-powered-by')
    app.use(attachRules(mine), express.json())
    const rulesOf = (request: unknown) => (request as { rules: Guarded<any> }).rules
    app.get('/plots', async (request, response) => void response.json(await rulesOf(request).store.list('plot')))
    app.get('/plots/:key', async (request, response) => void response.json(await rulesOf(request).store.get('plot', request.params.key)))
    app.patch(
      '/plots/:key',
      async (request, response) => void response.json(await rulesOf(request).store.update('plot', request.params.key, request.body)),
    )
    app.get('/broken', () => {
      throw new Error('own')
    })
    app.use(answerRefusals(mine))
    app.use(((error: Error, _request: unknown, response: any, _next: unknown) =>
      response.status(500).json({ own: error.message })) as never)
    const server = await new Promise<Server>((resolve) => {
      const one = app.listen(0, '127.0.0.1', () => resolve(one))
    })
    return { url: `http://127.0.0.1:${(server.address() as { port: number }).port}`, close: () => server.close() }
  },
  async Fastify() {
    const app = application()
    const url = await app.listen({ host: '127.0.0.1', port: 0 })
    return { url, close: () => app.close() }
  },
}

for (const [name, open] of Object.entries(FRAMEWORKS))
  describe(`handlers that answer by themselves, in ${name}`, () => {
    let app: Awaited<ReturnType<typeof open>>
    before(async () => {
      app = await open()
    })
    after(() => app.close())
    const ask = (person: string, path: string, init: RequestInit = {}) => {
      const who: Record<string, string> = person === 'visitor' ? {} : { 'x-person': person }
      return fetch(`${app.url}${path}`, { redirect: 'manual', ...init, headers: { ...who, ...(init.headers as object) } })
    }
    const patch = (person: string, path: string, body: string) =>
      ask(person, path, { method: 'PATCH', body, headers: { 'content-type': 'application/json' } })

    it('give each person of the demo world what the access matrix says', async () => {
      for (const person of Object.keys(ground.people)) {
        const response = await ask(person, '/plots')
        const rows = (await response.json()) as { id?: string; record?: { id: string } }[]
        expect(
          rows.map((row) => row.id ?? row.record?.id),
          person,
        ).to.have.members(matrix.reached(person, 'read'))
        expect([response.headers.get('cache-control'), response.headers.get('vary')]).to.deep.equal([
          'private, no-cache',
          'Accept, Authorization, Cookie',
        ])
        for (const key of matrix.keys) {
          const { status } = await ask(person, `/plots/${key}`)
          expect(status, `${person} ${key}`).to.equal(matrix.allows(person, key, 'read') ? 200 : 404)
        }
      }
    })

    it('refuse as the guard does, in data and pages, and turn a body that is no JSON away', async () => {
      const refused = await patch('bram', '/plots/p-06', '{"planting":"weeds"}')
      expect(refused.status).to.be.oneOf([403, 404])
      expect((await patch('ines', '/plots/p-01', '{"planting":"leeks"}')).status).to.equal(200)
      expect((await patch('ines', '/plots/p-01', '{"planting"')).status).to.equal(400)
      const page = await ask('ines', '/plots/p-99', { headers: { accept: 'text/html' } })
      expect([page.status, (await page.text()).includes('There is no such plot.')]).to.deep.equal([404, true])
      expect((await ask('ines', '/nothing')).status).to.equal(404)
    })
  })

describe('handlers of Express', () => {
  it('keep errors of their own, and are never asked with methods that requests cannot have', async () => {
    const app = await (FRAMEWORKS.Express as () => Promise<{ url: string; close: () => unknown }>)()
    try {
      const broken = await fetch(`${app.url}/broken`, { headers: { 'x-person': 'ines' } })
      expect([broken.status, await broken.json()]).to.deep.equal([500, { own: 'own' }])
      const { hostname, port } = new URL(app.url)
      const status = await new Promise((resolve) =>
        send({ hostname, port, path: '/plots', method: 'TRACE' }, (response) => resolve(response.statusCode)).end(),
      )
      expect(status).to.equal(405)
    } finally {
      app.close()
    }
  })
})

describe('a guard in Hono', () => {
  it('goes before all handlers, and answers their errors', async () => {
    const mine = guarded()
    const app = new Hono<{ Variables: { rules: Guarded<any> } }>()
    app.use(async (context, next) => {
      context.set('rules', await mine.enter(context.req.raw))
      await next()
    })
    app.onError((error, context) => mine.refuse(error, context.req.raw))
    app.get('/plots/:key', async (context) => context.json(await context.get('rules').store.get('plot', context.req.param('key'))))
    const ask = (key: string) => app.request(`http://localhost/plots/${key}`, { headers: { 'x-person': 'ines' } })
    expect([(await ask('p-01')).status, (await ask('p-02')).status]).to.deep.equal([200, 404])
  })
})

describe('a guard for some', () => {
  const ask = async (allow: string, person?: string, accept = '*/*') => {
    const headers: Record<string, string> = { accept, ...(person === undefined ? {} : { 'x-person': person }) }
    const response = await guarded({ allow })(new Request('http://localhost/page', { headers }), async () => new Response('in'))
    return response.headers.get('location') ?? (await response.text())
  }

  it('lets in visitors only, or people who are signed in', async () => {
    expect([await ask('everyone'), await ask('visitors'), await ask('signed in', 'ines')]).to.deep.equal(['in', 'in', 'in'])
    expect(await ask('signed in')).to.include('"Sign in first."')
    expect(await ask('signed in', undefined, 'text/html')).to.equal('/sign-in?back=%2Fpage')
    expect(await ask('visitors', 'ines')).to.include('"You are signed in already."')
    expect(() => guarded({ allow: 'members' })).to.throw('allow: "members" is none of everyone')
    const some = guarded({ allow: 'visitors' })
    expect(
      await some.enter(new Request('http://localhost/', { headers: { 'x-person': 'ines' } })).catch((error: Error) => error.message),
    ).to.equal('You are signed in already.')
  })
})
