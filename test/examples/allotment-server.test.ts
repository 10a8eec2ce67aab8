import { spawn } from 'node:child_process'
import { mkdtempSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { expect } from 'chai'
import { generateKeyPair, SignJWT } from 'jose'
import pg from 'pg'
import { accounts } from '../../examples/allotment/server/accounts.js'
import { startApp } from '../../examples/allotment/server/app.js'
import { openData } from '../../examples/allotment/server/data.js'
import { developer } from '../../examples/allotment/server/developer.js'
import { startProvider } from '../../examples/allotment/server/provider.js'
import { type Allotment, startAllotment } from '../support/allotment.js'
import { root, within } from '../support/command.js'

const bearer = (token: string) => ({ authorization: `Bearer ${token}` })

describe('the server of the allotment site', () => {
  const folder = mkdtempSync(join(tmpdir(), 'pachter-allotment-'))
  let app: Allotment
  before(async () => {
    writeFileSync(join(folder, 'index.html'), '<meta name="issuer" content="%ISSUER%"><div id="page"></div>')
    app = await startAllotment(folder)
  })
  after(async () => {
    await app.close()
    rmSync(folder, { recursive: true })
  })
  const ask = async (token: string | undefined, method: string, path: string, body?: object, more: Record<string, string> = {}) => {
    const kind = method === 'PATCH' ? 'application/merge-patch+json' : 'application/json'
    const headers = { ...(token === undefined ? {} : bearer(token)), ...(body ? { 'content-type': kind } : {}), ...more }
    const response = await fetch(app.url + path, { method, headers, ...(body ? { body: JSON.stringify(body) } : {}) })
    const text = await response.text()
    return { status: response.status, body: text.startsWith('{') ? JSON.parse(text) : text, headers: response.headers }
  }
  const as = (name: string) => app.provider.tokenOf(name)

  it('serves the page under a strict content policy, and nothing else from there', async () => {
    const { status, body, headers } = await ask(undefined, 'GET', '/plots/p-01')
    expect([status, String(body).includes(app.provider.url)]).to.deep.equal([200, true])
    expect(headers.get('content-security-policy')).to.include("default-src 'self'").and.not.include("script-src 'unsafe")
    for (const path of ['/assets/../index.html', '/assets/nothing.js', '/assets/..%2f..%2fserver%2fapp.ts'])
      expect((await ask(undefined, 'GET', path)).body, path).not.to.include('import')
    expect((await ask(undefined, 'GET', '/api/nothing')).status).to.equal(404)
  })

  it('adds up the rents that a person sees, and nothing for visitors', async () => {
    const total = async (name: string) => {
      const { rents } = (await ask(await as(name), 'GET', '/reports/rents')).body
      const bills = (await ask(await as(name), 'GET', '/api/invoice')).body.records as { amount: number }[]
      const sum = (of: readonly { amount: number }[]) => of.reduce((all, { amount }) => all + amount, 0)
      return [sum(rents), sum(bills)]
    }
    const [all, listed] = await total('farah')
    expect(all).to.equal(listed)
    expect(await total('ines')).to.deep.equal([32.5, 32.5])
    expect(all).to.be.above(32.5)
    expect(await total('hugo')).to.deep.equal([0, 0])
    expect((await ask(undefined, 'GET', '/reports/rents', undefined, { accept: 'application/json' })).body).to.deep.equal({ rents: [] })
  })

  it('trusts the provider for the identity, but not for the roles', async () => {
    const invoices = async (token?: string) => (await ask(token, 'GET', '/api/invoice')).body.records?.length
    const asked = async (token: string) => (await ask(token, 'GET', '/api/plot')).status
    const mine = await invoices(await as('ines'))
    expect(mine).to.be.lessThan((await invoices(await as('farah'))) as number)
    // A provider that says that Ines is of the treasury: it is hers to say who she is, and not what.
    const groups = { ...accounts, ines: { ...(accounts.ines as (typeof accounts)[string]), groups: ['marsh-treasury', 'marsh-office'] } }
    const other = await startProvider({ accounts: groups, application: app.provider.application })
    const generous = await startApp({ data: app.data, provider: other, page: folder })
    const seen = await fetch(`${generous.url}/api/invoice`, { headers: bearer(await other.tokenOf('ines')) })
    expect(((await seen.json()) as { records: unknown[] }).records).to.have.length(mine)
    // Tokens of another provider, signed with another key, for another application, or grown old.
    expect(await asked(await other.tokenOf('ines'))).to.equal(401)
    const { privateKey } = await generateKeyPair('ES256')
    const sign = (audience: string) =>
      new SignJWT({ email: 'farah@marshlane.example' })
        .setProtectedHeader({ alg: 'ES256', kid: 'marsh-lane', typ: 'at+jwt' })
        .setIssuer(app.provider.url)
        .setSubject('m-06')
        .setAudience(audience)
        .setIssuedAt()
        .setExpirationTime('1h')
        .sign(privateKey)
    expect(await asked(await sign('allotment'))).to.equal(401)
    app.provider.settings.lifetime = -5
    expect(await asked(await as('farah'))).to.equal(401)
    app.provider.settings.lifetime = 3600
    await generous.close()
    await other.close()
  })

  it('the provider exchanges a code for a token once, and redirects nowhere else', async () => {
    const { url, application } = app.provider
    const verifier = 'a-verifier-that-is-long-enough-to-be-one-of-them'
    const challenge = Buffer.from(await crypto.subtle.digest('SHA-256', new TextEncoder().encode(verifier))).toString('base64url')
    const returnTo = `${app.url}/signed-in`
    const right = {
      response_type: 'code',
      client_id: application.clientId,
      redirect_uri: returnTo,
      code_challenge: challenge,
      code_challenge_method: 'S256',
      state: 's',
      login_hint: 'ines',
    }
    const authorize = (changes: object = {}) =>
      fetch(`${url}/authorize?${new URLSearchParams({ ...right, ...changes })}`, { redirect: 'manual' })
    for (const wrong of [
      { client_id: 'somebody' },
      { redirect_uri: 'http://elsewhere.example/signed-in' },
      { redirect_uri: `${app.url}@elsewhere.example/` },
      { redirect_uri: 'javascript:alert(1)' },
      { response_type: 'token' },
      { code_challenge_method: 'plain' },
      { code_challenge: '' },
    ]) {
      const { status, headers } = await authorize(wrong)
      expect([status, headers.get('location')], JSON.stringify(wrong)).to.deep.equal([400, null])
    }
    const code = async () => new URL((await authorize()).headers.get('location') as string).searchParams.get('code') as string
    const exchange = async (changes: object) => {
      const form = { grant_type: 'authorization_code', client_id: application.clientId, redirect_uri: returnTo, code_verifier: verifier }
      const response = await fetch(`${url}/token`, { method: 'POST', body: new URLSearchParams({ ...form, ...changes }) })
      return { status: response.status, body: (await response.json()) as { access_token?: string; error?: string } }
    }
    for (const wrong of [
      { code_verifier: 'another' },
      { client_id: 'somebody' },
      { redirect_uri: app.url },
      { code: 'guessed' },
      { grant_type: 'password' },
    ])
      expect((await exchange({ code: await code(), ...wrong })).status, JSON.stringify(wrong)).to.equal(400)
    const once = await code()
    const { body } = await exchange({ code: once })
    expect((await ask(body.access_token, 'GET', '/api/my-rules')).body.me).to.equal('m-01')
    expect((await exchange({ code: once })).body).to.deep.equal({ error: 'invalid_grant' })
  })

  it('hands a plot over by its procedure, for people who may call it', async () => {
    const handOver = async (name: string, body: object) => ask(await as(name), 'POST', '/procedures/hand-over/p-05', body)
    expect((await handOver('ines', { holderId: 'm-01' })).status).to.equal(403)
    expect(await app.system.get('plot', 'p-05')).to.include({ holderId: 'm-10' })
    expect((await ask(undefined, 'POST', '/procedures/hand-over/p-05', { holderId: 'm-01' })).status).to.equal(401)
    expect((await handOver('kofi', { holderId: 'm-99' })).status, 'to nobody whom anybody knows').to.equal(422)
    expect((await handOver('kofi', { holderId: 'm-02' })).body).to.include({ holderId: 'm-02', state: 'let' })
    expect((await ask(await as('kofi'), 'PATCH', '/api/plot/p-05', { holderId: 'm-07' })).status, 'and not by hand').to.equal(403)
    expect(await app.system.get('plot', 'p-05')).to.include({ holderId: 'm-02' })
  })

  it('confirms an inspection for the secretary alone', async () => {
    const confirm = async (name: string) => (await ask(await as(name), 'POST', '/api/inspection/i-02/confirm')).status
    expect([await confirm('tomasz'), await confirm('ines')]).to.deep.equal([403, 404])
    expect(await confirm('kofi')).to.equal(200)
    expect(await app.system.get('inspection', 'i-02')).to.include({ state: 'filed' })
  })

  it('tells the developer why, on this machine alone, and never in production', async () => {
    const question = { action: 'delete', type: 'plot', key: 'p-01' }
    const why = (more: Record<string, string> = {}) => as('ines').then((token) => ask(token, 'POST', '/developer/why', question, more))
    expect((await why()).body).to.have.nested.property('verdict.message', 'Only the warden of its site removes a plot, once it is vacant.')
    for (const from of ['cross-site', 'same-site', 'none']) {
      const { status, body } = await why({ 'sec-fetch-site': from })
      expect([status, JSON.stringify(body).includes('holder')], from).to.deep.equal([403, false])
    }
    const elsewhere = developer(app.data.store as never, async () => null)
    const far = new Request('http://marshlane.example/record', { method: 'POST', body: JSON.stringify(question) })
    expect((await elsewhere.fetch(far)).status).to.equal(403)
    const { NODE_ENV } = process.env
    process.env.NODE_ENV = 'production'
    try {
      expect(() => developer(app.data.store as never, async () => null)).to.throw('cannot be used in production')
    } finally {
      if (NODE_ENV === undefined) delete process.env.NODE_ENV
      else process.env.NODE_ENV = NODE_ENV
    }
  })

  it('meets the expectations about the rulebook: pachter check --url', async () => {
    const fresh = await startAllotment(folder)
    try {
      const tokens = join(folder, 'tokens.yaml')
      const lines = await Promise.all(Object.keys(accounts).map(async (name) => `${name}: ${await fresh.provider.tokenOf(name)}\n`))
      writeFileSync(tokens, lines.join(''))
      const { status, stdout } = await within(`check --for ines --for kofi --url ${fresh.url}/api --tokens ${tokens} --may-write plot`)
      expect(status, stdout).to.equal(0)
      expect(stdout).to.match(/\d\d expectations: all hold/)
    } finally {
      await fresh.close()
    }
  })

  const { PACHTER_TEST_POSTGRES } = process.env
  if (PACHTER_TEST_POSTGRES)
    it('keeps its records in a PostgreSQL, and finds them again', async () => {
      const pool = new pg.Pool({ connectionString: PACHTER_TEST_POSTGRES })
      try {
        await pool.query('drop schema if exists marsh_lane cascade')
        const first = await openData(PACHTER_TEST_POSTGRES)
        await first.store.asSystem('a test').update('plot', 'p-01', { planting: 'kept' })
        await first.close()
        const again = await openData(PACHTER_TEST_POSTGRES)
        expect(await again.store.for({ id: 'm-01' }).get('plot', 'p-01')).to.include({ planting: 'kept' })
        await again.close()
      } finally {
        await pool.query('drop schema if exists marsh_lane cascade')
        await pool.end()
      }
    })

  it('starts by one command, lists the people, and writes tokens that only the user can read', async () => {
    const tokens = join(folder, 'written.yaml')
    const run = (...args: string[]) => {
      const child = spawn(process.execPath, ['--import', 'jiti/register', 'examples/allotment/main.ts', ...args], { cwd: root })
      let said = ''
      for (const stream of [child.stdout, child.stderr]) stream.on('data', (text) => (said += text))
      const ended = new Promise<number | null>((resolve) => child.on('exit', resolve))
      return { child, ended, said: () => said }
    }
    const wrong = run('--db', 'mysql://root@127.0.0.1/test')
    const started = run('--port', '0', '--tokens', tokens, '--page', folder)
    while (!started.said().includes('to stop.')) {
      if (started.child.exitCode !== null) throw new Error(started.said())
      await new Promise((resolve) => setTimeout(resolve, 50))
    }
    const url = /Marsh Lane Allotments +(\S+)/.exec(started.said())?.[1] as string
    for (const name of Object.keys(accounts)) expect(started.said()).to.include(`${url}/as/${name}`)
    expect(statSync(tokens).mode & 0o077).to.equal(0)
    const token = /^ines: (.*)$/m.exec(readFileSync(tokens, 'utf8'))?.[1] as string
    expect((await fetch(`${url}/api/plot`, { headers: bearer(token) })).status).to.equal(200)
    expect(await wrong.ended).to.equal(1)
    expect(wrong.said()).to.include('--db needs postgres://')
    started.child.kill()
    await started.ended
  })
})
