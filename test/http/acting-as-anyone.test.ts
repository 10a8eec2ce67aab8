// One person acts as another: developers on their own machine, and tokens that say so.
import { expect } from 'chai'
import { SignJWT } from 'jose'
import { developmentIdentity, firstOf, fromToken, impersonation, routes, SetupError } from 'pachter/http'
import { book, type Me, names, open, PEOPLE, practice, signIn } from '../support/practice.js'

describe('acting as anyone in development', () => {
  const before = process.env.NODE_ENV
  const inside = (environment: string | undefined) => {
    if (environment === undefined) delete process.env.NODE_ENV
    else process.env.NODE_ENV = environment
  }
  beforeEach(() => inside('development'))
  afterEach(() => inside(before))
  const development = () =>
    practice(() => developmentIdentity<Me>(signIn, { people: { mara: PEOPLE.mara as Me }, personOf: (key) => PEOPLE[key] ?? null }))

  it('chooses a person by name or key, and may do all that the person may', async () => {
    const { ask, log } = development()
    expect(names(await ask('/animal', undefined, { as: 'mara' }))).to.deep.equal(['a1', 'a3'])
    expect(names(await ask('/animal', 'mara', { as: 'jon' }))).to.deep.equal(['a2'])
    expect(names(await ask('/animal', 'mara'))).to.deep.equal(['a1', 'a3'])
    expect(names(await ask('/animal', 'mara', { as: 'visitor' }))).to.deep.equal([])
    const written = await ask('/animal/a2', undefined, { as: 'jon', method: 'PATCH', body: { name: 'Bello' } })
    expect(written.status).to.equal(200)
    expect((await ask('/my-rules', undefined, { as: 'jon' })).body.act).to.deep.equal({
      sub: null,
      readOnly: false,
      people: ['mara', 'visitor'],
    })
    expect((await ask('/my-rules', 'mara')).body.act).to.deep.equal({ people: ['mara', 'visitor'] })
    const { status, body } = await ask('/animal', undefined, { as: 'nobody' })
    expect([status, body.detail]).to.deep.equal([403, 'There is no person "nobody": choose one of mara, visitor.'])
    expect((await ask('/animal/a1', 'mara', { as: 'jon' })).status).to.equal(404)
    expect(log.map(({ who, actor }) => [who, actor])).to.deep.equal([['jon', null]])
  })

  it('is for this machine only, and tells others nothing', async () => {
    const { ask } = development()
    const host = 'practice.example'
    for (const as of ['mara', 'visitor', 'nobody']) expect((await ask('/animal', undefined, { as, host })).status).to.equal(403)
    const secure = routes(book, open().store, {
      identity: developmentIdentity<Me>(signIn, { people: PEOPLE }),
    })
    const rules = await secure(new Request(`https://${host}/my-rules`, { headers: { 'x-session': 'mara' } }))
    expect(await rules.json())
      .to.include({ me: 'mara' })
      .and.not.have.property('act')
  })

  it('takes a cookie for credentials that another site could misuse', async () => {
    const token = Object.assign(async () => null, { automatic: false })
    const { handle } = practice(() => developmentIdentity<Me>(token, { people: PEOPLE }))
    const send = (headers: Record<string, string>) =>
      handle(new Request('http://localhost/animal/a1', { method: 'DELETE', headers: { origin: 'https://evil.example', ...headers } }))
    expect((await send({ cookie: 'act-as=mara' })).status).to.equal(403)
    expect((await send({ 'act-as': 'mara' })).status).to.equal(204)
  })

  for (const environment of [undefined, 'production', 'staging', ''])
    it(`is refused if NODE_ENV is ${JSON.stringify(environment)}, from the start and later`, async () => {
      const { ask } = development()
      inside(environment)
      expect(() => developmentIdentity(signIn, { people: {} })).to.throw(SetupError, /NODE_ENV=development/)
      const failed = console.error
      console.error = () => {}
      try {
        expect((await ask('/animal', undefined, { as: 'mara' })).status).to.equal(500)
      } finally {
        console.error = failed
      }
    })
})

describe('a token with an actor (RFC 8693)', () => {
  const ISSUER = 'https://id.practice.example'
  const open2 = async (actors?: 'read' | 'write') => {
    const secret = new Uint8Array(32).fill(7)
    const tokens = fromToken<Me>({
      issuer: ISSUER,
      audience: 'practice',
      algorithms: ['HS256'],
      keys: secret,
      me: ({ sub = '' }) => PEOPLE[sub] ?? { id: sub, roles: [] },
      ...(actors === undefined ? {} : { actors }),
    })
    const { handle, log } = practice((store) =>
      firstOf(impersonation(tokens, { store, privilege: 'lookAsOwner', personOf: (key) => PEOPLE[key], mayBe: () => true }), signIn),
    )
    return async (act: unknown, method = 'GET', more = {}) => {
      const token = await new SignJWT({ sub: 'mara', ...(act === undefined ? {} : { act }) })
        .setProtectedHeader({ alg: 'HS256' })
        .setIssuer(ISSUER)
        .setAudience('practice')
        .setExpirationTime('1h')
        .sign(secret)
      log.length = 0
      const { status } = await handle(
        new Request('http://localhost/animal/a1', { method, headers: { authorization: `Bearer ${token}`, ...more } }),
      )
      return [status, ...log.map(({ who, actor }) => [who, actor])]
    }
  }

  it('reads as the person of the token, with the actor on record, and writes only if the options say so', async () => {
    const reading = await open2()
    expect(await reading({ sub: 'helpdesk-7' })).to.deep.equal([200, ['mara', 'helpdesk-7']])
    expect(await reading({ sub: 'helpdesk-7', act: { sub: 'gateway' } }, 'DELETE')).to.deep.equal([403, ['mara', 'helpdesk-7']])
    expect(await reading(undefined, 'DELETE')).to.deep.equal([204])
    const writing = await open2('write')
    expect(await writing({ sub: 'helpdesk-7' }, 'DELETE')).to.deep.equal([204, ['mara', 'helpdesk-7']])
  })

  it('is refused if it does not say who acts, and does not act as a third person', async () => {
    const reading = await open2()
    for (const act of [null, {}, { sub: '' }, { sub: 7 }, 'helpdesk', []]) expect(await reading(act)).to.deep.equal([401])
    expect(await reading({ sub: 'helpdesk-7' }, 'GET', { 'act-as': 'jon' })).to.deep.equal([403, ['mara', undefined]])
  })
})
