import { type ChildProcess, spawn } from 'node:child_process'
import { once } from 'node:events'
import { join } from 'node:path'
import type { Readable } from 'node:stream'
import { expect } from 'chai'
import { root } from '../support/command.js'

describe('the example of a guard in an application of its own', () => {
  let server: ChildProcess
  const app = { url: '' }
  before(async () => {
    const args = [join(root, 'examples/express/server.mjs')]
    server = spawn(process.execPath, args, { cwd: root, env: { ...process.env, PORT: '0' }, stdio: ['ignore', 'pipe', 'inherit'] })
    const [said] = (await once(server.stdout as Readable, 'data')) as [Buffer]
    app.url = /http:\S+/.exec(String(said))?.[0] as string
  })
  after(() => server.kill())

  /** A browser with a cookie. */
  async function signIn(name: string) {
    const form = (fields: Record<string, string>) => ({ method: 'POST', body: new URLSearchParams(fields), redirect: 'manual' as const })
    const response = await fetch(`${app.url}/sign-in`, form({ name }))
    const cookie = (response.headers.get('set-cookie') ?? '').split(';')[0] as string
    return {
      status: response.status,
      plots: async () => {
        const listed = await fetch(`${app.url}/my/plots`, { headers: { cookie } })
        return (await listed.json()) as { id: string; changeable: unknown; planting?: string }[]
      },
      plant: (key: string, planting: string, headers: Record<string, string> = { 'sec-fetch-site': 'same-origin' }) =>
        fetch(`${app.url}/plots/${key}/planting`, { ...form({ planting }), headers: { cookie, ...headers } }),
      signOut: () => fetch(`${app.url}/sign-out`, { ...form({}), headers: { cookie } }),
    }
  }

  it('lists to each what is theirs, with what they may change', async () => {
    const ines = await signIn('ines')
    expect((await ines.plots()).map(({ id, changeable }) => [id, changeable])).to.deep.equal([
      ['p-01', ['planting']],
      ['p-06', []],
    ])
    expect(await (await signIn('farah')).plots()).to.have.length(12)
    expect((await signIn('nobody')).status).to.equal(401)
  })

  it('lets change what is theirs, and refuses the rest', async () => {
    const ines = await signIn('ines')
    expect((await ines.plant('p-01', 'leeks')).status).to.equal(303)
    expect((await ines.plots())[0]?.planting).to.equal('leeks')
    const other = await ines.plant('p-02', 'weeds')
    expect([other.status, (await other.json()).detail]).to.deep.equal([404, 'There is no such plot.'])
    expect((await ines.plant('p-06', 'weeds')).status).to.equal(403)
  })

  it('accepts no writes from other sites, nor after signing out', async () => {
    const ines = await signIn('ines')
    for (const headers of [{ 'sec-fetch-site': 'cross-site' }, { origin: 'https://elsewhere.example' }, {}])
      expect((await ines.plant('p-01', 'weeds', headers as Record<string, string>)).status, JSON.stringify(headers)).to.equal(403)
    await ines.signOut()
    expect((await ines.plant('p-01', 'weeds')).status).to.equal(401)
    // Who still sends the cookie of a session that has ended is told so, and is no visitor.
    expect(await ines.plots()).to.include({ status: 401, code: 'BAD_CREDENTIALS' })
  })
})
