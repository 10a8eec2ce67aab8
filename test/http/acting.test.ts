// One person acts as another: supporters in production.
import { expect } from 'chai'
import { rulebook } from 'pachter'
import { fromSession, guard, type ImpersonationOptions, impersonation, routes, SetupError } from 'pachter/http'
import { inMemory, openStore } from 'pachter/store'
import { z } from 'zod'
import { book, type Me, names, open, PEOPLE, practice, type Sent, signIn } from '../support/practice.js'

describe('acting as another person', () => {
  it('shows what that person sees, with both people in the verdict log and in the own rules', async () => {
    const { ask, log, limited } = practice()
    expect(names(await ask('/animal', 'desk'))).to.deep.equal([])
    log.length = 0
    expect(names(await ask('/animal', 'desk', { as: 'mara' }))).to.deep.equal(['a1', 'a3'])
    expect((await ask('/animal/a2', 'desk', { as: 'mara' })).status).to.equal(404)
    expect(log.map(({ who, actor, action, outcome }) => [who, actor, action, outcome])).to.deep.equal([
      ['mara', 'desk', 'read', 'allowed'],
      ['mara', 'desk', 'read', 'not found'],
    ])
    expect(limited).to.deep.equal([PEOPLE.desk, PEOPLE.desk, PEOPLE.desk])
    const { body } = await ask('/my-rules', 'desk', { as: 'mara' })
    expect([body.me, body.act]).to.deep.equal(['mara', { sub: 'desk', readOnly: true }])
    expect((await ask('/my-rules', 'mara')).body).not.to.have.property('act')
    expect((await ask('/my-rules', 'chief', { as: 'mara' })).body.act).to.deep.equal({ sub: 'chief', readOnly: false })
  })

  it('takes the person from the header or the cookie, and nobody for oneself', async () => {
    const { ask, asked } = practice()
    const cookie = (value: string, name = 'act-as') => ({ headers: { cookie: `a=1; ${name}=${value}` } })
    // Other hosts of the same site could set a cookie without the prefix.
    const deployed = { host: 'practice.example', headers: { 'x-forwarded-proto': 'https' } }
    expect(names(await ask('/animal', 'desk', cookie('mara')))).to.deep.equal(['a1', 'a3'])
    expect(names(await ask('/animal', 'desk', { as: 'jon', ...cookie('mara') }))).to.deep.equal(['a2'])
    for (const [name, seen] of [
      ['act-as', []],
      ['__Host-act-as', ['a1', 'a3']],
    ] as const)
      expect(
        names(await ask('/animal', 'desk', { ...deployed, headers: { ...deployed.headers, ...cookie('mara', name).headers } })),
      ).to.deep.equal(seen)
    asked.length = 0
    expect((await ask('/my-rules', 'desk', { as: 'desk' })).body).not.to.have.property('act')
    expect((await ask('/my-rules', 'desk', cookie(''))).body).not.to.have.property('act')
    expect(asked).to.deep.equal([])
    expect((await ask('/animal', 'desk', { headers: { 'act-as': '%' } })).status).to.equal(400)
  })

  const WRITES: readonly [what: string, path: string, sent: Sent][] = [
    ['an update', '/animal/a1', { method: 'PATCH', body: { name: 'Bello' } }],
    ['a deletion', '/animal/a1', { method: 'DELETE' }],
    ['a creation', '/animal', { method: 'POST', body: { ownerId: 'mara', name: 'Bello' } }],
    ['an update of several', '/animal?where.name=Rex%20a1', { method: 'PATCH', body: { name: 'Bello' } }],
    ['a named action, whose handler is trusted code', '/animal/a1/release', { method: 'POST' }],
  ]
  for (const [what, path, sent] of WRITES)
    it(`refuses ${what} to those who may only look, and logs it`, async () => {
      const { ask, store, log } = practice()
      const before = await store.asSystem('compare').list('animal')
      const { status, body } = await ask(path, 'desk', { ...sent, as: 'mara' })
      expect([status, body.detail]).to.deep.equal([403, 'You act as another person, and may only read. Nothing was changed.'])
      expect(await store.asSystem('compare').list('animal')).to.deep.equal(before)
      expect(log.filter(({ outcome }) => outcome === 'refused').map(({ who, actor }) => [who, actor])).to.deep.equal([['mara', 'desk']])
    })

  it('answers questions as that person, so that the page looks the same', async () => {
    const { ask } = practice()
    const questions = [
      { action: 'update', type: 'animal', key: 'a1' },
      { action: 'delete', type: 'animal', key: 'a2' },
    ]
    const { body } = await ask('/my-rules/verdicts', 'desk', { as: 'mara', method: 'POST', body: { questions } })
    expect(body.verdicts.map(({ outcome }: { outcome: string }) => outcome)).to.deep.equal(['allowed', 'not found'])
  })

  it('lets people with the other privilege change data, as that person and no further', async () => {
    const { ask, log } = practice()
    const sent = { as: 'mara', method: 'PATCH', body: { name: 'Bello' } }
    expect((await ask('/animal/a1', 'chief', sent)).status).to.equal(200)
    expect((await ask('/animal/a2', 'chief', sent)).status).to.equal(404)
    expect(log.map(({ who, actor, key, outcome }) => [who, actor, key, outcome])).to.deep.equal([
      ['mara', 'chief', 'a1', 'allowed'],
      ['mara', 'chief', 'a2', 'not found'],
    ])
  })

  const REFUSED: readonly [what: string, session: string | undefined, as: string, status: number, detail: string, isAsked: boolean][] = [
    ['without the privilege', 'jon', 'mara', 403, 'You may not act as another person.', false],
    ['without the privilege, as somebody who does not exist', 'jon', 'nobody', 403, 'You may not act as another person.', false],
    ['with it, as a person who is excluded', 'desk', 'vet', 403, 'You may not act as this person.', true],
    ['with it, as a person who has it too', 'desk', 'desk 2', 403, 'You may not act as this person.', true],
    ['with it, as the one who may change data', 'desk', 'chief', 403, 'You may not act as this person.', true],
    ['with it, as somebody who does not exist', 'desk', 'nobody', 403, 'You may not act as this person.', true],
    ['to visitors', undefined, 'mara', 401, 'These credentials are not valid here.', false],
  ]
  for (const [what, session, as, status, detail, isAsked] of REFUSED)
    it(`is refused ${what}`, async () => {
      const { ask, asked, log } = practice()
      const answer = await ask('/animal', session, { as })
      expect([answer.status, answer.body.detail]).to.deep.equal([status, detail])
      expect(asked).to.deep.equal(isAsked ? [as] : [])
      const told = session === undefined ? [] : [[session, 'act as', as, 'refused']]
      expect(log.map(({ who, action, key, outcome }) => [who, action, key, outcome])).to.deep.equal(told)
    })

  it('guards handlers of the application: no changing method for those who may only look', async () => {
    const { store, identity } = practice()
    const guarded = guard(store, { identity })
    const send = (method: string, session: string) =>
      guarded(
        new Request('http://localhost/x', { method, headers: { 'x-session': session, 'act-as': 'mara', 'sec-fetch-site': 'same-origin' } }),
        async ({ me, actor }) => Response.json([me?.id, actor]),
      )
    expect(await (await send('GET', 'desk')).json()).to.deep.equal(['mara', { key: 'desk', readOnly: true }])
    expect((await send('POST', 'desk')).status).to.equal(403)
    expect(await (await send('POST', 'chief')).json()).to.deep.equal(['mara', { key: 'chief', readOnly: false }])
    const alone = new Request('http://localhost/x', { headers: { 'x-session': 'desk', 'act-as': 'mara' } })
    expect(await Promise.resolve(identity(alone)).catch(({ code }) => code)).to.equal('BAD_CREDENTIALS')
  })

  it('is read-only in the store, through transactions, routines and trusted code', async () => {
    const { store, log } = open()
    const mine = store.for(PEOPLE.mara, { actor: 'desk', readOnly: true })
    const tries: readonly (() => Promise<unknown>)[] = [
      () => mine.transaction((inside) => inside.update('animal', 'a1', { name: 'Bello' })),
      () => mine.transaction(async (_inside, asSystem) => asSystem('anyway').update('animal', 'a1', { name: 'Bello' })),
      () => mine.routine('adopt', async (inside) => inside.list('animal')),
      () => mine.deleteMany('animal', { where: (animal) => animal.ownerId.is('mara') }),
    ]
    for (const one of tries) expect(await one().catch(({ code }) => code)).to.equal('REFUSED')
    expect(await mine.transaction(async (inside) => (await inside.list('animal')).length)).to.equal(2)
    expect((await mine.verdict('update', 'animal', 'a1')).allowed).to.equal(true)
    expect(log.filter(({ outcome }) => outcome === 'refused').map(({ action, actor }) => [action, actor])).to.deep.equal([
      ['update', 'desk'],
      ['act', 'desk'],
      ['call', 'desk'],
      ['delete', 'desk'],
    ])
    const whole = store.for(PEOPLE.mara, { actor: 'chief' })
    await whole.update('animal', 'a1', { name: 'Bello' })
    expect(log.at(-1)).to.deep.include({ who: 'mara', actor: 'chief', action: 'update', key: 'a1', outcome: 'allowed' })
  })

  it('ends live lists when the actor loses the privilege', async () => {
    let roles: string[] = ['desk']
    const sessions = fromSession<Me>(() => ({ id: 'desk', roles }))
    const { live, store, log } = practice()
    const mayBe = () => true
    const identity = impersonation(sessions, { store, privilege: 'lookAsOwner', personOf: (key) => PEOPLE[key], mayBe })
    const records = routes(book, store, { identity, live, recheck: 0.05 })
    log.length = 0
    const headers = { accept: 'text/event-stream', 'act-as': 'mara' }
    const response = await records(new Request('http://localhost/animal', { headers }))
    const reader = (response.body as ReadableStream<Uint8Array>).getReader()
    const decoder = new TextDecoder()
    let text = ''
    for (let part = await reader.read(); !part.done; part = await reader.read()) {
      text += decoder.decode(part.value)
      if (text.includes('a3')) roles = []
    }
    expect(text).to.contain('a1').and.contain('ended').and.not.contain('a2')
    expect(log[0]).to.deep.include({ who: 'mara', actor: 'desk', action: 'read', type: 'animal', outcome: 'allowed' })
    await live.close()
  })
})

describe('acting as another person is not set up', () => {
  const { store } = open()
  const good: ImpersonationOptions<any> = { store, privilege: 'lookAsOwner', personOf: () => null, mayBe: () => true }
  const CASES: readonly [what: string, options: object, says: RegExp][] = [
    ['without saying who may be acted as', { mayBe: undefined }, /mayBe has to be a function/],
    ['without a way from key to claims', { personOf: undefined }, /personOf/],
    ['by a privilege that does not exist', { privilege: 'lookAsOwners' }, /Did you mean "lookAsOwner"\?/],
    ['by a privilege that visitors have', { privilege: 'register' }, /everyone has the privilege register/],
    ['by a privilege that all who signed in have', { privilege: 'askQuestions' }, /everyone has the privilege askQuestions/],
    ['with changes by such a privilege', { changePrivilege: 'askQuestions' }, /everyone has/],
    ['with one privilege for both', { changePrivilege: 'lookAsOwner' }, /have to differ/],
    ['without a verdict log', { store: openStore(book, inMemory({})) }, /verdict log/],
  ]
  it('by a privilege that depends on the key alone, where keys are numbers', () => {
    const numbered = rulebook({
      me: { shape: z.object({ id: z.int() }), key: 'id' },
      records: { animal: { shape: z.object({ id: z.int() }), key: 'id' } },
    })
      .rules({ animal: (_animal, { signedIn }) => ({ may: { read: [signedIn] } }) })
      .privileges({ ask: ({ me }) => [me.id.isAtLeast(0)] })
    const opened = openStore(numbered, inMemory({}), { log: () => {} })
    const options = { store: opened, privilege: 'ask' as const, personOf: () => null, mayBe: () => true }
    expect(() =>
      impersonation(
        fromSession<{ id: number }>(() => null),
        options,
      ),
    ).to.throw(SetupError, /everyone has the privilege ask/)
  })
  for (const [what, options, says] of CASES)
    it(what, () => {
      expect(() => impersonation(signIn, { ...good, ...options })).to.throw(SetupError, says)
    })
})
