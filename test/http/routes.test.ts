import { expect } from 'chai'
import { fromSession, routes } from 'pachter/http'
import { type AccessMatrix, accessMatrix } from 'pachter/review'
import { book } from '../../examples/world/rulebook.js'
import { PATHS, pathOf, serve } from '../support/serve-world.js'
import { ground, options, records, types } from '../support/world.js'

describe('routes', () => {
  let closing: (() => unknown) | undefined
  after(() => closing?.())

  it('give each person what the access matrix says, for every record of the demo world', async () => {
    const here = serve()
    const network = serve()
    closing = await network.listen()
    let asked = 0
    const askAll = async (matrix: AccessMatrix, type: string, person: string, whose: number) => {
      // One type by a server over the network, which takes three times as long.
      const { ask } = type === 'plot' ? network : here
      const who = person === 'visitor' ? undefined : person
      const list = await ask(who, 'GET', `/api/${pathOf(type)}?size=100&count=true`)
      const reached = matrix.reached(person, 'read')
      if (list.status === 200) {
        expect(list.body.records.map(({ id }: { id: string }) => id)).to.have.members(reached)
        expect(list.body.count).to.equal(reached.length)
      } else expect([list.status, reached]).to.deep.equal([401, []])
      for (const [at, key] of matrix.keys.entries()) {
        const { status, body } = await ask(who, 'GET', `/api/${pathOf(type)}/${key}`)
        const sees = matrix.allows(person, key, 'read')
        const never = person === 'visitor' && ground.viewpoint(person).may('read', type as never) === 'never'
        expect(status, `${person} ${type} ${key}`).to.equal(sees ? 200 : never ? 401 : 404)
        const fields = matrix.access(person, key).find(({ action }) => action === 'read')?.fields
        if (sees && fields)
          expect(Object.keys(body)).to.satisfy((all: string[]) => all.every((name) => name === 'id' || fields.includes(name)))
        asked++
        if ((at + whose) % 2 === 0 && !matrix.allows(person, key, 'delete')) {
          // Of every other, what may not be removed is refused, and stays; nothing of it is said to who may not see it.
          const removed = await ask(who, 'DELETE', `/api/${pathOf(type)}/${key}`)
          expect(removed.status).to.be.oneOf(sees ? [403, 401] : [404, 401])
        }
        // Of every third record the rest as well.
        if ((at + whose) % 3 > 0) continue
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
    // All people at once, as they would.
    for (const type of types) {
      const matrix = accessMatrix(book, type, { ...options, people: ground.people })
      await Promise.all(matrix.people.map((person, whose) => askAll(matrix, type, person, whose)))
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
    ['or as far as it goes', 'bram', 'PATCH', '/api/job?all=true&partial=true', { state: 'done' }, 200, { done: ['j-02', 'j-05'] }],
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
    ['a filter by no field', 'ines', 'GET', '/api/plots?where.stat=let', undefined, 400, { code: 'UNKNOWN_NAME' }],
    ['a filter by a comparison that there is not', 'ines', 'GET', '/api/plots?where.number.isAbout=3', undefined, 400, {}],
    [
      'a filter by true or false',
      'kofi',
      'GET',
      '/api/member?where.banned=true&fields=name',
      undefined,
      200,
      { records: [{ id: 'm-10', name: 'Hugo Stahl' }] },
    ],
    ['a filter by neither', 'kofi', 'GET', '/api/member?where.banned=yes', undefined, 400, { code: 'BAD_TEXT' }],
    ['a filter by no number', 'ines', 'GET', '/api/plots?where.number=x', undefined, 400, { code: 'BAD_TEXT' }],
    ['an unknown parameter', 'ines', 'GET', '/api/plots?limit=3', undefined, 400, {}],
    ['a page beyond measure', 'ines', 'GET', '/api/plots?size=100000', undefined, 400, {}],
    ['a cursor of nobody', 'ines', 'GET', '/api/plots?after=abc', undefined, 400, { code: 'BAD_CURSOR' }],
    ['an unknown method', 'ines', 'PUT', '/api/plots/p-01', {}, 405, {}],
    ['an unknown type', 'ines', 'GET', '/api/ploz', undefined, 404, {}],
    ['an unknown link', 'ines', 'GET', '/api/plots/p-01/nothing', undefined, 404, {}],
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
})
