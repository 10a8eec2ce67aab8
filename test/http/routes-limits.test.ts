import { expect } from 'chai'
import { cookieOf, fromSession, type RouteContext, routes } from 'pachter/http'
import { inMemory, openStore } from 'pachter/store'
import { book } from '../../examples/world/rulebook.js'
import { serve } from '../support/serve-world.js'
import { ground, options, records } from '../support/world.js'

describe('routes, of many requests', () => {
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

  it('refuse a person whose claims do not fit', async () => {
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
    expect(() => serve({ actions: { inspection: { confrim: confirm } } })).to.throw(/Did you mean|is it meant to be confirm/)
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
