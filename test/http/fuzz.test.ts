import { expect } from 'chai'
import fc from 'fast-check'
import { fromSession, routes } from 'pachter/http'
import { inMemory, openStore } from 'pachter/store'
import { book } from '../../examples/world/rulebook.js'
import { tries } from '../support/tries.js'
import { ground, options, records, types } from '../support/world.js'

const RUNS = Number(process.env.PACHTER_TEST_REQUESTS) || tries(100, 1500)

const names = Object.keys(ground.people)
const everyField = [...new Set(types.flatMap((type) => Object.keys(book.model.types[type]?.fields ?? {})))]
const everyKey = types.flatMap((type) => (records[type] ?? []).map(({ id }) => id))
const values = [...new Set(types.flatMap((type) => (records[type] ?? []).flatMap((row) => Object.values(row))))].filter(
  (one) => typeof one !== 'object',
)

const step = fc.oneof(
  { weight: 6, arbitrary: fc.constantFrom<string>(...types, ...everyKey, 'shares', 'entry', 'plot', 'holder', 'confirm', 'entries') },
  { weight: 1, arbitrary: fc.string({ maxLength: 12 }) },
)
const value = fc.oneof(
  { weight: 4, arbitrary: fc.constantFrom<unknown>(...values) },
  { weight: 2, arbitrary: fc.jsonValue({ maxDepth: 2 }) },
  { weight: 1, arbitrary: fc.constantFrom('\u0000', '\ud800', '9'.repeat(400), '', '-', '2026-13-45', '1e999', '__proto__') },
)
const parameter = fc.tuple(
  fc.oneof(
    fc.constantFrom(
      'sort',
      'size',
      'after',
      'fields',
      'include',
      'may',
      'count',
      'partial',
      'all',
      'standing',
      'withoutStanding',
      'standings',
    ),
    fc
      .tuple(
        fc.constantFrom(...everyField),
        fc.constantFrom('', '.is', '.has', '.isOneOf', '.isAtLeast', '.startsWith', '.contains', '.isMissing', '.town'),
      )
      .map(([field, by]) => `where.${field}${by}`),
    fc.string({ maxLength: 6 }),
  ),
  fc.oneof(
    fc.constantFrom(...everyField, 'true', '-number', '3', 'shares', 'update', 'holder', 'holder,helper', 'warden'),
    value.map(String),
  ),
)
const rows = types.flatMap((type) => (records[type] ?? []).map((row) => ({ type, row })))
const STAMPED = ['id', 'authorId', 'writtenAt', 'editedAt', 'grantedById', 'inspectorId', 'approved']
/** A record like one that is there, sent as a new one. */
const copy = fc.record({ person: fc.constantFrom(...names), one: fc.constantFrom(...rows) }).map(({ person, one: { type, row } }) => ({
  person,
  method: 'POST',
  path: [type as string],
  query: [],
  body: JSON.stringify(Object.fromEntries(Object.entries(row).filter(([name, held]) => !STAMPED.includes(name) && held !== null))),
  match: undefined,
  accept: undefined,
}))
const body = fc.oneof(
  { weight: 6, arbitrary: fc.dictionary(fc.constantFrom(...everyField), value, { maxKeys: 4 }).map((one) => JSON.stringify(one)) },
  { weight: 1, arbitrary: fc.jsonValue().map((one) => JSON.stringify(one)) },
  { weight: 1, arbitrary: fc.string() },
)
const anything = fc.record({
  person: fc.constantFrom(...names),
  method: fc.constantFrom('GET', 'GET', 'POST', 'PATCH', 'DELETE', 'PUT', 'HEAD', 'OPTIONS'),
  path: fc.array(step, { maxLength: 5 }),
  query: fc.array(parameter, { maxLength: 3 }),
  body,
  match: fc.option(fc.constantFrom('*', '"x"', 'W/"x"', ','), { nil: undefined }),
  accept: fc.option(fc.constantFrom('text/html', 'text/html;q=0', 'application/json', 'a/b;c'), { nil: undefined }),
})

/** A list or a record that there is, asked for as it should be. */
const plainly = fc
  .record({
    person: fc.constantFrom(...names),
    one: fc.constantFrom(...rows),
    isList: fc.boolean(),
    method: fc.constantFrom('GET', 'HEAD'),
  })
  .map(({ person, one: { type, row }, isList, method }) => ({
    person,
    method,
    path: isList ? [type as string] : [type, row.id],
    query: [],
    body: '',
    match: undefined,
    accept: undefined,
  }))

const request = fc.oneof({ weight: 8, arbitrary: anything }, { weight: 1, arbitrary: copy }, { weight: 1, arbitrary: plainly })

/** A request that is answered so, for each answer that there is to random ones. */
const asked = (person: string, method: string, path: string[], text = '', query: [string, string][] = []) =>
  ({ person, method, path, query, body: text, match: undefined, accept: undefined }) as never
const entry = JSON.stringify({ plotId: 'p-01', audience: 'plot', text: 'Sown.' })
const EACH_STATUS: readonly (readonly [status: number, asked: never])[] = [
  [200, asked('ines', 'GET', ['plot'])],
  [201, asked('ines', 'POST', ['entry'], entry)],
  [400, asked('ines', 'GET', ['plot'], '', [['after', 'abc']])],
  [401, asked('visitor', 'DELETE', ['plot', 'p-01'])],
  [403, asked('ines', 'DELETE', ['plot', 'p-01'])],
  [404, asked('ines', 'GET', ['plot', 'p-99'])],
  [405, asked('ines', 'PUT', ['plot'])],
  [422, asked('ines', 'PATCH', ['plot', 'p-01'], '{"nothing":1}')],
]

describe('routes under random requests', () => {
  it(`answer all ${RUNS}: nothing fails, nothing is shown that one may not see, nothing is done that one may not`, async () => {
    const failures: unknown[] = []
    const statuses = new Map<number, number>()
    const law = fc.asyncProperty(request, async ({ person, method, path, query, body: text, match, accept }) => {
      const store = openStore(book, inMemory(records), { now: options.now, cursorSecret: 'test' })
      const handle = routes(book, store, {
        identity: fromSession(() => ground.people[person] as { id: string } | null, { automatic: false }),
        standings: { plot: ['holder', 'helper'] },
        signIn: '/sign-in',
        onFailure: (error) => failures.push(error),
      })
      const address = `https://localhost/${path.map((one) => encodeURIComponent(/\p{Cs}/u.test(one) ? 'x' : one)).join('/')}?${new URLSearchParams(query)}`
      const headers = {
        'content-type': 'application/json',
        ...(match === undefined ? {} : { 'if-match': match }),
        ...(accept === undefined ? {} : { accept }),
      }
      const sent = ['POST', 'PATCH', 'PUT', 'DELETE'].includes(method) ? { body: text } : {}
      const response = await handle(new Request(address, { method, headers, ...sent }))
      const said = await response.text()
      statuses.set(response.status, (statuses.get(response.status) ?? 0) + 1)
      expect(response.status, `${method} ${address}: ${JSON.stringify(failures)}`).to.be.lessThan(500)
      const view = ground.viewpoint(person)
      const system = store.asSystem('compare')
      for (const type of types) {
        const rows = new Map((records[type] ?? []).map((row) => [row.id, row]))
        const after = (await system.list(type)) as { id: string }[]
        for (const row of after) {
          const was = rows.get(row.id)
          rows.delete(row.id)
          if (JSON.stringify(was) === JSON.stringify(row) || was === undefined) continue
          expect(view.verdict('update', type, was as never, row as never), `${person} ${method} ${address}`).to.have.property(
            'allowed',
            true,
          )
        }
        for (const gone of rows.values()) {
          const along = type !== path[0]
          expect(along || view.verdict('delete', type, gone as never).allowed, `${person} ${method} ${address}`).to.equal(true)
        }
      }
      if (method === 'GET' || method === 'HEAD') expect(JSON.stringify(await system.list('plot'))).to.equal(untouched)
      // What is said names no hidden field of any record: those of the warden's notes are told by their text.
      const secrets = ['Fence to mend.', 'Waiting list knows.']
      const sees = (records.plot ?? []).some((plot) => {
        const verdict = view.verdict('read', 'plot', plot as never)
        return verdict.allowed && (verdict.fields?.includes('wardenNotes') ?? true)
      })
      for (const secret of secrets) if (!sees && !text.includes(secret)) expect(said.includes(secret)).to.equal(false)
    })
    const untouched = JSON.stringify(await openStore(book, inMemory(records)).asSystem('compare').list('plot'))
    await fc.assert(law, { numRuns: RUNS, examples: EACH_STATUS.map(([, asked]) => [asked]) })
    for (const [status] of EACH_STATUS) expect(statuses.get(status), `${status} was met`).to.be.greaterThan(0)
    expect(failures).to.deep.equal([])
  })
})
