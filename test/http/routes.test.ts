import { createAdaptorServer } from '@hono/node-server'
import { expect } from 'chai'
import { Hono } from 'hono'
import { CredentialError, cookieOf, fromSession, type RouteContext, routes } from 'pachter/http'
import { accessMatrix } from 'pachter/review'
import { inMemory, openStore } from 'pachter/store'
import { book } from '../../examples/world/rulebook.js'
import { ground, options, records, types } from '../support/world.js'

const PATHS = { plot: 'plots', entry: 'entries' } as const
const pathOf = (type: string) => PATHS[type as 'plot'] ?? type

/** A server over a fresh copy of the demo world, on which somebody is whom a header names. */
function serve(more: object = {}) {
  const store = openStore(book, inMemory(records), { now: options.now, cursorSecret: 'test' })
  const identity = fromSession(
    (request) => {
      const name = request.headers.get('x-person')
      if (name === null) return null
      if (!Object.hasOwn(ground.people, name)) throw new CredentialError(`nobody is ${name}`)
      return ground.people[name] as { id: string; email: string } | null
    },
    { automatic: false },
  )
  const failures: unknown[] = []
  const handle = routes(book, store, {
    identity,
    base: '/api',
    paths: PATHS,
    signIn: 'https://localhost/sign-in',
    onFailure: (error) => failures.push(error),
    ...more,
  })
  const app = new Hono().all('/api/*', (context) => handle(context.req.raw))
  let origin: string | undefined
  const ask = async (person: string | undefined, method: string, path: string, body?: unknown, headers: Record<string, string> = {}) => {
    const text = body === undefined ? {} : { body: typeof body === 'string' ? body : JSON.stringify(body) }
    const kind = body === undefined ? {} : { 'content-type': method === 'PATCH' ? 'application/merge-patch+json' : 'application/json' }
    const who = person === undefined ? {} : { 'x-person': person }
    const init = { method, headers: { ...kind, ...who, ...headers }, ...text }
    const response = origin === undefined ? await app.request(`http://localhost${path}`, init) : await fetch(`${origin}${path}`, init)
    const said = await response.text()
    return { status: response.status, headers: response.headers, body: said === '' ? undefined : JSON.parse(said) }
  }
  /** From here on, asks a server on this machine, over the network. */
  const listen = async () => {
    const server = createAdaptorServer({ fetch: app.fetch })
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
    origin = `http://127.0.0.1:${(server.address() as { port: number }).port}`
    return () => server.close()
  }
  return { store, ask, failures, app, listen }
}

describe('routes', () => {
  let closing: (() => unknown) | undefined
  after(() => closing?.())

  it('give everybody what the access matrix says, of every record of the demo world', async () => {
    const { ask, listen } = serve()
    closing = await listen()
    let asked = 0
    for (const type of types) {
      const matrix = accessMatrix(book, type, { ...options, people: ground.people })
      for (const person of matrix.people) {
        const who = person === 'visitor' ? undefined : person
        const list = await ask(who, 'GET', `/api/${pathOf(type)}?size=100&count=true`)
        const reached = matrix.reached(person, 'read')
        if (list.status === 200) {
          expect(list.body.records.map(({ id }: { id: string }) => id)).to.have.members(reached)
          expect(list.body.count).to.equal(reached.length)
        } else expect([list.status, reached]).to.deep.equal([401, []])
        for (const key of matrix.keys) {
          const { status, body } = await ask(who, 'GET', `/api/${pathOf(type)}/${key}`)
          const sees = matrix.allows(person, key, 'read')
          const never = person === 'visitor' && ground.viewpoint(person).may('read', type as never) === 'never'
          expect(status, `${person} ${type} ${key}`).to.equal(sees ? 200 : never ? 401 : 404)
          const fields = matrix.access(person, key).find(({ action }) => action === 'read')?.fields
          if (sees && fields)
            expect(Object.keys(body)).to.satisfy((all: string[]) => all.every((name) => name === 'id' || fields.includes(name)))
          asked++
          if (asked % 2 === 0 && !matrix.allows(person, key, 'delete')) {
            // Of every other, what may not be removed is refused, and stays; nothing of it is said to who may not see it.
            const removed = await ask(who, 'DELETE', `/api/${pathOf(type)}/${key}`)
            expect(removed.status).to.be.oneOf(sees ? [403, 401] : [404, 401])
          }
          // Of every third record the rest as well.
          if (asked % 3 > 0) continue
          // Nothing is sent, so nothing changes: whether anything might be, is answered all the same.
          const changed = await ask(who, 'PATCH', `/api/${pathOf(type)}/${key}`, {})
          if (matrix.allows(person, key, 'update')) expect(changed.status, `${person} updates ${type} ${key}`).to.equal(200)
          else expect(changed.status, `${person} updates ${type} ${key}`).to.be.oneOf(sees ? [403, 401] : [404, 401])
          for (const action of matrix.actions.slice(3)) {
            const question = await ask(who, 'GET', `/api/${pathOf(type)}/${key}/${action}`)
            if (sees) expect(question.body.allowed, `${person} ${action} ${type} ${key}`).to.equal(matrix.allows(person, key, action))
            else expect(question.status).to.be.oneOf([404, 401])
          }
        }
      }
    }
    expect(asked).to.equal(Object.values(records).reduce((sum, rows) => sum + rows.length, 0) * Object.keys(ground.people).length)
  })

  it('answer about what is hidden as about what never was: every word, and every header', async () => {
    const { store } = serve()
    const identity = fromSession(
      (request) => ground.people[request.headers.get('x-person') ?? 'visitor'] as { id: string; email: string } | null,
    )
    const handle = routes(book, store, { identity, base: '/api', paths: PATHS, files: { plot: async () => new Response('a plan') } })
    const asks: readonly [method: string, more: string, headers: Record<string, string>, body?: string][] = [
      ['GET', '', {}],
      ['GET', '', { 'if-none-match': '"x"' }],
      ['PATCH', '', { 'content-type': 'application/json' }, '{"planting":"x"}'],
      ['PATCH', '', { 'content-type': 'application/json' }, '{"nothing":1}'],
      ['PATCH', '', { 'content-type': 'application/json', 'if-match': '"x"' }, '{"planting":"x"}'],
      ['DELETE', '', {}],
      ['DELETE', '', { 'if-match': '*' }],
      ['GET', '/shares', {}],
      ['GET', '/shares/h-01', {}],
      ['GET', '/files/plan.svg', {}],
    ]
    let hidden = 0
    for (const person of Object.keys(ground.people)) {
      const matrix = accessMatrix(book, 'plot', { ...options, people: ground.people })
      const key = matrix.keys.find((one) => !matrix.allows(person, one, 'read'))
      if (key === undefined) continue
      hidden++
      for (const [method, more, headers, body] of asks) {
        const [there, never] = await Promise.all(
          [key, 'p-99'].map(async (one) => {
            const who = person === 'visitor' ? {} : { 'x-person': person }
            const init = { method, headers: { ...who, ...headers, 'sec-fetch-site': 'same-origin' }, ...(body ? { body } : {}) }
            const response = await handle(new Request(`http://localhost/api/plots/${one}${more}`, init))
            return { status: response.status, headers: [...response.headers], text: await response.text() }
          }),
        )
        expect(there, `${person} ${method} ${more} ${JSON.stringify(headers)}`).to.deep.equal(never)
        expect(there?.status).to.be.oneOf([401, 404])
      }
    }
    expect(hidden).to.be.greaterThan(6)
  })

  const CASES: readonly [
    what: string,
    person: string | undefined,
    method: string,
    path: string,
    body: unknown,
    status: number,
    says: object,
  ][] = [
    [
      'a list is filtered, ordered and paged',
      'kofi',
      'GET',
      '/api/plots?where.state=let&where.rentDue.isAtLeast=32.5&sort=-number&size=2&fields=number',
      undefined,
      200,
      {
        records: [
          { id: 'p-12', number: 12 },
          { id: 'p-11', number: 11 },
        ],
      },
    ],
    ['a record is one', 'ines', 'GET', '/api/plots/p-01', undefined, 200, { id: 'p-01', planting: 'garlic, rhubarb' }],
    [
      'what one may not see is not there',
      'ines',
      'GET',
      '/api/plots/p-02',
      undefined,
      404,
      { code: 'NOT_FOUND', detail: 'There is no such plot.' },
    ],
    [
      'and says the same as what is not',
      'ines',
      'GET',
      '/api/plots/p-99',
      undefined,
      404,
      { code: 'NOT_FOUND', detail: 'There is no such plot.' },
    ],
    [
      'a visitor is told to sign in',
      undefined,
      'DELETE',
      '/api/plots/p-06',
      undefined,
      401,
      { code: 'SIGN_IN', signIn: 'https://localhost/sign-in' },
    ],
    ['broken credentials are no visitor', 'mallory', 'GET', '/api/plots', undefined, 401, { code: 'BAD_CREDENTIALS' }],
    [
      'a record is created',
      'ines',
      'POST',
      '/api/entries',
      { plotId: 'p-01', audience: 'plot', text: 'Beans.' },
      201,
      { authorId: 'm-01', text: 'Beans.' },
    ],
    [
      'a stamped field is refused',
      'ines',
      'POST',
      '/api/entries',
      { plotId: 'p-01', audience: 'plot', text: 'x', authorId: 'm-02' },
      403,
      { fields: ['authorId'] },
    ],
    ['what does not fit is not valid', 'ines', 'POST', '/api/entries', { plotId: 'p-01', audience: 'nobody' }, 422, { code: 'INVALID' }],
    ['a record is updated', 'ines', 'PATCH', '/api/plots/p-01', { planting: 'leeks' }, 200, { planting: 'leeks' }],
    [
      'a field that is not hers is refused in words',
      'ines',
      'PATCH',
      '/api/plots/p-01',
      { holderId: 'm-02' },
      403,
      { detail: 'You may not change holderId.', fields: ['holderId'] },
    ],
    ['a veto speaks', 'bram', 'PATCH', '/api/plots/p-03', { planting: 'x' }, 403, { detail: 'This lease is ending: ask the warden.' }],
    ['null removes', 'kofi', 'PATCH', '/api/member/m-01', { phone: null }, 200, { id: 'm-01' }],
    ['an entry is removed', 'ines', 'DELETE', '/api/entries/e-01', undefined, 204, {}],
    [
      'several are changed, those that one sees',
      'yuki',
      'PATCH',
      '/api/job?where.state=open',
      { state: 'done' },
      200,
      { done: ['j-02', 'j-05'] },
    ],
    ['all or nothing', 'bram', 'PATCH', '/api/job?all=true', { state: 'done' }, 409, { code: 'IN_THE_WAY' }],
    ['or as far as it goes', 'bram', 'PATCH', '/api/job?all=true&partly=true', { state: 'done' }, 200, { done: ['j-02', 'j-05'] }],
    ['a change of several says which', 'kofi', 'DELETE', '/api/notice', undefined, 400, { code: 'BAD_REQUEST' }],
    ['several are removed', 'tomasz', 'DELETE', '/api/job?all=true', undefined, 200, { done: ['j-01', 'j-04'] }],
    ['a question is answered', 'kofi', 'GET', '/api/inspection/i-02/confirm', undefined, 200, { allowed: true }],
    ['with no, too', 'tomasz', 'GET', '/api/inspection/i-02/confirm', undefined, 200, { allowed: false }],
    ['but to nobody who may not see it', 'ines', 'GET', '/api/inspection/i-02/confirm', undefined, 404, {}],
    ['linked records come along', 'ines', 'GET', '/api/plots?include=shares&where.number=1', undefined, 200, {}],
    ['what may be done comes along', 'ines', 'GET', '/api/plots?may=update,delete&where.number=1', undefined, 200, {}],
    ['children of a parent', 'ines', 'GET', '/api/plots/p-01/shares', undefined, 200, {}],
    ['a child by its parent', 'ines', 'GET', '/api/plots/p-01/shares/h-01', undefined, 200, { id: 'h-01' }],
    ['no child of another', 'bram', 'GET', '/api/plots/p-01/shares/h-02', undefined, 404, {}],
    ['no child of a parent that one does not see', 'odile', 'GET', '/api/plots/p-01/shares/h-03', undefined, 404, {}],
    ['a child is removed by way of its parent', 'ines', 'DELETE', '/api/plots/p-01/shares/h-01', undefined, 204, {}],
    ['a filter of nothing', 'ines', 'GET', '/api/plots?where.stat=let', undefined, 400, { code: 'UNKNOWN_NAME' }],
    ['a filter by a comparison that there is not', 'ines', 'GET', '/api/plots?where.number.isAbout=3', undefined, 400, {}],
    ['a filter by no number', 'ines', 'GET', '/api/plots?where.number=x', undefined, 400, { code: 'BAD_TEXT' }],
    ['a parameter of nothing', 'ines', 'GET', '/api/plots?limit=3', undefined, 400, {}],
    ['a page beyond measure', 'ines', 'GET', '/api/plots?size=100000', undefined, 400, {}],
    ['a cursor of nobody', 'ines', 'GET', '/api/plots?after=abc', undefined, 400, { code: 'BAD_CURSOR' }],
    ['a method of nothing', 'ines', 'PUT', '/api/plots/p-01', {}, 405, {}],
    ['a type of nothing', 'ines', 'GET', '/api/ploz', undefined, 404, {}],
    ['a link of nothing', 'ines', 'GET', '/api/plots/p-01/nothing', undefined, 404, {}],
    ['a body that is no JSON', 'ines', 'PATCH', '/api/plots/p-01', '{', 400, {}],
    ['a body that is no object', 'ines', 'PATCH', '/api/plots/p-01', '[]', 400, {}],
    ['a name that every object has', 'ines', 'PATCH', '/api/plots/p-01', '{"__proto__": {"planting": "x"}}', 422, {}],
  ]
  for (const [what, person, method, path, body, status, says] of CASES)
    it(`${what}: ${method} ${path} is ${status}`, async () => {
      const { ask, failures } = serve()
      const found = await ask(person, method, path, body)
      expect(found.status, JSON.stringify(found.body)).to.equal(status)
      for (const [name, value] of Object.entries(says)) expect(found.body[name], name).to.deep.equal(value)
      if (status >= 400) {
        expect(found.headers.get('content-type')).to.equal('application/problem+json')
        expect(found.body).to.include({ status, type: 'about:blank' })
      }
      expect(failures).to.deep.equal([])
    })

  it('page by cursors, once through everything', async () => {
    const { ask } = serve()
    const seen: string[] = []
    for (let after = ''; ; ) {
      const { body } = await ask('kofi', 'GET', `/api/plots?sort=siteId,-number&size=5${after}`)
      seen.push(...body.records.map(({ id }: { id: string }) => id))
      if (body.next === undefined) break
      after = `&after=${encodeURIComponent(body.next)}`
    }
    expect(seen).to.have.length(12)
    expect(new Set(seen).size).to.equal(12)
  })

  it('tell a lost update by entity tags, of what the asker sees', async () => {
    const { ask, store } = serve()
    const first = await ask('ines', 'GET', '/api/plots/p-01')
    const etag = first.headers.get('etag') as string
    expect((await ask('ines', 'GET', '/api/plots/p-01', undefined, { 'if-none-match': etag })).status).to.equal(304)
    // What is hidden from her changes nothing of it.
    await store.asSystem('test').update('plot', 'p-01', { wardenNotes: 'Secret.' })
    expect((await ask('ines', 'GET', '/api/plots/p-01')).headers.get('etag')).to.equal(etag)
    await store.asSystem('test').update('plot', 'p-01', { planting: 'chard' })
    const late = await ask('ines', 'PATCH', '/api/plots/p-01', { planting: 'leeks' }, { 'if-match': etag })
    expect(late).to.have.property('status', 412)
    expect((await ask('ines', 'GET', '/api/plots/p-01')).body.planting).to.equal('chard')
    const now = (await ask('ines', 'GET', '/api/plots/p-01')).headers.get('etag') as string
    const done = await ask('ines', 'PATCH', '/api/plots/p-01', { planting: 'leeks' }, { 'if-match': `"other", ${now}` })
    expect([done.status, done.headers.get('etag') === now]).to.deep.equal([200, false])
    expect((await ask('ines', 'DELETE', '/api/entries/e-01', undefined, { 'if-match': '"x"' })).status).to.equal(412)
    const strict = serve({ matchRequired: true })
    expect((await strict.ask('ines', 'DELETE', '/api/entries/e-01')).status).to.equal(428)
  })

  it('let nobody in whose claims do not fit', async () => {
    const { ask, failures } = serve({ identity: async () => ({ id: 7 }) })
    const { status, body } = await ask('ines', 'GET', '/api/plots')
    expect([status, body.code, failures.length]).to.deep.equal([401, 'BAD_CLAIMS', 1])
  })

  it('limit bodies, counted as they come', async () => {
    const { ask, app } = serve({ bodyLimit: 100 })
    expect((await ask('ines', 'PATCH', '/api/plots/p-01', { planting: 'x'.repeat(200) })).status).to.equal(413)
    const chunks = new ReadableStream({
      pull(controller) {
        controller.enqueue(new TextEncoder().encode('x'.repeat(64)))
      },
    })
    const headers = { 'x-person': 'ines', 'content-type': 'application/json' }
    const endless = await app.request('http://localhost/api/plots/p-01', {
      method: 'PATCH',
      headers,
      body: chunks,
      duplex: 'half',
    } as RequestInit)
    expect(endless.status).to.equal(413)
    expect((await ask('ines', 'PATCH', '/api/plots/p-01', 'planting=x', { 'content-type': 'text/plain' })).status).to.equal(415)
  })

  it('take plain HTTP on this machine only', async () => {
    const { app } = serve()
    const of = async (url: string, headers = {}) => (await app.request(url, { headers })).status
    expect(await of('http://localhost/api/site')).to.equal(200)
    expect(await of('http://127.0.0.1:3000/api/site')).to.equal(200)
    expect(await of('http://marshlane.example/api/site')).to.equal(403)
    expect(await of('https://marshlane.example/api/site')).to.equal(200)
    expect(await of('http://marshlane.example/api/site', { 'x-forwarded-proto': 'https' })).to.equal(403)
    const behind = serve({ behindProxy: true })
    const status = async (proto: string) =>
      (await behind.app.request('http://marshlane.example/api/site', { headers: { 'x-forwarded-proto': proto } })).status
    expect([await status('https'), await status('http')]).to.deep.equal([200, 403])
  })

  it('do named actions in one transaction, where they are allowed', async () => {
    const confirm = async ({ record, asSystem }: RouteContext) =>
      asSystem('confirmed by the secretary').update('inspection', record.id as string, { findings: 'Confirmed.' })
    const { ask, store } = serve({ actions: { inspection: { confirm } } })
    const { status, body } = await ask('kofi', 'POST', '/api/inspection/i-02/confirm')
    expect([status, body.findings]).to.deep.equal([200, 'Confirmed.'])
    expect(await store.asSystem('look').get('inspection', 'i-02')).to.include({ findings: 'Confirmed.' })
    expect((await ask('tomasz', 'POST', '/api/inspection/i-02/confirm')).status).to.equal(403)
    expect((await ask('ines', 'POST', '/api/inspection/i-02/confirm')).status).to.equal(404)
    expect(() => serve({ actions: { inspection: { confrim: confirm } } })).to.throw(/did you mean|is it meant to be confirm/)
  })

  it('let others wait, and say nothing of what should not have happened', async () => {
    const waiting = serve({ limit: () => 2.5 })
    const told = await waiting.ask('ines', 'GET', '/api/plots')
    expect([told.status, told.headers.get('retry-after')]).to.deep.equal([429, '3'])
    const broken = serve({
      limit: () => {
        throw new Error('the secret is 4711')
      },
    })
    const { status, body } = await broken.ask('ines', 'GET', '/api/plots')
    expect([status, JSON.stringify(body).includes('4711'), broken.failures.length]).to.deep.equal([500, false, 1])
  })

  it('with cookies, take changes from this site only', async () => {
    const store = openStore(book, inMemory(records), { now: options.now })
    const identity = fromSession((request) =>
      cookieOf(request, 'sid') === 'i n' ? (ground.people.ines as { id: string; email: string }) : null,
    )
    const handle = routes(book, store, { identity, origins: ['https://friend.example'] })
    const patch = async (headers: Record<string, string>, method = 'PATCH') => {
      const request = new Request('https://marshlane.example/plot/p-01', {
        method,
        headers: { cookie: 'a=b; sid=i%20n', 'content-type': 'application/json', ...headers },
        ...(method === 'GET' ? {} : { body: '{"planting":"x"}' }),
      })
      return (await handle(request)).status
    }
    const STATUS: readonly [headers: Record<string, string>, status: number][] = [
      [{}, 403],
      [{ 'sec-fetch-site': 'same-origin' }, 200],
      [{ 'sec-fetch-site': 'same-site' }, 403],
      [{ 'sec-fetch-site': 'cross-site' }, 403],
      [{ 'sec-fetch-site': 'none' }, 403],
      [{ origin: 'https://marshlane.example' }, 200],
      [{ origin: 'https://evil.example' }, 403],
      [{ origin: 'null' }, 403],
      [{ origin: 'https://friend.example', 'sec-fetch-site': 'cross-site' }, 200],
    ]
    for (const [headers, status] of STATUS) expect(await patch(headers), JSON.stringify(headers)).to.equal(status)
    expect(await patch({ 'sec-fetch-site': 'cross-site' }, 'GET')).to.equal(200)
  })
})
