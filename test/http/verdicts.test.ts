import { expect } from 'chai'
import { rulesClient } from 'pachter/client'
import { fromSession, routes } from 'pachter/http'
import { inMemory, openStore } from 'pachter/store'
import { book } from '../../examples/world/rulebook.js'
import { ground, options, records, types } from '../support/world.js'

const store = openStore(book, inMemory(records), { now: options.now })
const served = (types as readonly string[]).filter((type) => type !== 'team') as (typeof types)[number][]
const handle = routes(book, store, {
  identity: fromSession((request) => ground.people[request.headers.get('x-person') ?? 'visitor'] as { id: string; email: string } | null, {
    automatic: false,
  }),
  base: '/api',
  types: served,
})
const ask = async (person: string, questions: unknown, more: object = {}) => {
  const headers = { 'content-type': 'application/json', 'x-person': person }
  const body = JSON.stringify({ questions, ...more })
  const response = await handle(new Request('http://localhost/api/my-rules/verdicts', { method: 'POST', headers, body }))
  return { status: response.status, body: (await response.json()) as { verdicts: any[]; detail: string } }
}
const entry = { plotId: 'p-01', audience: 'plot', text: 'Sown.' }

describe('verdicts that a page asks for', () => {
  it('are those of the store, for every person, record and action', async () => {
    for (const person of Object.keys(ground.people))
      for (const type of served) {
        const mine = store.for(ground.people[person] as never)
        const actions = (book.model.types[type]?.actions ?? []).filter((action) => action !== 'create')
        const about = (records[type] ?? []).slice(0, 8).flatMap(({ id }) => actions.map((action) => ({ action, type, key: id as string })))
        const { body } = await ask(person, about)
        for (const [at, { action, key }] of about.entries()) {
          const { allowed, outcome, fields, message } = await mine.verdict(action as 'read', type as 'plot', key)
          const told = { allowed, outcome, ...(fields ? { fields } : {}), ...(message ? { message } : {}) }
          expect(body.verdicts[at], `${person} ${action} ${type} ${key}`).to.deep.equal(told)
        }
      }
  })

  const creations: readonly [person: string, type: string, record: object, outcome: string][] = [
    ['ines', 'entry', entry, 'allowed'],
    ['bram', 'entry', entry, 'allowed'],
    ['odile', 'entry', entry, 'refused'],
    ['visitor', 'entry', entry, 'sign in'],
    ['ines', 'entry', { ...entry, audience: 'moon' }, 'invalid'],
    ['ines', 'entry', { ...entry, authorId: 'm-02' }, 'refused'],
    ['ines', 'share', { plotId: 'p-01', memberId: 'm-02', level: 'look' }, 'allowed'],
    ['ines', 'share', { plotId: 'p-02', memberId: 'm-02', level: 'look' }, 'refused'],
    ['ines', 'share', { plotId: 'p-01', memberId: 'm-06', level: 'look' }, 'invalid'],
    ['tomasz', 'notice', { title: 'Hoses', text: 'Roll them up.', state: 'draft' }, 'allowed'],
    ['ines', 'notice', { title: 'Hoses', text: 'Roll them up.', state: 'draft' }, 'refused'],
  ]
  for (const [person, type, record, outcome] of creations)
    it(`${person} creates ${type} ${Object.values(record).join(', ')}: ${outcome}`, async () => {
      const before = JSON.stringify(await store.asSystem('compare').list(type as 'entry'))
      const { body } = await ask(person, [{ action: 'create', type, record }])
      expect(body.verdicts[0].outcome).to.equal(outcome)
      expect(JSON.stringify(await store.asSystem('compare').list(type as 'entry'))).to.equal(before)
    })

  it('tell which fields may be sent, and of a change whether it would pass', async () => {
    const questions = [
      { action: 'create', type: 'notice', record: { title: 'Hoses', text: '', state: 'draft' } },
      { action: 'update', type: 'plot', key: 'p-01', changes: { planting: 'leeks' } },
      { action: 'update', type: 'plot', key: 'p-01', changes: { rentDue: 1 } },
    ]
    expect((await ask('tomasz', questions.slice(0, 1))).body.verdicts[0].fields).to.deep.equal(['state', 'title', 'text'])
    const { body } = await ask('ines', questions.slice(1))
    expect(body.verdicts.map(({ outcome }) => outcome)).to.deep.equal(['allowed', 'refused'])
    expect(body.verdicts[1].message).to.equal('You may not change rentDue.')
  })

  it('know what is hidden as little as what never was, and name no clause', async () => {
    const of = async (key: string) => (await ask('ines', [{ action: 'update', type: 'plot', key, changes: { planting: '' } }])).body
    expect(await of('p-02')).to.deep.equal(await of('p-77'))
    expect(JSON.stringify(await of('p-01'))).not.to.match(/clause|holder/)
  })

  it('come with a list, with the message of the veto that refuses', async () => {
    const response = await handle(new Request('http://localhost/api/plot?may=update', { headers: { 'x-person': 'bram' } }))
    const { records: listed } = (await response.json()) as { records: { record: { id: string }; may: { update: object } }[] }
    const of = (key: string) => listed.find(({ record }) => record.id === key)?.may.update
    expect(of('p-03')).to.deep.equal({ allowed: false, message: 'This lease is ending: ask the warden.' })
    expect(of('p-10')).to.deep.equal({ allowed: false })
  })

  const wrong: readonly [what: string, questions: unknown, says: RegExp, more?: object][] = [
    ['no list', 'plot', /questions/],
    ['an unknown action', [{ action: 'udpate', type: 'plot', key: 'p-01' }], /update/],
    ['an unknown type', [{ action: 'update', type: 'plots', key: 'p-01' }], /questions\[0\].*plot/],
    ['a type that is not served', [{ action: 'update', type: 'team', key: 'w-01' }], /team/],
    ['no key', [{ action: 'update', type: 'plot' }], /key/],
    ['a key for a creation', [{ action: 'create', type: 'plot', key: 'p-01' }], /record/],
    ['changes for a deletion', [{ action: 'delete', type: 'plot', key: 'p-01', changes: {} }], /changes/],
    ['too many', Array(101).fill({ action: 'read', type: 'plot', key: 'p-01' }), /100/],
    ['something else', [], /questions/, { question: 1 }],
    ['a field of no question', [{ action: 'read', type: 'plot', id: 'p-01' }], /key|field/],
  ]
  for (const [what, questions, says, more] of wrong)
    it(`are not given to ${what}`, async () => {
      const { status, body } = await ask('ines', questions, more)
      expect([status, body.detail]).to.satisfy(([code, text]: [number, string]) => code === 400 && says.test(text))
    })

  it('answer in the page what it cannot know itself, all questions of a moment at once', async () => {
    const asked: string[] = []
    const fetching: typeof fetch = async (address, init) => {
      asked.push(String(address))
      return handle(new Request(address, init))
    }
    const rules = rulesClient({ url: 'http://localhost/api/my-rules', headers: () => ({ 'x-person': 'bram' }), fetch: fetching })
    expect((await rules.serverVerdict('create', 'entry', entry)).allowed, 'before there are rules').to.equal(false)
    await rules.refresh()
    const both = await Promise.all([
      rules.serverVerdict('create', 'entry', entry),
      rules.serverVerdict('create', 'entry', { ...entry, plotId: 'p-10' }),
      rules.serverVerdict('create', 'plot', {}),
    ])
    expect(both.map(({ outcome }) => outcome)).to.deep.equal(['allowed', 'refused', 'refused'])
    expect(asked.filter((address) => address.endsWith('/verdicts'))).to.have.length(1)
  })

  it('allow nothing where the server cannot be asked', async () => {
    let gone = false
    const fetching: typeof fetch = (address, init) => (gone ? Promise.reject(new Error('gone')) : handle(new Request(address, init)))
    const rules = rulesClient({ url: 'http://localhost/api/my-rules', headers: () => ({ 'x-person': 'bram' }), fetch: fetching })
    await rules.refresh()
    gone = true
    expect(await rules.serverVerdict('create', 'entry', entry)).to.include({ allowed: false, outcome: 'ask the server' })
  })
})
