import { expect } from 'chai'
import fc from 'fast-check'
import { checkRoute, pageView } from 'pachter/client'
import { fromSession, routes } from 'pachter/http'
import { inMemory, openStore } from 'pachter/store'
import { book } from '../../examples/world/rulebook.js'
import { keyed, NOW } from '../support/agreement.js'
import { record } from '../support/conditions.js'
import { FIELDS, people as randomPeople, rulebook } from '../support/rulebooks.js'
import { tries } from '../support/tries.js'
import { ground, options, records, types } from '../support/world.js'

const store = openStore(book, inMemory(records), { now: options.now })
const handle = routes(book, store, {
  identity: fromSession((request) => ground.people[request.headers.get('x-person') ?? 'visitor'] as { id: string; email: string } | null),
  signIn: '/sign-in',
})

async function rulesOf(person: string) {
  const response = await handle(new Request('http://localhost/my-rules', { headers: { 'x-person': person } }))
  expect(response.status, person).to.equal(200)
  const text = await response.text()
  return { text, rules: JSON.parse(text), tag: response.headers.get('etag') as string }
}
const now = options.now
const people = Object.keys(ground.people)
const anybody = store.for(null) as unknown as {
  list(type: string): Promise<unknown[]>
  verdict(action: string, type: string, key: string): Promise<{ allowed: boolean; fields?: readonly string[] }>
}
const fresh = { whole: true, now }

describe("one person's rules in a page", () => {
  it('say of every visible record what the server says, or to ask it', async () => {
    const count = { same: 0, asked: 0 }
    for (const person of people) {
      const view = pageView((await rulesOf(person)).rules)
      const mine = store.for(ground.people[person] as never)
      const theirs = (await mine.viewpoint()) as any
      for (const type of types)
        for (const record of (await mine.list(type)) as unknown as { id: string }[])
          for (const action of book.model.types[type]?.actions.filter((name) => name !== 'create') ?? []) {
            // Through JSON, as the page has it.
            const here = view.verdict(action, type, JSON.parse(JSON.stringify(record)), fresh)
            const there = await mine.verdict(action as 'read', type, record.id)
            // What a deletion takes along is the server's business.
            const stored = records[type]?.find(({ id }) => id === record.id) as never
            const judged = action === 'delete' ? ground.viewpoint(person).verdict('delete', type as never, stored) : there
            if (here.outcome === 'ask the server') count.asked++
            else {
              count.same++
              expect([here.outcome, here.fields], `${person} ${action} ${type} ${record.id}`).to.deep.equal([judged.outcome, judged.fields])
              // Of what they may never do, it does not know a veto's words.
              if (!here.allowed && view.may(action, type) !== 'never') expect(here.message).to.equal(judged.message)
            }
          }
      expect(view.has('openLedger')).to.equal(theirs.has('openLedger'))
    }
    expect(count.same).to.be.greaterThan(count.asked * 2)
  })

  it('never allow what the server refuses, nor refuse what it allows, whatever is known', async () => {
    const views = await Promise.all(people.map(async (person) => [person, pageView((await rulesOf(person)).rules)] as const))
    const all = types.flatMap((type) => (records[type] ?? []).map((record) => [type, record] as const))
    const law = fc.asyncProperty(
      fc.constantFrom(...views),
      fc.constantFrom(...all),
      fc.constantFrom('read', 'update', 'delete'),
      fc.array(fc.nat()),
      fc.option(fc.tuple(fc.nat(), fc.nat()), { nil: undefined }),
      fc.subarray([...types]),
      async ([person, view], [type, record], action, dropped, change, linkedTypes) => {
        const mine = store.for(ground.people[person] as never)
        const seen = (await mine.get(type, record.id).catch(() => undefined)) as Record<string, unknown> | undefined
        if (seen === undefined) return
        const names = Object.keys(seen).filter((name) => name !== 'id')
        // Some of the fields alone; some linked records.
        const without = new Set(dropped.map((at) => names[at % Math.max(1, names.length)]))
        const known = Object.fromEntries(Object.entries(seen).filter(([name]) => !without.has(name)))
        const other = records[type]?.[(change?.[0] ?? 0) % (records[type]?.length ?? 1)] as Record<string, unknown>
        const fields = Object.keys(other).filter((name) => name !== 'id')
        const name = fields[(change?.[1] ?? 0) % fields.length] as string
        const changes = action === 'update' && change !== undefined ? { [name]: other[name] } : undefined
        const linked = Object.fromEntries(
          await Promise.all(linkedTypes.map(async (one) => [one, JSON.parse(JSON.stringify(await mine.list(one)))] as const)),
        )
        const plain = JSON.parse(JSON.stringify({ known, changes: changes ?? null }))
        const here = view.verdict(action, type, plain.known, {
          now,
          linked,
          whole: without.size === 0,
          ...(changes === undefined ? {} : { changes: plain.changes }),
        })
        if (here.outcome === 'ask the server') return
        const there = ground
          .viewpoint(person)
          .verdict(action as 'read', type as never, record as never, (changes && { ...record, ...changes }) as never)
        expect(here.allowed, `${person} ${action} ${type} ${record.id} ${JSON.stringify(changes)}`).to.equal(there.allowed)
      },
    )
    await fc.assert(law, { numRuns: tries(40, 250) })
  })

  it('judge a record to be created as the server does', async () => {
    const cases: readonly [person: string, type: string, record: object, outcome: string][] = [
      ['ines', 'share', { plotId: 'p-01', memberId: 'm-02', level: 'look' }, 'ask the server'],
      ['visitor', 'share', { plotId: 'p-01' }, 'sign in'],
      ['hugo', 'share', { plotId: 'p-01' }, 'refused'],
      ['bram', 'notice', { title: 'Leeks', text: 'Swap?', state: 'published' }, 'refused'],
      ['bram', 'notice', { title: 'Leeks', text: 'Swap?' }, 'allowed'],
      ['ines', 'notice', { title: 'Leeks', text: 'Swap?' }, 'refused'],
      ['tomasz', 'plot', { number: 20, siteId: 's-01' }, 'allowed'],
      ['tomasz', 'plot', { number: 20, siteId: 's-02' }, 'refused'],
      ['ines', 'plot', { number: 20, siteId: 's-01' }, 'refused'],
    ]
    for (const [person, type, record, outcome] of cases) {
      const { rules } = await rulesOf(person)
      expect(pageView(rules).verdict('create', type, record, { now }).outcome, `${person} ${type} ${JSON.stringify(record)}`).to.equal(
        outcome,
      )
    }
  })

  it('hold nothing of the rulebook but what is left for the person, and no hidden field', async () => {
    // What the refused are told may name who could.
    const text = JSON.stringify((await rulesOf('ines')).rules, (name, value) => (name === 'message' ? undefined : value))
    for (const hidden of ['"warden"', 'treasurer', 'secretary', 'wardenNotes', 'openLedger', 'm-02', 'guest'])
      expect(text, hidden).not.to.include(hidden)
    const visitor = (await rulesOf('visitor')).text
    expect(visitor.length).to.be.lessThan(text.length)
    for (const hidden of ['holderId', 'planting']) expect(visitor, hidden).not.to.include(hidden)
  })

  it('are not sent again while they stay the same', async () => {
    const { tag } = await rulesOf('ines')
    const again = await handle(new Request('http://localhost/my-rules', { headers: { 'x-person': 'ines', 'if-none-match': tag } }))
    expect(again.status).to.equal(304)
  })

  it('guard routes', async () => {
    const [visitor, ines, farah] = await Promise.all(
      ['visitor', 'ines', 'farah'].map(async (person) => pageView((await rulesOf(person)).rules)),
    )
    const plot = { id: 'p-01', holderId: 'm-01', state: 'let' }
    const to = (view: typeof ines, needs: object, here = '/plots/p-01') => {
      const access = checkRoute(view as never, needs, here)
      return access.allowed ? 'pass' : `${access.outcome} ${access.redirectTo ?? ''}`.trim()
    }
    expect(to(visitor, { signedIn: true })).to.equal('sign in /sign-in?back=%2Fplots%2Fp-01')
    for (const elsewhere of [
      '//elsewhere.example',
      '/\\elsewhere.example',
      '/\t/elsewhere.example',
      '/\n/elsewhere.example',
      'https://elsewhere.example',
    ])
      expect(to(visitor, { signedIn: true }, elsewhere), elsewhere).to.equal('sign in /sign-in')
    expect(to(visitor, { action: 'update', type: 'plot' })).to.equal('sign in /sign-in?back=%2Fplots%2Fp-01')
    expect(to(visitor, { action: 'read', type: 'plot' })).to.equal('pass')
    expect(to(ines, { privilege: 'openLedger', otherwise: '/' })).to.equal('refused /')
    expect(to(farah, { privilege: 'openLedger' })).to.equal('pass')
    expect(to(ines, { action: 'update', type: 'plot', record: plot, options: { now } })).to.equal('pass')
    expect(to(ines, { action: 'create', type: 'invoice' })).to.equal('refused')
    expect(to(ines, { action: 'update', type: 'plot', record: { id: 'p-01' } })).to.equal('ask the server')
  })

  it('never contradict the server, whatever the rules are', async () => {
    const count = { certain: 0, asked: 0 }
    const law = fc.asyncProperty(
      rulebook,
      randomPeople,
      fc.array(record, { minLength: 1, maxLength: 6 }),
      fc.subarray(FIELDS),
      async (model, given, unkeyed, dropped) => {
        const rows = keyed(unkeyed)
        const whose = openStore(model as never, inMemory({ thing: rows }), { now: new Date(NOW) })
        for (const me of Object.values(given)) {
          const claims = JSON.parse(JSON.stringify(me))
          const mine = whose.for(claims as never) as unknown as typeof anybody
          const serve = routes(model as never, whose, { identity: fromSession(() => claims as never) })
          const view = pageView(await (await serve(new Request('http://localhost/my-rules'))).json())
          const seen = JSON.parse(JSON.stringify(await mine.list('thing')))
          for (const one of seen as { id: string }[]) {
            const part = Object.fromEntries(Object.entries(one).filter(([name]) => !dropped.includes(name)))
            const whole = dropped.length === 0
            for (const action of ['read', 'update', 'delete'] as const) {
              const here = view.verdict(action, 'thing', part, { now: new Date(NOW), whole, linked: { thing: seen } })
              const there = await mine.verdict(action, 'thing', one.id)
              if (here.outcome === 'ask the server') count.asked++
              else {
                count.certain++
                expect(here.allowed, `${action} ${JSON.stringify(part)}`).to.equal(there.allowed)
                if (here.allowed) for (const field of here.fields ?? []) expect(there.fields ?? FIELDS).to.include(field)
              }
            }
          }
        }
      },
    )
    await fc.assert(law, { numRuns: tries(20, 120) })
    expect(count.certain).to.be.greaterThan(0)
  })
})
