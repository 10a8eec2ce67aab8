import { createServer } from 'node:http'
import { expect } from 'chai'
import { exportJWK, generateKeyPair, type JWTHeaderParameters, type JWTPayload, SignJWT } from 'jose'
import { firstOf, fromSession, fromToken, SetupError } from 'pachter/http'

const ISSUER = 'https://id.marshlane.example'
const base64 = (value: unknown) => Buffer.from(typeof value === 'string' ? value : JSON.stringify(value)).toString('base64url')
const asking = (authorization?: string) =>
  new Request('https://localhost/', authorization === undefined ? {} : { headers: { authorization } })

const now = Math.floor(Date.now() / 1000)
const [good, other] = [await generateKeyPair('RS256', { extractable: true }), await generateKeyPair('RS256', { extractable: true })]
const jwk = { ...(await exportJWK(good.publicKey)), kid: 'k1', alg: 'RS256', use: 'sig' }
const options = { issuer: ISSUER, audience: ['allotment', 'shed'], algorithms: ['RS256'], keys: { keys: [jwk] } }
const identity = fromToken({ ...options, me: ({ sub }) => ({ id: sub }) })
const whole = { sub: 'm-01', iss: ISSUER, aud: 'allotment', iat: now, exp: now + 600 }
const signed = (claims: JWTPayload, header: Partial<JWTHeaderParameters> = {}, key = good.privateKey) =>
  new SignJWT(claims).setProtectedHeader({ alg: 'RS256', kid: 'k1', ...header }).sign(key)
const bearer = async (...args: Parameters<typeof signed>) => `Bearer ${await signed(...args)}`

describe('who is asking, by a token', () => {
  it('accepts a valid token', async () => {
    expect(await identity(asking(await bearer(whole)))).to.deep.equal({ id: 'm-01' })
    expect(await identity(asking(await bearer({ ...whole, aud: ['other', 'shed'] })))).to.deep.equal({ id: 'm-01' })
    expect(await identity(asking())).to.equal(null)
  })

  const { exp: _exp, ...endless } = whole
  const spki = Buffer.from(JSON.stringify(jwk))
  const BAD: readonly [what: string, header: () => Promise<string> | string][] = [
    ['no signature', () => `Bearer ${base64({ alg: 'none' })}.${base64(whole)}.`],
    ['no signature, in other letters', () => `Bearer ${base64({ alg: 'NoNe', kid: 'k1' })}.${base64(whole)}.`],
    ['another key', () => bearer(whole, {}, other.privateKey)],
    ['another key that it brings along', async () => bearer(whole, { jwk: await exportJWK(other.publicKey) }, other.privateKey)],
    ['a key of another name', () => bearer(whole, { kid: 'k2' })],
    [
      'the public key for a secret',
      async () => `Bearer ${await new SignJWT(whole).setProtectedHeader({ alg: 'HS256', kid: 'k1' }).sign(spki)}`,
    ],
    ['another audience', () => bearer({ ...whole, aud: 'elsewhere' })],
    ['no audience', () => bearer({ ...whole, aud: undefined } as never)],
    ['another issuer', () => bearer({ ...whole, iss: `${ISSUER}/` })],
    ['an end that is past', () => bearer({ ...whole, exp: now - 60 })],
    ['no end', () => bearer(endless)],
    ['a beginning to come', () => bearer({ ...whole, nbf: now + 600 })],
    ['claims that were altered', async () => (await bearer(whole)).replace(/\.[^.]*\./, `.${base64({ ...whole, sub: 'm-07' })}.`)],
    ['its end cut off', async () => (await bearer(whole)).slice(0, -8)],
    ['no token', () => 'Bearer '],
    ['another scheme', () => 'Basic aW5lczp4'],
    ['something else', () => 'Bearer ../../etc/passwd'],
    [
      'a header that is critical and unknown',
      () =>
        bearer(whole, { crit: ['magic'], magic: true } as never).catch(
          async () => `Bearer ${base64({ alg: 'RS256', crit: ['magic'], magic: 1 })}.${base64(whole)}.x`,
        ),
    ],
  ]
  for (const [what, header] of BAD)
    it(`with ${what} is refused, and is no visitor`, async () => {
      const outcome = await identity(asking(await header())).then(
        (me) => me,
        (error: { code?: string }) => error.code,
      )
      expect(outcome).to.equal('BAD_CREDENTIALS')
    })

  it('gives roles by groups, for each application, with what comes with them', async () => {
    const roles = {
      claim: 'groups',
      of: { allotment: { 'g-wardens': 'warden', 'g-money': 'treasurer' }, '*': { 'g-wardens': 'visitor of sheds' } },
      otherwise: 'member',
      with: { warden: { siteIds: ['s-01'], level: 1 }, treasurer: { level: 2 } },
    }
    const mine = fromToken({ ...options, roles, me: (_token, granted) => granted })
    const of = async (claims: object) => mine(asking(await bearer({ ...whole, ...claims })))
    expect(await of({ groups: ['g-wardens', 'g-money', 'nobody', '__proto__', 'constructor'] })).to.deep.equal({
      roles: ['warden', 'treasurer'],
      attributes: { siteIds: ['s-01'], level: 2 },
    })
    expect(await of({ groups: 'g-wardens', aud: 'shed' })).to.deep.equal({ roles: ['visitor of sheds'], attributes: {} })
    expect(await of({ groups: 7 })).to.deep.equal({ roles: ['member'], attributes: {} })
    // A role that a token claims for itself is none.
    expect(await of({ roles: ['warden'] })).to.deep.equal({ roles: ['member'], attributes: {} })
  })

  it('takes addresses of some domains only, and verified ones', async () => {
    const mine = fromToken({ ...options, emailDomains: ['MarshLane.example'], me: ({ email }) => email })
    const of = (claims: object) =>
      bearer({ ...whole, ...claims }).then((header) => mine(asking(header)).catch((error: { code: string }) => error.code))
    expect(await of({ email: 'ines@marshlane.example', email_verified: true })).to.equal('ines@marshlane.example')
    for (const email of [
      'ines@evil.example',
      'ines@marshlane.example.evil.example',
      'a@b@marshlane.example',
      '@marshlane.example',
      undefined,
      7,
    ])
      expect(await of({ email, email_verified: true }), String(email)).to.equal('BAD_CREDENTIALS')
    for (const verified of [false, undefined, null, 'true', 1])
      expect(await of({ email: 'ines@marshlane.example', email_verified: verified }), String(verified)).to.equal('BAD_CREDENTIALS')
  })

  it('fetches keys, and refuses every token if that fails', async () => {
    let up = true
    const server = createServer((_request, response) => {
      response.statusCode = up ? 200 : 500
      response.end(JSON.stringify({ keys: [jwk] }))
    })
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
    const url = new URL(`http://127.0.0.1:${(server.address() as { port: number }).port}/jwks`)
    try {
      const header = await bearer(whole)
      expect(await fromToken({ ...options, keys: url, me: ({ sub }) => sub })(asking(header))).to.equal('m-01')
      up = false
      expect(await fromToken({ ...options, keys: url, me: ({ sub }) => sub })(asking(header)).catch((error) => error.code)).to.equal(
        'BAD_CREDENTIALS',
      )
    } finally {
      server.close()
    }
  })

  const SETUPS: readonly [what: string, more: object, says: RegExp][] = [
    ['no algorithm', { algorithms: [] }, /give the accepted algorithms/],
    ['none for an algorithm', { algorithms: ['RS256', 'none'] }, /unsigned tokens/],
    ['secrets among public keys', { algorithms: ['RS256', 'HS256'] }, /cannot be used together/],
    ['a secret that is a public key', { algorithms: ['HS256'] }, /need the secret/],
    ['no issuer', { issuer: '' }, /issuer/],
    ['no audience', { audience: [] }, /audience/],
    ['keys in the clear', { keys: new URL('http://id.marshlane.example/jwks') }, /https/],
  ]
  for (const [what, more, says] of SETUPS)
    it(`is not set up with ${what}`, () => {
      expect(() => fromToken({ ...options, ...more, me: () => null })).to.throw(SetupError, says)
    })

  it('or by a session; what is broken is not tried in another way', async () => {
    const session = fromSession((request) => (request.headers.get('x-session') === 'ok' ? { id: 'm-02' } : undefined))
    const both = firstOf<{ id?: string | undefined }>(identity, session)
    const with_ = (headers: Record<string, string>) =>
      both(new Request('https://localhost/', { headers })).catch((error: { code: string }) => error.code)
    const automatic = both.automatic as (request: Request) => boolean
    expect([automatic(asking()), automatic(asking('Basic aW5lczp4')), automatic(asking('Bearer x'))]).to.deep.equal([true, true, false])
    expect(await with_({ 'x-session': 'ok' })).to.deep.equal({ id: 'm-02' })
    expect(await with_({ 'x-session': 'ok', authorization: await bearer(whole) })).to.deep.equal({ id: 'm-01' })
    expect(await with_({ 'x-session': 'ok', authorization: 'Bearer x.y.z' })).to.equal('BAD_CREDENTIALS')
    expect(await with_({})).to.equal(null)
  })
})
