// OpenID AuthZEN Authorization API 1.0 over the guarded store, as a service of another language would ask.
import { expect } from 'chai'
import { type AuthZenOptions, authzen } from 'pachter/http'
import { accessMatrix } from 'pachter/review'
import { inMemory, openStore } from 'pachter/store'
import { book } from '../../examples/world/rulebook.js'
import { ground, options, records, types } from '../support/world.js'

type Json = any

const SECRET = 'Bearer of-the-ledger-service'
const people = ground.people as { readonly [name: string]: { id: string; email: string } | null }

function open(more: Partial<AuthZenOptions<any>> = {}) {
  const store = openStore(book, inMemory(records), { now: options.now, cursorSecret: 'test' })
  const failures: unknown[] = []
  const decide = authzen(store as never, {
    caller: (request) => request.headers.get('authorization') === SECRET,
    subject: ({ id, type }) => (type === 'member' ? (people[id] as never) : undefined),
    subjects: ({ after = '0', size }) => {
      const all = Object.entries(people).flatMap(([id, claims]) => (claims === null ? [] : [{ id, claims }]))
      const from = Number(after)
      return { subjects: all.slice(from, from + size), ...(from + size < all.length ? { next: String(from + size) } : {}) }
    },
    onFailure: (error) => failures.push(error),
    ...more,
  })
  const ask = async (path: string, body?: unknown, headers: Record<string, string> = {}, method = body === undefined ? 'GET' : 'POST') => {
    const sent = body === undefined ? {} : { body: typeof body === 'string' ? body : JSON.stringify(body) }
    const all = { authorization: SECRET, 'content-type': 'application/json', ...headers }
    const response = await decide(new Request(`http://localhost${path}`, { method, headers: all, ...sent }))
    return { status: response.status, headers: response.headers, body: (await response.json()) as Json }
  }
  return { ask, failures }
}

const member = (id: string) => ({ type: 'member', id })
const about = (person: string, action: string, type: string, id: unknown) => ({
  subject: member(person),
  action: { name: action },
  resource: { type, id: String(id) },
})
const EVALUATION = '/access/v1/evaluation'
const EVALUATIONS = '/access/v1/evaluations'

describe('decisions for other services', () => {
  const { ask } = open()
  const signedIn = Object.keys(people).filter((name) => people[name] !== null)

  it('are those of the access matrix, for every person, record and action of the demo world', async () => {
    let asked = 0
    for (const type of types) {
      const matrix = accessMatrix(book, type, { people: ground.people, records, now: options.now })
      const cells = signedIn.flatMap((person) =>
        matrix.keys.slice(0, 6).flatMap((key) => matrix.actions.map((action) => ({ person, key, action }))),
      )
      for (let from = 0; from < cells.length; from += 100) {
        const some = cells.slice(from, from + 100)
        const { body } = await ask(EVALUATIONS, { evaluations: some.map(({ person, key, action }) => about(person, action, type, key)) })
        const wanted = some.map(({ person, key, action }) => matrix.allows(person, key, action))
        const decided = body.evaluations.map(({ decision }: Json) => decision)
        // What the matrix allows may still be refused because of what it would take along.
        for (const [at, is] of decided.entries())
          if (is !== wanted[at]) expect([some[at]?.action, is], JSON.stringify(some[at])).to.deep.equal(['delete', false])
        asked += some.length
      }
    }
    expect(asked).to.be.above(1000)
  })

  it('come with the fields and the message, of creations and changes too, and of what belongs to no record', async () => {
    const one = async (request: object) => (await ask(EVALUATION, request)).body
    expect(await one(about('ines', 'read', 'plot', 'p-99'))).to.deep.equal({
      decision: false,
      context: { outcome: 'not found', message: 'There is no such plot.' },
    })
    const update = (changes: object) =>
      one({ ...about('ines', 'update', 'plot', 'p-01'), action: { name: 'update', properties: { changes } } })
    expect((await update({ planting: 'leeks' })).decision).to.equal(true)
    expect(await update({ rentDue: 0 })).to.deep.include({ decision: false })
    expect((await update({ rentDue: 'much' })).decision).to.equal(false)
    const share = (plotId: string) =>
      one({
        subject: member('ines'),
        action: { name: 'create' },
        resource: { type: 'share', properties: { plotId, memberId: 'm-02', level: 'look' } },
      })
    expect([(await share('p-01')).decision, (await share('p-02')).decision]).to.deep.equal([true, false])
    expect(await one(about('farah', 'have', 'privilege', 'openLedger'))).to.deep.equal({ decision: true })
    expect(await one(about('ines', 'call', 'routine', 'handOver'))).to.deep.equal({ decision: false })
    expect(await one(about('nobody', 'read', 'plot', 'p-01'))).to.deep.equal({ decision: false, context: { outcome: 'unknown subject' } })
  })

  it('of several follow what is asked first, and share what they have in common', async () => {
    const several = async (evaluations: readonly object[], semantic?: string) => {
      const more = semantic === undefined ? {} : { options: { evaluations_semantic: semantic } }
      const { body } = await ask(EVALUATIONS, { subject: member('ines'), action: { name: 'update' }, evaluations, ...more })
      return body.evaluations.map(({ decision }: Json) => decision)
    }
    const plots = ['p-01', 'p-02', 'p-01'].map((id) => ({ resource: { type: 'plot', id } }))
    expect(await several(plots)).to.deep.equal([true, false, true])
    expect(await several(plots, 'deny_on_first_deny')).to.deep.equal([true, false])
    expect(await several(plots, 'permit_on_first_permit')).to.deep.equal([true])
    expect(await several([{ resource: { type: 'plto', id: 'x' } }, plots[0] as object])).to.deep.equal([false, true])
    const alone = await ask(EVALUATIONS, about('ines', 'update', 'plot', 'p-01'))
    expect(alone.body.decision).to.equal(true)
  })

  it('are searched by record, action and subject, page by page', async () => {
    const all = async (path: string, body: object) => {
      const found: Json[] = []
      let token = ''
      do {
        const { body: answer } = await ask(`/access/v1/search/${path}`, { ...body, page: { limit: 3, token } })
        found.push(...answer.results)
        token = answer.page.next_token
      } while (token !== '')
      return found
    }
    for (const person of signedIn)
      for (const action of ['read', 'update']) {
        const matrix = accessMatrix(book, 'plot', { people: ground.people, records, now: options.now })
        const plots = await all('resource', { subject: member(person), action: { name: action }, resource: { type: 'plot' } })
        expect(
          plots.map(({ id }) => id),
          `${person} ${action}`,
        ).to.have.members(matrix.reached(person, action))
      }
    const who = await all('subject', { subject: { type: 'member' }, action: { name: 'update' }, resource: { type: 'plot', id: 'p-01' } })
    const matrix = accessMatrix(book, 'plot', { people: ground.people, records, now: options.now })
    expect(who.map(({ id }) => id)).to.have.members(signedIn.filter((person) => matrix.allows(person, 'p-01', 'update')))
    const actions = await all('action', { subject: member('tomasz'), resource: { type: 'plot', id: 'p-01' } })
    expect(actions.map(({ name }) => name)).to.have.members(['read', 'update'])
  })
})

describe('the endpoints of decisions', () => {
  it('are found by the metadata document, with or without a proxy', async () => {
    const { body } = await open({ behindProxy: true }).ask('/.well-known/authzen-configuration', undefined, {
      'x-forwarded-proto': 'https',
    })
    expect(body).to.deep.equal({
      policy_decision_point: 'https://localhost',
      access_evaluation_endpoint: 'https://localhost/access/v1/evaluation',
      access_evaluations_endpoint: 'https://localhost/access/v1/evaluations',
      search_subject_endpoint: 'https://localhost/access/v1/search/subject',
      search_resource_endpoint: 'https://localhost/access/v1/search/resource',
      search_action_endpoint: 'https://localhost/access/v1/search/action',
    })
    const below = open({ base: '/decide', subjects: undefined as never })
    for (const path of ['/.well-known/authzen-configuration/decide', '/decide/.well-known/authzen-configuration'])
      expect((await below.ask(path)).body).to.not.have.property('search_subject_endpoint')
    expect((await below.ask(`/decide${EVALUATION}`, about('ines', 'read', 'plot', 'p-01'))).body.decision).to.equal(true)
    expect((await below.ask('/decide/access/v1/search/subject', {})).status).to.equal(404)
  })

  it('answer services that may ask, and nobody else', async () => {
    const { ask } = open()
    const question = about('ines', 'read', 'plot', 'p-01')
    for (const authorization of ['', 'Bearer wrong', SECRET.toLowerCase()])
      expect((await ask(EVALUATION, question, { authorization })).status).to.equal(401)
    const truthy = open({ caller: (() => 'yes') as never })
    expect((await truthy.ask(EVALUATION, question)).status, 'only true is yes').to.equal(401)
    const failing = open({
      caller: () => {
        throw new Error('the secret is lost')
      },
    })
    expect((await failing.ask(EVALUATION, question)).status).to.equal(500)
    expect(String(failing.failures)).to.equal('Error: the secret is lost')
    const odd = open({ subject: () => ({ id: 7 }) as never })
    const answer = await odd.ask(EVALUATION, question)
    expect([answer.status, JSON.stringify(answer.body).includes('7'), odd.failures.length]).to.deep.equal([500, false, 1])
  })

  it('say what is wrong with a request', async () => {
    const { ask } = open()
    const good = about('ines', 'read', 'plot', 'p-01')
    const wrong: readonly [path: string, body: unknown, status: number, detail: string, headers?: Record<string, string>][] = [
      [EVALUATION, '{', 400, 'not valid JSON'],
      [EVALUATION, [], 400, 'has to be a JSON object'],
      [EVALUATION, {}, 400, 'subject: an object is needed'],
      [EVALUATION, { ...good, subject: { type: 'member' } }, 400, 'subject.id: a text is needed'],
      [EVALUATION, { ...good, action: { name: 7 } }, 400, 'action.name: a text is needed'],
      [EVALUATION, { ...good, action: { name: 'raed' } }, 400, 'Did you mean "read"?'],
      [EVALUATION, { ...good, resource: { type: 'plto', id: 'p-01' } }, 400, 'Did you mean "plot"?'],
      [EVALUATION, { ...good, resource: { type: '__proto__', id: 'p-01' } }, 400, 'there is no record type'],
      [EVALUATION, { ...good, resource: { type: 'plot' } }, 400, 'resource.id: the key of the plot is needed'],
      [EVALUATION, { ...good, action: { name: 'read', properties: { changes: {} } } }, 400, 'only an update has changes'],
      [EVALUATION, about('ines', 'use', 'privilege', 'openLedger'), 400, 'there is no action "use"'],
      [EVALUATION, about('ines', 'have', 'privilege', 'openLegder'), 400, 'Did you mean "openLedger"?'],
      [EVALUATIONS, { evaluations: Array(101).fill(good) }, 400, 'at most 100'],
      [EVALUATIONS, { evaluations: [good], options: { evaluations_semantic: 'any' } }, 400, 'evaluations_semantic'],
      ['/access/v1/search/resource', { ...good, page: { token: 'forged' } }, 400, ''],
      ['/access/v1/search/resource', { ...good, page: { limit: 0 } }, 400, 'page.limit'],
      ['/access/v1/search/resource', { ...good, action: { name: 'create' } }, 400, 'cannot be searched'],
      [EVALUATION, `{"a":"${'x'.repeat(300_000)}"}`, 413, 'larger than'],
      [EVALUATION, good, 415, 'application/json', { 'content-type': 'text/plain' }],
      ['/access/v1/nothing', good, 404, 'nothing at this address'],
      ['/access/v1/constructor', good, 404, 'nothing at this address'],
    ]
    for (const [path, body, status, detail, headers] of wrong) {
      const answer = await ask(path, body, headers)
      const what = `${path} ${JSON.stringify(body).slice(0, 100)}: ${JSON.stringify(answer.body)}`
      expect([answer.status, String(answer.body.detail).includes(detail)], what).to.deep.equal([status, true])
    }
    const got = await ask(EVALUATION)
    expect([got.status, got.headers.get('allow')]).to.deep.equal([405, 'POST'])
    const named = await ask(EVALUATION, good, { 'x-request-id': 'r-7' })
    expect(named.headers.get('x-request-id')).to.equal('r-7')
    expect(() => open({ caller: undefined as never })).to.throw('caller: a function is needed')
  })
})
