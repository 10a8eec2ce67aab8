import { request as ask, type Server } from 'node:http'
import { createRequire } from 'node:module'
import type { AddressInfo } from 'node:net'
import { expect } from 'chai'
import type { ErrorRequestHandler } from 'express'
import { cookieOf, fromSession, guard, middleware, routes } from 'pachter/http'
import { inMemory, openStore } from 'pachter/store'
import { people } from '../../examples/world/people.js'
import { book } from '../../examples/world/rulebook.js'
import { options, records } from '../support/world.js'

describe('an Express application of its own, with its own cookies', () => {
  const store = openStore(book, inMemory(records), { now: options.now })
  const sessions: { readonly [sid: string]: keyof typeof people } = { s1: 'ines', s2: 'bram' }
  const identity = fromSession((request) => {
    const name = sessions[cookieOf(request, 'sid') ?? '']
    return name === undefined ? null : people[name]
  })
  const guarded = guard(store, { identity, signIn: '/sign-in' })
  let server: Server | undefined
  // Building a bundle, which other tests do in this process, leaves it at "production".
  const { NODE_ENV } = process.env
  before((done) => {
    delete process.env.NODE_ENV
    // Required, and not before it is needed: as an import it would come dressed by the loader of the tests.
    const express = createRequire(import.meta.url)('express') as typeof import('express')
    const app = express()
    app.get('/hello', (_request, response) => void response.send('Hello.'))
    app.get(
      '/mine',
      middleware((request) =>
        guarded(request, async ({ store: mine, me }) => Response.json({ me: me?.id, plots: await mine.count('plot') })),
      ),
    )
    app.get(
      '/broken',
      middleware(async () => {
        throw new Error('4711')
      }),
    )
    app.use('/parsed', express.json(), middleware(routes(book, store, { identity, base: '/parsed' })))
    app.use(
      '/api',
      middleware(
        routes(book, store, {
          identity,
          base: '/api',
          showClaims: true,
          files: {
            plot: async ({ name, record }) =>
              name === 'plan.svg'
                ? new Response(`<svg>${record.number}</svg>`, { headers: { 'content-type': 'image/svg+xml' } })
                : undefined,
          },
        }),
      ),
    )
    app.use(((_error, _request, response, _next) => void response.status(500).send('failed')) as ErrorRequestHandler)
    server = app.listen(0, '127.0.0.1', () => done())
  })
  after(() => {
    server?.close()
    if (NODE_ENV !== undefined) process.env.NODE_ENV = NODE_ENV
  })
  const port = () => (server?.address() as AddressInfo | undefined)?.port
  const origin = () => `http://127.0.0.1:${port()}`
  const call = async (path: string, sid?: string, init: RequestInit & { headers?: Record<string, string> } = {}) => {
    const headers = { ...(sid === undefined ? {} : { cookie: `sid=${sid}` }), ...init.headers }
    const response = await fetch(origin() + path, { ...init, headers })
    const text = await response.text()
    return { status: response.status, headers: response.headers, text, body: text.startsWith('{') ? JSON.parse(text) : undefined }
  }
  const same = () => ({ 'content-type': 'application/json', 'sec-fetch-site': 'same-origin' })

  it('keeps its handlers, and guards those that are handed over', async () => {
    expect((await call('/hello')).text).to.equal('Hello.')
    expect((await call('/mine', 's1')).body).to.deep.equal({ me: 'm-01', plots: 2 })
    expect((await call('/mine')).body).to.deep.equal({ plots: 1 })
    expect((await call('/broken')).text).to.equal('failed')
  })

  for (const base of ['/api', '/parsed'])
    it(`changes what its people may, and nothing else: ${base}`, async () => {
      const patch = (sid: string | undefined, body: object, headers: Record<string, string> = same()) =>
        call(`${base}/plot/p-01`, sid, { method: 'PATCH', body: JSON.stringify(body), headers })
      expect((await patch('s1', { planting: `by way of ${base}` })).status).to.equal(200)
      expect((await call(`${base}/plot/p-01`, 's1')).body.planting).to.equal(`by way of ${base}`)
      expect(
        (await patch('s1', { planting: 'x' }, { 'content-type': 'application/json', 'sec-fetch-site': 'cross-site' })).status,
      ).to.equal(403)
      expect((await patch('s1', { holderId: 'm-02' })).body).to.deep.include({ status: 403, fields: ['holderId'] })
      expect((await patch(undefined, { planting: 'x' })).status).to.equal(401)
      expect((await call(`${base}/plot/p-02`, 's1', { method: 'DELETE', headers: same() })).status).to.equal(404)
      const made = await call(`${base}/entry`, 's1', {
        method: 'POST',
        body: JSON.stringify({ plotId: 'p-01', audience: 'plot', text: 'é' }),
        headers: same(),
      })
      expect([made.status, made.body.text]).to.deep.equal([201, 'é'])
      const gone = await call(made.headers.get('location') as string, 's1', { method: 'DELETE', headers: same() })
      expect([gone.status, gone.text]).to.deep.equal([204, ''])
    })

  it('serves the files of a record to who may read it, as what they are', async () => {
    const { status, headers, text } = await call('/api/plot/p-01/files/plan.svg', 's1')
    expect([status, text]).to.deep.equal([200, '<svg>1</svg>'])
    expect(headers.get('x-content-type-options')).to.equal('nosniff')
    expect(headers.get('content-security-policy')).to.include('sandbox')
    expect((await call('/api/plot/p-03/files/plan.svg', 's1')).status).to.equal(404)
    for (const name of ['other', '..%2f..%2fetc', 'a/%2e%2e/b', '%00', 'x//y'])
      expect((await call(`/api/plot/p-01/files/${name}`, 's1')).status, name).to.equal(404)
  })

  it('shows the claims to developers, and never in production', async () => {
    const shown = (await call('/api/plot/p-99', 's2')).headers.get('x-me') as string
    expect(JSON.parse(decodeURIComponent(shown))).to.deep.equal(people.bram)
    expect((await call('/parsed/plot', 's2')).headers.get('x-me')).to.equal(null)
    const before = process.env.NODE_ENV
    process.env.NODE_ENV = 'production'
    try {
      expect(() => guard(store, { identity, showClaims: true })).to.throw(/production/)
    } finally {
      if (before === undefined) delete process.env.NODE_ENV
      else process.env.NODE_ENV = before
    }
  })

  it('answers what is no address', async () => {
    const status = await new Promise((resolve) => {
      ask({ port: port(), host: '127.0.0.1', path: '/api/plot', headers: { host: 'a b' } }, (response) => {
        resolve(response.statusCode)
        response.resume()
      }).end()
    })
    expect(status).to.equal(400)
  })
})
