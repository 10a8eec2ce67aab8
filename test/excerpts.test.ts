// Runs what the documents show of servers and pages, and cannot run on its own.
import { readFileSync } from 'node:fs'
import { createRequire } from 'node:module'
import type { AddressInfo } from 'node:net'
import { expect } from 'chai'
import type Express from 'express'
import { Hono } from 'hono'
import { generateKeyPair, SignJWT } from 'jose'
import { fromSession } from 'pachter/http'
import { RulesProvider } from 'pachter/react'
import { inMemory, openStore } from 'pachter/store'
import { expectationTitle, lookThrough } from 'pachter/testing'
import { readExpectations } from 'pachter-cli/files'
import { createElement } from 'react'
import { renderToStaticMarkup } from 'react-dom/server'
import { usePlots } from './excerpts/page/plots.js'
import { book } from './excerpts/server/rules.js'
import { overHttp, withExpress, withLiveLists } from './excerpts/server/server.js'

// The loader of the tests changes what Express sees of `node:http`: its requests would have no headers.
const express = createRequire(import.meta.url)('express') as typeof Express

const records = {
  plot: [
    { id: 'p-01', holderId: 'm-01', state: 'let' as const, planting: 'kale' },
    { id: 'p-02', holderId: 'm-02', state: 'let' as const, planting: 'beans' },
    { id: 'p-03', holderId: null, state: 'vacant' as const, planting: '' },
  ],
}
const open = () => openStore(book, inMemory(records))
const people = { ines: { id: 'm-01', roles: [] } }
const identity = fromSession((request) => (request.headers.get('x-person') === 'ines' ? people.ines : null), { automatic: false })
const asInes = { headers: { 'x-person': 'ines' } }

const idsOf = async (response: Response) => {
  expect(response.status).to.equal(200)
  const answer = (await response.json()) as readonly { id: string }[] | { records: readonly { id: string }[] }
  return ('records' in answer ? answer.records : answer).map(({ id }) => id)
}

/** Serves an Express application for the time of some work. */
async function serving(app: Express.Express, work: (url: string) => Promise<void>) {
  const server = app.listen(0, '127.0.0.1')
  await new Promise((resolve) => server.once('listening', resolve))
  try {
    await work(`http://127.0.0.1:${(server.address() as AddressInfo).port}`)
  } finally {
    server.close()
  }
}

describe('excerpts of applications in the documents', () => {
  it('routes, for people with a token', async () => {
    const app = new Hono()
    const { privateKey, publicKey } = await generateKeyPair('RS256')
    const asExpress = overHttp(app, book, open(), 'https://id.marshlane.example', 'allotment', publicKey)
    const claims = new SignJWT({ sub: 'm-01' }).setIssuer('https://id.marshlane.example').setAudience('allotment').setExpirationTime('5m')
    const headers = { authorization: `Bearer ${await claims.setProtectedHeader({ alg: 'RS256' }).sign(privateKey)}` }
    expect(await idsOf(await app.request('http://localhost/api/plot', { headers }))).to.deep.equal(['p-01', 'p-03'])
    expect(await idsOf(await app.request('http://localhost/api/plot'))).to.deep.equal(['p-03'])
    await serving(express().use(asExpress), async (url) => {
      expect(await idsOf(await fetch(`${url}/api/plot`, { headers }))).to.deep.equal(['p-01', 'p-03'])
    })
  })

  it('Express, with routes and with handlers', async () => {
    const app = express()
    withExpress(app, book, open(), identity)
    await serving(app, async (url) => {
      for (const path of ['/plots', '/mine', '/api/plot']) {
        expect(await idsOf(await fetch(url + path, asInes)), path).to.deep.equal(['p-01', 'p-03'])
        expect(await idsOf(await fetch(url + path)), path).to.deep.equal(['p-03'])
      }
    })
  })

  it('hooks and live lists of a page', async () => {
    const store = open()
    const { records: handle, live } = withLiveLists(book, store, identity)
    const { fetch: original } = globalThis
    // A page has relative addresses, and its requests have the cookies of the person.
    globalThis.fetch = (address, init) => {
      const request = new Request(new URL(String(address).replace('/api/plots', '/api/plot'), 'http://localhost'), init)
      request.headers.set('x-person', 'ines')
      return Promise.resolve(handle(request))
    }
    try {
      const { rules, showPlots, usePlot } = await import('./excerpts/page/page.js')
      await rules.refresh()
      const seen: string[] = []
      const Page = () => {
        const [own, other] = [records.plot[0], records.plot[2]].map((plot) => usePlot(plot as never))
        const { allowed, message } = usePlots(records.plot[2] as never)
        seen.push(`${own?.allowed} ${other?.allowed} ${own?.state}`, `${allowed} ${message}`)
        return null
      }
      renderToStaticMarkup(createElement(RulesProvider, { rules }, createElement(Page)))
      expect(seen).to.deep.equal(['true false loading', 'false Only a warden removes a plot.'])

      const shown: string[] = []
      const showing = new Promise<void>((resolve) => {
        const list = showPlots(
          () => ({}),
          (plots, state) => {
            shown.push(`${plots.length} ${state}`)
            if (plots.length === 1) store.asSystem('a second vacant plot').update('plot', 'p-02', { state: 'vacant', holderId: null })
            if (plots.length < 2) return
            list.close()
            resolve()
          },
        )
      })
      await showing
      expect(shown).to.deep.equal(['1 live', '2 live'])
    } finally {
      globalThis.fetch = original
      live.close()
    }
  })
})

describe('expectation files in a test runner', () => {
  const look = lookThrough(book, { people, records })
  // In an application, the folder of the project is the current one.
  const directory = process.cwd()
  before(() => process.chdir(new URL('./excerpts/', import.meta.url).pathname))
  after(() => process.chdir(directory))
  process.chdir(new URL('./excerpts/', import.meta.url).pathname)
  for (const one of readExpectations(readFileSync('expectations/plots.yaml', 'utf8'), 'plots.yaml', look.known))
    it(expectationTitle(one), () => look.holds(one))
  process.chdir(directory)
})
