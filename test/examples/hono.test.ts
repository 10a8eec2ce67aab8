import { mkdtempSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { expect } from 'chai'
import type { Page } from 'playwright-core'
import { start } from '../../examples/hono/server.js'
import { people } from '../../examples/world/people.js'
import { accessFaults, BROWSER, browser } from '../support/browser.js'
import { within } from '../support/command.js'

describe('the example of ready routes', () => {
  let app: Awaited<ReturnType<typeof start>>
  let tokens: string
  before(async function () {
    this.timeout(60_000)
    app = await start(0)
    tokens = join(mkdtempSync(join(tmpdir(), 'pachter-')), 'tokens.yaml')
    const lines = await Promise.all(Object.entries(people).map(async ([name, who]) => `${name}: ${await app.tokenOf(who)}`))
    writeFileSync(tokens, lines.join('\n'))
  })
  after(() => app.close())

  it('does what is expected of the demo world, by pachter check --url', async () => {
    const { stdout, stderr, status } = await within(`check --url ${app.url}/api --tokens ${tokens}`)
    expect(stdout).to.match(/3\d\d expectations: all hold/)
    expect(stdout)
      .to.match(/\d+ tried with real requests\./)
      .and.match(/\d+ checked by the verdicts of the application only\. .*--may-write/)
      .and.match(/\d+ skipped: it would write to the application/)
    expect(stdout + stderr).not.to.include(await app.tokenOf(people.ines))
    expect(status).to.equal(0)
  })

  it('refuses for real what is meant to be refused, where that may be tried', async () => {
    const system = app.store.asSystem('compare')
    const before = JSON.stringify(await system.list('plot'))
    const { stdout, status } = await within(`check --type plot --url ${app.url}/api --tokens ${tokens} --may-write plot`)
    expect([status, stdout.match(/all hold/)?.length]).to.deep.equal([0, 1])
    expect(JSON.stringify(await system.list('plot'))).to.equal(before)
  })

  it('is found out where its records are not as expected', async () => {
    const system = app.store.asSystem('let something slip')
    await system.update('plot', 'p-02', { coHolderIds: ['m-01'] })
    const { stdout, status } = await within(`check --for ines --type plot --url ${app.url}/api --tokens ${tokens} --format json`)
    const problems = JSON.parse(stdout).flatMap((one: { problems: string[] }) => one.problems)
    expect(problems).to.include('too many: p-02')
    expect(status).to.equal(1)
    await system.update('plot', 'p-02', { coHolderIds: [] })
  })

  it('says its routes in OpenAPI', async () => {
    const document = (await (await fetch(`${app.url}/openapi.json`)).json()) as { openapi: string; paths: object }
    expect(document.openapi).to.match(/^3\.1\./)
    expect(Object.keys(document.paths)).to.include('/api/plot/{id}')
  })

  if (BROWSER)
    describe('in a browser', () => {
      const open = browser()
      it("keeps two people's pages up to date, each with what they may do", async () => {
        const pages = await Promise.all([open(app.url), open(app.url, { width: 390, dark: true })])
        const [tomasz, ines] = pages.map(({ page }) => page) as [Page, Page]
        for (const [page, name] of [
          [tomasz, 'tomasz'],
          [ines, 'ines'],
        ] as const) {
          await page.waitForSelector(`option[value=${name}]`, { state: 'attached' })
          await page.selectOption('select', name)
        }
        await ines.waitForSelector('text=2 plots.')
        await tomasz.waitForSelector('text=5 plots.')
        // Her own plot has a form, the vacant one has not; nobody here removes any.
        // The rules may come after the list.
        await ines.locator('form').first().waitFor()
        expect(await ines.locator('form').count()).to.equal(1)
        expect(await ines.locator('button.removes').count()).to.equal(0)
        await tomasz.fill('[aria-label="What grows on plot 1"]', 'pumpkins')
        await tomasz.locator('li', { hasText: 'Plot 1' }).locator('button').first().click()
        await ines.waitForSelector('dd:has-text("pumpkins")')
        await app.store.asSystem('the plot changes hands').update('plot', 'p-01', { holderId: 'm-02' })
        await ines.waitForSelector('text=1 plot.')
        await app.store.asSystem('and back').update('plot', 'p-01', { holderId: 'm-01', planting: 'garlic, rhubarb' })
        await ines.waitForSelector('text=2 plots.')
        const elsewhere = (what: string) => !what.startsWith(`asked for ${app.url}/`) && !what.startsWith('asked for data:')
        for (const { complaints } of pages) expect(complaints.filter(elsewhere)).to.deep.equal([])
        // No wider than the screen.
        expect(await ines.evaluate(() => document.documentElement.scrollWidth)).to.be.at.most(390)
      })

      it('lets a developer be anyone by the bar, keeps that over pages, and stops it', async () => {
        const before = process.env.NODE_ENV
        process.env.NODE_ENV = 'development'
        const developing = await start(0)
        try {
          const { page, complaints } = await open(developing.url, { width: 390, dark: true })
          const bar = page.getByRole('region', { name: 'Acting as another person' })
          const become = async (name: string) => {
            await bar.getByLabel('Act as').fill(name)
            await Promise.all([page.waitForNavigation(), bar.getByLabel('Act as').press('Enter')])
          }
          await become('ines')
          await page.waitForSelector('text=2 plots.')
          await page.waitForSelector('text=You act as ines (m-01).')
          expect(await accessFaults(page)).to.deep.equal([])
          await become('tomasz')
          await page.waitForSelector('text=5 plots.')
          expect(await page.evaluate(() => document.documentElement.scrollWidth)).to.be.at.most(390)
          expect(complaints.filter((what) => /error|warn/.test(what))).to.deep.equal([])
          await become('nobody')
          await bar.getByText('There is no person "nobody"').waitFor()
          await Promise.all([page.waitForNavigation(), bar.getByRole('button', { name: 'Stop acting' }).click()])
          await bar.waitFor()
          expect(await bar.getByRole('button', { name: 'Stop acting' }).count()).to.equal(0)
        } finally {
          await developing.close()
          if (before === undefined) delete process.env.NODE_ENV
          else process.env.NODE_ENV = before
        }
      })
    })
})
