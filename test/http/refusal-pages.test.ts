import { expect } from 'chai'
import { rulebook } from 'pachter'
import { fromSession, guard, messageOf, type Refusal, routes, seeOther } from 'pachter/http'
import { inMemory, type LogEntry, openStore } from 'pachter/store'
import { z } from 'zod'
import { book } from '../../examples/world/rulebook.js'
import { serve } from '../support/serve-world.js'
import { ground, options, records, types } from '../support/world.js'

const HTML = 'text/html,application/xhtml+xml,application/xml;q=0.9,*/*;q=0.8'

describe('refusals as pages', () => {
  const { app } = serve()
  const ask = (person: string, method: string, path: string, headers: Record<string, string> = {}) => {
    const who: Record<string, string> = person === 'visitor' ? {} : { 'x-person': person }
    return app.request(`http://localhost${path}`, { method, headers: { ...who, ...headers } })
  }

  it('say the same as problem details, to every person of the demo world, of every record', async () => {
    const seen = new Set<number>()
    for (const person of Object.keys(ground.people))
      for (const type of types) {
        const path = `/api/${type === 'plot' ? 'plots' : type === 'entry' ? 'entries' : type}/${ground.keys(type)[0]}`
        for (const method of ['GET', 'DELETE']) {
          if (method === 'DELETE' && (await ask(person, 'GET', path)).status === 200) continue
          const [data, page] = [await ask(person, method, path), await ask(person, method, path, { accept: HTML })]
          const what = `${person} ${method} ${path}`
          if (data.status < 400) {
            expect(page.headers.get('content-type'), what).to.equal('application/json')
            continue
          }
          seen.add(data.status)
          const { detail } = (await data.json()) as { detail: string }
          if (data.status === 401) {
            expect([page.status, page.headers.get('location')], what).to.deep.equal([
              method === 'GET' ? 302 : 303,
              `https://localhost/sign-in${method === 'GET' ? `?back=${encodeURIComponent(path)}` : ''}`,
            ])
            continue
          }
          expect(page.status, what).to.equal(data.status)
          const text = await page.text()
          expect(text, what).to.include(`<p>${detail}</p>`)
          for (const row of records.member ?? []) expect(text).not.to.include(row.id)
        }
      }
    expect([...seen].sort()).to.deep.equal([401, 404])
    const refused = await ask('ines', 'DELETE', '/api/plots/p-01', { accept: HTML })
    expect([refused.status, (await refused.text()).includes('<h1>You may not do this</h1>')]).to.deep.equal([403, true])
  })

  it('are for those who prefer pages', async () => {
    for (const [accept, isPage] of [
      [HTML, true],
      ['text/html', true],
      ['text/html;q=0.9, application/json;q=0.1', true],
      ['*/*', false],
      ['application/json', false],
      ['application/json, text/html;q=0.5', false],
      ['application/problem+json, text/html;q=0.9', false],
      ['text/html;q=0', false],
      ['text/html;q=x', false],
      ['text/*', false],
      ['', false],
    ] as const) {
      const { headers } = await ask('pavel', 'GET', '/api/plots/p-99', { accept })
      expect(headers.get('content-type'), accept).to.equal(isPage ? 'text/html; charset=utf-8' : 'application/problem+json')
    }
  })

  it('run nothing and are kept nowhere', async () => {
    const { headers, status } = await ask('pavel', 'GET', '/api/plots/p-99', { accept: HTML })
    expect(status).to.equal(404)
    expect(headers.get('content-security-policy')).to.include("default-src 'none'")
    expect([headers.get('cache-control'), headers.get('x-content-type-options')]).to.deep.equal(['no-store', 'nosniff'])
    const from = async (referer: string) =>
      /<a href="(.*)">Go back/.exec(await (await ask('pavel', 'GET', '/api/plots/p-99', { accept: HTML, referer })).text())?.[1]
    expect(await from('http://localhost/a?b="c"&d')).to.equal('/a?b=%22c%22&amp;d')
    expect(await from('http://elsewhere.example/a')).to.equal(undefined)
    const head = await ask('pavel', 'HEAD', '/api/plots/p-99', { accept: HTML })
    expect([head.status, await head.text()]).to.deep.equal([404, ''])
  })

  it('name what of a form is not valid, as text', async () => {
    const store = openStore(
      rulebook({
        me: { shape: z.object({ id: z.string() }), key: 'id' },
        records: { song: { shape: z.object({ id: z.string(), bars: z.int() }), key: 'id' } },
      }).rules({
        song: (_song, { signedIn }) => ({
          may: { read: [signedIn], create: [signedIn.overriding('id')] },
          messages: { delete: '<b>Not</b> "this" & that' },
        }),
      }),
      inMemory({ song: [{ id: 's-1', bars: 8 }] }),
    )
    const guarded = guard(store, { identity: fromSession(() => ({ id: 'a' }), { automatic: false }) })
    const page = async (work: (mine: ReturnType<typeof store.for>) => Promise<unknown>) => {
      const request = new Request('http://localhost/songs', { headers: { accept: 'text/html' } })
      return (await guarded(request, async ({ store: mine }) => Response.json(await work(mine)))).text()
    }
    expect(await page((mine) => mine.create('song', { bars: 'many' } as never))).to.include('<li>bars: ')
    expect(await page((mine) => mine.assertMay('delete', 'song', 's-1'))).to.include(
      '<p>&lt;b&gt;Not&lt;/b&gt; &quot;this&quot; &amp; that</p>',
    )
  })
})

describe('the way to sign in and back', () => {
  const open = (signIn: string | undefined, more: object = {}) => serve({ signIn, ...more }).app
  const to = async (signIn: string | undefined, path: string, headers: Record<string, string> = {}, method = 'GET') => {
    const response = await open(signIn).request(`http://localhost${path}`, { method, headers: { accept: HTML, ...headers } })
    return response.headers.get('location') ?? response.status
  }

  it('leads to paths of this site only', async () => {
    expect(await to('/sign-in', '/api/invoice/i-01')).to.equal('/sign-in?back=%2Fapi%2Finvoice%2Fi-01')
    expect(await to('/sign-in?by=mail', '/api/invoice/i-01')).to.equal('/sign-in?by=mail&back=%2Fapi%2Finvoice%2Fi-01')
    expect(await to(undefined, '/api/invoice/i-01')).to.equal(401)
    // A form that was sent: back to the page with the form, if it is of this site.
    const sent = (referer: string) => to('/sign-in', '/api/invoice/i-01', { referer }, 'DELETE')
    expect(await sent('http://localhost/members/new')).to.equal('/sign-in?back=%2Fmembers%2Fnew')
    for (const odd of ['http://elsewhere.example/', 'http://localhost//elsewhere.example', 'javascript:alert(1)', 'nothing'])
      expect(await sent(odd), odd).to.equal('/sign-in')
  })

  it('never goes round in circles', async () => {
    const loop = guard(serve().store, { identity: fromSession<{ id: string }>(() => null, { automatic: false }), signIn: '/sign-in' })
    const request = new Request('http://localhost/sign-in?back=%2F', { headers: { accept: HTML } })
    expect((await loop(request, async ({ store }) => Response.json(await store.get('invoice', 'i-01')))).status).to.equal(401)
  })

  it('is refused where it is not an address', () => {
    expect(() => open('http://')).to.throw('signIn: "http://" is not an address')
  })
})

describe('answers of the application to what is refused', () => {
  it('are asked for each kind, with the verdict, and replace the usual answer', async () => {
    const heard: Refusal[] = []
    const hook = (refusal: Refusal) => {
      heard.push(refusal)
      return refusal.isPage ? new Response('own', { status: 200 }) : undefined
    }
    const { app } = serve({ onSignIn: hook, onRefused: hook, onNotFound: hook })
    const cases = [
      ['visitor', 'GET', '/api/invoice/i-01', 401, 'sign in'],
      ['ines', 'DELETE', '/api/plots/p-01', 403, 'refused'],
      ['pavel', 'GET', '/api/plots/p-02', 404, 'not found'],
      ['pavel', 'GET', '/api/plots/p-99', 404, 'not found'],
      ['pavel', 'GET', '/api/nothing', 404, undefined],
    ] as const
    for (const [person, method, path, status, outcome] of cases)
      for (const accept of [HTML, 'application/json']) {
        const who: Record<string, string> = person === 'visitor' ? {} : { 'x-person': person }
        const response = await app.request(`http://localhost${path}`, { method, headers: { accept, ...who } })
        expect(response.status, path).to.equal(accept === HTML ? 200 : status)
        const { verdict, problem } = heard.at(-1) as Refusal
        expect([problem.status, verdict?.outcome], path).to.deep.equal([status, outcome])
      }
  })

  it('are the usual ones where a hook fails, which is reported', async () => {
    const failing = () => {
      throw new Error('out of paper')
    }
    const { app, failures } = serve({ onNotFound: failing })
    const { status } = await app.request('http://localhost/api/plots/p-99', { headers: { 'x-person': 'ines' } })
    expect([status, String(failures)]).to.deep.equal([404, 'Error: out of paper'])
  })

  it('take as long for a hidden record as for none, whatever they answer', async () => {
    const { app } = serve({ onNotFound: () => new Response('gone', { status: 200 }) })
    const times: number[] = []
    for (const key of ['p-02', 'p-99', 'p-03', 'p-98']) {
      const began = performance.now()
      await app.request(`http://localhost/api/plots/${key}`, { headers: { 'x-person': 'pavel' } })
      times.push(performance.now() - began)
    }
    expect(Math.min(...times)).to.be.above(3)
  })
})

describe('the page after something was done', () => {
  const Inspection = z.object({ id: z.string(), state: z.string() })
  const inspections = rulebook({
    me: { shape: z.object({ id: z.string() }), key: 'id' },
    records: { inspection: { shape: Inspection, key: 'id', actions: ['file'] } },
  }).rules({
    inspection: (inspection, { signedIn }) => ({
      may: { read: [signedIn], file: [signedIn.provided(inspection.state.is('draft'))], delete: [signedIn], update: [signedIn] },
    }),
  })
  const open = (to = '/inspections') => {
    const store = openStore(inspections, inMemory({ inspection: [{ id: 'i-1', state: 'draft' }] }))
    return routes(inspections, store, {
      identity: fromSession(() => ({ id: 'a' }), { automatic: false }),
      actions: {
        inspection: { file: async ({ asSystem }) => void (await asSystem('file').update('inspection', 'i-1', { state: 'filed' })) },
      },
      next: ({ action, key }) => (action === 'update' ? undefined : { to: `${to}?did=${key}`, message: `${action}: done; ✓` }),
    })
  }
  const send = (handle: ReturnType<typeof open>, method: string, path: string, accept: string) =>
    handle(new Request(`http://localhost${path}`, { method, headers: { accept } }))

  it('is where next says, with a message for once', async () => {
    const handle = open()
    const filed = await send(handle, 'POST', '/inspection/i-1/file', HTML)
    expect([filed.status, filed.headers.get('location')]).to.deep.equal([303, '/inspections?did=i-1'])
    const cookie = (filed.headers.get('set-cookie') as string).split(';')[0] as string
    const message = messageOf(new Request('http://localhost/inspections', { headers: { cookie } }))
    expect(message?.text).to.equal('file: done; ✓')
    expect(message?.forget).to.include('Max-Age=0')
    expect((await send(handle, 'POST', '/inspection/i-1/file', HTML)).status, 'not again').to.equal(403)
    expect((await send(handle, 'DELETE', '/inspection/i-1', 'application/json')).status).to.equal(204)
    for (const odd of ['', 'message=', 'message=%E0%A4'])
      expect(messageOf(new Request('http://localhost/', { headers: { cookie: odd } }))).to.equal(undefined)
  })

  it('is of this site, or there is none', async () => {
    for (const to of ['//elsewhere.example/', 'https://elsewhere.example/', '/\\elsewhere.example', '/a\nb'])
      expect(() => seeOther(to), to).to.throw('is not a path of this site')
    expect(seeOther('/a', { message: '🌱'.repeat(5000) }).headers.get('set-cookie')?.length).to.be.below(4000)
  })
})

describe('assertMay', () => {
  const entries: LogEntry[] = []
  const store = openStore(book, inMemory(records), { now: options.now, log: (entry) => entries.push(entry) })
  const codeOf = (work: Promise<unknown>) =>
    work.then(
      () => 'allowed',
      (error: { code: string }) => error.code,
    )

  it('agrees with the verdict for every person, record and action of the demo world, and logs what it refuses', async () => {
    let refused = 0
    for (const person of Object.keys(ground.people)) {
      const mine = store.for(ground.people[person] as never)
      for (const type of types)
        for (const key of ground.keys(type).slice(0, 3))
          for (const action of ['read', 'update', 'delete'] as const) {
            const { allowed, outcome } = await mine.verdict(action, type as 'plot', key as never)
            entries.length = 0
            const code = await codeOf(mine.assertMay(action, type as 'plot', key as never))
            expect(code, `${person} ${action} ${type} ${key}`).to.equal(allowed ? 'allowed' : outcome.replace(' ', '_').toUpperCase())
            expect(entries.map((one) => `${one.outcome} ${one.action} ${one.key}`)).to.deep.equal(
              allowed ? [] : [`${outcome} ${action} ${key}`],
            )
            if (!allowed) refused += 1
          }
    }
    expect(refused).to.be.above(100)
  })

  it('names the fields that a change may not have, and lets nobody act as another who may only look', async () => {
    const ines = ground.people.ines as never
    const error = await store
      .for(ines)
      .assertMay('update', 'plot', 'p-01', { rentDue: 0 })
      .catch((one: unknown) => one)
    expect((error as { fields: string[] }).fields).to.deep.equal(['rentDue'])
    expect(await codeOf(store.for(ines).assertMay('update', 'plot', 'p-01', { planting: 'leeks' }))).to.equal('allowed')
    const looking = store.for(ines, { actor: 'm-07', readOnly: true })
    expect(await codeOf(looking.assertMay('update', 'plot', 'p-01'))).to.equal('REFUSED')
    expect(await codeOf(looking.assertMay('read', 'plot', 'p-01'))).to.equal('allowed')
  })
})

describe('the headers of every answer', () => {
  it('keep shared caches from it, and say what it depends on', async () => {
    const { app } = serve()
    for (const [method, path] of [
      ['GET', '/api/plots'],
      ['GET', '/api/plots/p-01'],
      ['GET', '/api/plots/p-99'],
      ['OPTIONS', '/api/plots'],
      ['PUT', '/api/plots'],
      ['GET', '/api/my-rules'],
      ['DELETE', '/api/plots/p-01'],
    ] as const) {
      const { headers, status } = await app.request(`http://localhost${path}`, { method, headers: { 'x-person': 'ines' } })
      expect(headers.get('cache-control'), `${method} ${path}`).to.match(/^(private, no-cache|no-store)$/)
      expect(headers.get('vary'), `${method} ${path}`).to.equal('Accept, Authorization, Cookie')
      if (status === 405 || method === 'OPTIONS') expect(headers.get('allow')).to.equal('GET, POST, PATCH, DELETE, HEAD, OPTIONS')
    }
  })

  it('are those of a handler of one’s own, where it gives any', async () => {
    const guarded = guard(serve().store, { identity: fromSession<{ id: string }>(() => null, { automatic: false }) })
    const answer = (response: Response) => guarded(new Request('http://localhost/x'), async () => response)
    const given = await answer(new Response('', { headers: { 'cache-control': 'public, max-age=60', vary: 'Accept' } }))
    expect([given.headers.get('cache-control'), given.headers.get('vary')]).to.deep.equal([
      'public, max-age=60',
      'Accept, Authorization, Cookie',
    ])
    expect((await answer(Response.redirect('http://localhost/y'))).headers.get('cache-control')).to.equal('private, no-cache')
  })
})
