// `pachter check --url`: whether a server that lets something happen is found out, whatever rule it has forgotten.
import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { expect } from 'chai'
import { fromSession, middleware, routes } from 'pachter/http'
import { accessMatrix, type Deployed, judgeDeployed } from 'pachter/review'
import { inMemory, openStore } from 'pachter/store'
import { people } from '../../examples/world/people.js'
import { book } from '../../examples/world/rulebook.js'
import { within } from '../support/command.js'
import { tries } from '../support/tries.js'
import { expectations, ground, known, records, types } from '../support/world.js'

type Model = typeof book.model

/** A site over the demo data that goes by other rules than it should; who asks is told by a cookie. */
function siteOf(
  model: Model,
  more: object = {},
  options: object = {},
): Deployed & { readonly handle: (request: Request) => Promise<Response> } {
  const other = { model } as typeof book
  const store = openStore(other, inMemory(records as never), { now: known && ground.now })
  const identity = fromSession(
    (request) => (people as Record<string, unknown>)[/who=(\w+)/.exec(request.headers.get('cookie') ?? '')?.[1] ?? ''] ?? null,
  )
  const handle = routes(other, store as never, { identity, insecure: true, base: '/api', ...options } as never)
  const names = Object.keys(people).filter((name) => name !== 'visitor')
  return {
    model: book.model,
    url: 'https://marshlane.example/api',
    people: Object.fromEntries(names.map((name) => [name, { cookie: `who=${name}` }])),
    mayWrite: types,
    keys: ground.keys,
    fetch: ((address: string, init: RequestInit) => handle(new Request(address, init))) as typeof fetch,
    handle,
    ...more,
  }
}

/** The rulebook with one rule removed: a gate, a veto, a clause, or what limits it. */
function* withoutEach(): Generator<{ readonly what: string; readonly type: string; readonly model: Model }> {
  const { gate: _gate, ...open } = book.model
  yield { what: 'the gate', type: 'member', model: open as Model }
  for (const type of Object.values(book.model.types)) {
    const { rules } = type
    if (rules === undefined) continue
    const changed = (more: object): Model =>
      ({ ...book.model, types: { ...book.model.types, [type.name]: { ...type, rules: { ...rules, ...more } } } }) as Model
    for (const [at, veto] of rules.vetoes.entries())
      yield { what: `veto: ${veto.title}`, type: type.name, model: changed({ vetoes: rules.vetoes.filter((_, other) => other !== at) }) }
    for (const [action, clauses] of Object.entries(rules.may))
      for (const [at, clause] of clauses.entries()) {
        if (clause.within !== undefined) continue
        const others = (mine: readonly object[]) =>
          changed({ may: { ...rules.may, [action]: clauses.flatMap((one, other) => (other === at ? mine : [one])) } })
        yield { what: `${action}: ${clause.title}`, type: type.name, model: others([]) }
        const { fields, limitedBy: _by, ...unlimited } = clause
        if (fields !== undefined && action !== 'delete')
          yield { what: `${action}: the fields of ${clause.title}`, type: type.name, model: others([unlimited]) }
      }
  }
}

/** Whether any expectation of the type does not hold there: it is looked no further than the first. */
async function isFoundOut(model: Model, type: string): Promise<boolean> {
  const site = siteOf(model)
  const about = (one: (typeof expectations)[number]) => ('type' in one && one.type === type ? 0 : 1)
  for (const one of [...expectations].sort((a, b) => about(a) - about(b))) {
    const found = await judgeDeployed(site, one)
    if ('held' in found && !found.held) return true
  }
  return false
}

function isEquivalent(model: Model, type: string): boolean {
  const { actions } = book.model.types[type as 'plot'] as { actions: readonly string[] }
  const reached = (by: Model) => {
    const matrix = accessMatrix({ model: by }, type, { people: ground.people, records, now: ground.now } as never)
    return matrix.people.map((person) => [person, ...actions.map((action) => (action === 'create' ? '' : matrix.reached(person, action)))])
  }
  return JSON.stringify(reached(model)) === JSON.stringify(reached(book.model))
}

describe('an application that is running', () => {
  it('passes if the application follows the rules, and really tries what may be tried', async () => {
    const site = siteOf(book.model)
    const found = await Promise.all(expectations.map((one) => judgeDeployed(site, one)))
    const judged = found.filter((one) => 'held' in one)
    expect(judged.filter((one) => !one.held).map(({ title, problems }) => [title, problems])).to.deep.equal([])
    expect(judged.filter((one) => !one.asked).length).to.be.greaterThan(200)
  })

  // Those that are left out come round with the others in a long run.
  const left = [...withoutEach()].filter((_, at) => at % tries(4, 1) === 0)
  it(`is found out whichever of ${left.length} rules of the demo world it has forgotten`, async () => {
    const missed: string[] = []
    let equivalent = 0
    for (const { what, type, model } of left) {
      if (await isFoundOut(model, type)) continue
      // Where everybody may do to every record of it what they may do anyway, there is nothing to find.
      if (!what.startsWith('create') && isEquivalent(model, type)) equivalent += 1
      else missed.push(`${type}, ${what}`)
    }
    expect(missed).to.deep.equal([])
    expect(equivalent).to.be.below(4)
  }).timeout(600_000)

  it('passes nothing that is refused by something else than the rules', async () => {
    const refused = expectations.filter(
      (one) => one.kind === 'try' && !one.allowed && one.within === undefined && one.at === undefined && one.action !== 'read',
    )
    const guards: readonly [string, (request: Request) => Response | undefined][] = [
      [
        'another guard',
        (request) =>
          request.method === 'GET' ? undefined : Response.json({ code: 'BAD_REQUEST', detail: 'Not from there.' }, { status: 403 }),
      ],
      ['a proxy', (request) => (request.method === 'GET' ? undefined : Response.json({ message: 'Forbidden' }, { status: 403 }))],
      ['nobody known', () => Response.json({ code: 'BAD_CREDENTIALS' }, { status: 401 })],
      ['a wrong address', (request) => (request.method === 'GET' ? undefined : Response.json({ code: 'NOT_FOUND' }, { status: 403 }))],
      ['too many requests', () => Response.json({ code: 'BAD_REQUEST' }, { status: 429 })],
    ]
    for (const [what, guard] of guards) {
      const site = siteOf(book.model)
      const guarded = {
        ...site,
        fetch: (async (address: string, init: RequestInit) =>
          guard(new Request(address, init)) ?? site.fetch?.(address, init)) as typeof fetch,
      }
      for (const one of refused.slice(0, 12)) {
        const found = await judgeDeployed(guarded, one)
        expect('held' in found && found.held, `${what}: ${found.title}`).to.equal(false)
      }
    }
  })

  it('says what it only asked', async () => {
    const reading = siteOf(book.model, { mayWrite: [] })
    const found = await Promise.all(expectations.map((one) => judgeDeployed(reading, one)))
    for (const one of found) {
      if (!('held' in one)) continue
      const { expectation } = one
      const reads = 'action' in expectation && expectation.action === 'read'
      expect(one.asked === true, one.title).to.equal(!reads)
    }
  })

  it('is tried at handlers of its own', async () => {
    const site = siteOf(book.model)
    const asked: string[] = []
    const own = {
      ...site,
      handlers: {
        plot: {
          update: { method: 'POST', path: '/plots/{key}/planting', as: 'form' as const },
          delete: { method: 'POST', path: '/plots/{key}/remove' },
        },
      },
    }
    const answers = (careless: boolean) =>
      (async (address: string, init: RequestInit) => {
        const { pathname } = new URL(address)
        if (!pathname.startsWith('/plots/')) return site.fetch?.(address, init)
        asked.push(`${init.method} ${pathname} ${(init.headers as Record<string, string>)['content-type']}`)
        return careless ? new Response(null, { status: 204 }) : Response.json({ code: 'REFUSED', detail: 'No.' }, { status: 403 })
      }) as typeof fetch
    const one = {
      kind: 'try',
      person: 'ines',
      action: 'update',
      type: 'plot',
      key: 'p-02',
      sending: { planting: 'weeds' },
      allowed: false,
    } as const
    const strict = await judgeDeployed({ ...own, fetch: answers(false) }, one)
    expect('held' in strict && strict.held).to.equal(true)
    expect(asked).to.deep.equal(['POST /plots/p-02/planting application/x-www-form-urlencoded'])
    const careless = await judgeDeployed({ ...own, fetch: answers(true) }, { ...one, action: 'delete', sending: undefined } as never)
    expect('held' in careless && careless.problems).to.deep.equal(['it was allowed'])
    const elsewhere = await judgeDeployed(
      { ...own, fetch: (async () => new Response(null, { status: 303, headers: { location: '/sign-in' } })) as never },
      one,
    )
    expect('held' in elsewhere && elsewhere.held, 'a redirect says nothing').to.equal(false)
  })

  describe('by the command', () => {
    let server: Server
    let url: string
    before(async () => {
      server = createServer(middleware(siteOf(book.model).handle))
      await new Promise<void>((done) => server.listen(0, '127.0.0.1', done))
      url = `http://127.0.0.1:${(server.address() as AddressInfo).port}/api`
    })
    after(() => {
      server.closeAllConnections()
      server.close()
    })
    const token = { PACHTER_TOKEN_INES: 'x' }

    it('tries from the same origin, counts what was tried, and fails where nothing was', async () => {
      void token
      const { writeFileSync, mkdtempSync } = await import('node:fs')
      const folder = mkdtempSync('/tmp/pachter-tokens-')
      writeFileSync(`${folder}/tokens.yaml`, 'ines: { cookie: "who=ines" }\n')
      const tried = await within(`check --for ines --type plot --url ${url} --tokens ${folder}/tokens.yaml --may-write plot`)
      expect([tried.status, tried.stdout]).to.satisfy(
        ([status, text]: [number, string]) => status === 0 && /\d+ tried with real requests/.test(text),
      )
      const asked = await within(`check --for ines --type plot --url ${url} --tokens ${folder}/tokens.yaml`)
      expect(asked.stdout).to.match(/\d+ checked by the verdicts of the application only\. Use --may-write <type>/)
      writeFileSync(`${folder}/nobody.yaml`, 'bram: { cookie: "who=bram" }\n')
      const nothing = await within(`check --for ines --type plot --url ${url} --tokens ${folder}/nobody.yaml`)
      expect([nothing.status, nothing.stdout]).to.satisfy(
        ([status, text]: [number, string]) => status === 1 && text.includes('No real request was tried'),
      )
    })
  })
})
