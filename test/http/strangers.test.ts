// What a stranger sends: requests from elsewhere, in odd forms, and more of them than anybody needs.
import { createServer, type Server } from 'node:http'
import { type AddressInfo, connect } from 'node:net'
import { expect } from 'chai'
import { rulebook, toMany, toOne } from 'pachter'
import { CredentialError, cookieOf, fromSession, liveLists, middleware, routes } from 'pachter/http'
import { inMemory, openStore } from 'pachter/store'
import { z } from 'zod'

const id = z.string()
const book = rulebook({
  me: { shape: z.object({ id }), key: 'id' },
  records: {
    plot: { shape: z.object({ id, holderId: id }), key: 'id', links: { entries: toMany('entry', 'plotId') } },
    entry: { shape: z.object({ id, plotId: id, text: z.string() }), key: 'id', links: { plot: toOne('plot', 'plotId') } },
    notice: { shape: z.object({ id }), key: 'id' },
    secret: { shape: z.object({ id }), key: 'id' },
    tree: { shape: z.object({ no: z.int() }), key: 'no' },
  },
}).rules({
  plot: (plot, { me, anyone }) => ({
    may: { read: [anyone.provided(plot.holderId.is(me.id))], update: [anyone.provided(plot.holderId.is(me.id))] },
  }),
  entry: (entry, { me, anyone }) => ({
    may: { read: [anyone.provided(entry.plot.holderId.is(me.id))], create: [anyone.provided(entry.plot.holderId.is(me.id))] },
  }),
  notice: (_, { anyone }) => ({ may: { read: [anyone] } }),
  tree: (_, { anyone }) => ({ may: { read: [anyone] } }),
})
const data = () => ({
  plot: [
    { id: 'p1', holderId: 'ann' },
    { id: 'p2', holderId: 'bob' },
  ],
  notice: [{ id: 'n1' }],
  tree: [{ no: 7 }, { no: 0 }, { no: -2 }],
})
const site = (options: object = {}) =>
  routes(book, openStore(book, inMemory(data())), { identity: async () => ({ id: 'ann' }), signIn: '/sign-in', ...options } as never)
const ask = (handle: (request: Request) => Promise<Response>, path: string, init: RequestInit = {}) =>
  handle(new Request(`https://plots.example${path}`, init))
const JSON_BODY = { 'content-type': 'application/json' }

describe('requests from elsewhere', () => {
  const write = (headers: object, options?: object) =>
    ask(site(options), '/plot/p1', { method: 'PATCH', headers: { ...JSON_BODY, ...headers }, body: '{"holderId":"ann"}' })

  it('change nothing by a plain function that says who asks: it may use cookies', async () => {
    expect((await write({})).status).to.equal(403)
    expect((await write({ origin: 'https://evil.example' })).status).to.equal(403)
    expect((await write({ 'sec-fetch-site': 'cross-site' })).status).to.equal(403)
    expect((await write({ origin: 'https://plots.example' })).status).to.equal(200)
    expect((await write({ authorization: 'Bearer x' })).status).to.equal(200)
    expect((await write({ authorization: 'Basic x' })).status).to.equal(403)
    const own = Object.assign(async () => ({ id: 'ann' }), { automatic: false })
    expect((await write({}, { identity: own })).status).to.equal(200)
  })

  it('get a message that their credentials have expired', async () => {
    const identity = fromSession((request) => (cookieOf(request, 'sid') === 'good' ? { id: 'ann' } : null), { cookie: 'sid' })
    for (const path of ['/plot', '/plot/p1', '/notice', '/my-rules']) {
      const of = async (cookie: string) => (await ask(site({ identity }), path, cookie === '' ? {} : { headers: { cookie } })).status
      expect(await of('sid=old'), path).to.equal(401)
      expect(await of('sid=good'), path).to.equal(200)
    }
    const broken = async () => {
      throw new CredentialError('expired')
    }
    for (const path of ['/plot', '/notice', '/plot/p1']) expect((await ask(site({ identity: broken }), path)).status).to.equal(401)
  })

  it('find a record of a whole number by one text alone, and no other that reads as the same number', async () => {
    for (const text of ['7', '0', '-2']) expect((await ask(site(), `/tree/${text}`)).status, text).to.equal(200)
    for (const text of ['007', '7.0', '+7', '7e0', '0x7', '-0', '%207', '7%20', '9007199254740993', 'Infinity', 'seven'])
      expect((await ask(site(), `/tree/${text}`)).status, text).to.equal(404)
  })

  it('get a message from a list that signing in would open it', async () => {
    const visitor = site({ identity: async () => null })
    const list = async (path: string) => (await ask(visitor, path)).json()
    expect(await list('/plot')).to.deep.equal({ records: [], signIn: '/sign-in' })
    expect(await list('/notice')).to.deep.equal({ records: [{ id: 'n1' }] })
    expect(await list('/secret'), 'nobody reads it').to.deep.equal({ records: [] })
    expect(await (await ask(site(), '/plot')).json()).to.deep.equal({ records: [{ id: 'p1', holderId: 'ann' }] })
  })
})

describe('tags', () => {
  it('are compared weakly where one asks what is new, and strongly before a change', async () => {
    const handle = site()
    const etag = (await ask(handle, '/plot/p1')).headers.get('etag') as string
    const status = async (init: RequestInit) => (await ask(handle, '/plot/p1', init)).status
    expect(await status({ headers: { 'if-none-match': `W/${etag}` } })).to.equal(304)
    expect(await status({ headers: { 'if-none-match': `"x", ${etag}` } })).to.equal(304)
    expect(await status({ headers: { 'if-none-match': 'W/"x"' } })).to.equal(200)
    const change = (match: string) =>
      status({ method: 'PATCH', headers: { ...JSON_BODY, authorization: 'Bearer x', 'if-match': match }, body: '{"holderId":"ann"}' })
    expect(await change(`W/${etag}`)).to.equal(412)
    expect(await change(etag)).to.equal(200)
  })
})

describe('a record created below another', () => {
  const post = (path: string, body: object) =>
    ask(site(), path, { method: 'POST', headers: { ...JSON_BODY, authorization: 'Bearer x' }, body: JSON.stringify(body) })

  it('is linked to it, and judged', async () => {
    const made = await post('/plot/p1/entries', { text: 'Sown.' })
    expect(made.status).to.equal(201)
    expect(await made.json()).to.include({ plotId: 'p1', text: 'Sown.' })
    expect(made.headers.get('location')).to.match(/^\/entry\//)
    expect((await post('/plot/p1/entries', { text: 'x', plotId: 'p1' })).status).to.equal(201)
    expect((await post('/plot/p1/entries', { text: 'x', plotId: 'p2' })).status).to.equal(422)
    expect((await post('/plot/p2/entries', { text: 'x' })).status, 'hidden').to.equal(404)
    expect((await post('/plot/p9/entries', { text: 'x' })).status, 'does not exist').to.equal(404)
  })

  it('and what is not to be done there is answered with what is', async () => {
    const response = await ask(site(), '/plot/p1/entries', { method: 'DELETE', headers: { authorization: 'Bearer x' } })
    expect(response.status).to.equal(405)
    expect(response.headers.get('allow')).to.equal('GET, POST, HEAD, OPTIONS')
    expect(((await response.json()) as { detail: string }).detail).to.include('GET, POST')
  })
})

describe('requests in odd forms', () => {
  let server: Server
  let port: number
  before(async () => {
    server = createServer(middleware(site()))
    await new Promise<void>((done) => server.listen(0, '127.0.0.1', done))
    port = (server.address() as AddressInfo).port
  })
  after(() => {
    server.closeAllConnections()
    server.close()
  })

  const raw = (text: string) =>
    new Promise<string>((done, failed) => {
      const socket = connect(port, '127.0.0.1', () => socket.end(`${text.replaceAll('\n', '\r\n')}\r\n\r\n`))
      let answer = ''
      socket.on('data', (part) => {
        answer += part
      })
      socket.on('close', () => done(answer.split(' ')[1] ?? ''))
      socket.on('error', failed)
    })

  const ODD: readonly [what: string, request: string, status: string][] = [
    ['plain HTTP by another name', 'GET /notice HTTP/1.1\nHost: plots.example', '403'],
    ['this machine', 'GET /notice HTTP/1.1\nHost: localhost', '200'],
    ['an address that says https', 'GET https://plots.example/notice HTTP/1.1\nHost: plots.example', '403'],
    ['an address that says https, of this machine', 'GET https://localhost/notice HTTP/1.1\nHost: localhost', '200'],
    ['no host', 'GET /notice HTTP/1.0', '400'],
    ['somebody at another host', 'GET /notice HTTP/1.1\nHost: localhost@evil.example', '400'],
    ['a host with a path', 'GET /notice HTTP/1.1\nHost: localhost/evil', '400'],
    ['TRACE', 'TRACE /notice HTTP/1.1\nHost: localhost', '405'],
    ['an address that cannot be read', 'GET /plot/%ff HTTP/1.1\nHost: localhost', '400'],
  ]
  for (const [what, request, status] of ODD)
    it(`with ${what}: ${status}`, async () => {
      expect(await raw(`${request}\nConnection: close`)).to.equal(status)
    })
})

describe('lists that are watched', () => {
  it('are so many for each person, and others go on', async () => {
    const live = liveLists({ each: 3, visitors: 2 })
    const streams: Response[] = []
    let who: { id: string } | null = { id: 'ann' }
    const handle = site({
      live,
      identity: async () => who,
      visitor: (request: Request) => request.headers.get('x-address') ?? undefined,
    })
    const watch = async (path = '/notice', headers: object = {}) => {
      const response = await ask(handle, path, { headers: { accept: 'text/event-stream', ...headers } })
      streams.push(response)
      return response
    }
    try {
      for (let at = 0; at < 3; at++) expect((await watch()).status).to.equal(200)
      const refused = await watch()
      expect([refused.status, refused.headers.get('retry-after')]).to.deep.equal([429, '30'])
      who = { id: 'bob' }
      expect((await watch()).status, 'somebody else').to.equal(200)
      who = null
      for (let at = 0; at < 2; at++) expect((await watch()).status).to.equal(200)
      expect((await watch()).status, 'visitors whom nothing tells apart').to.equal(429)
      for (let at = 0; at < 3; at++) expect((await watch('/notice', { 'x-address': '192.0.2.1' })).status).to.equal(200)
      expect((await watch('/notice', { 'x-address': '192.0.2.1' })).status).to.equal(429)
      expect((await watch('/notice', { 'x-address': '192.0.2.2' })).status).to.equal(200)
      who = { id: 'ann' }
      await streams[0]?.body?.cancel()
      expect((await watch()).status, 'once one is closed').to.equal(200)
    } finally {
      await Promise.all(streams.map((one) => one.body?.cancel()))
      await live.close()
    }
  })
})
