import { mkdtempSync, rmSync } from 'node:fs'
import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { expect } from 'chai'
import sirv from 'sirv'
import { accessFaults, BROWSER, browser } from '../support/browser.js'
import { root } from '../support/command.js'
import { buildWith } from '../support/vite.js'

if (BROWSER)
  describe('the live page of the documentation', () => {
    const open = browser()
    let folder = ''
    let server: Server
    let url = ''
    before(async function () {
      this.timeout(60_000)
      folder = mkdtempSync(join(tmpdir(), 'pachter-play-'))
      await buildWith({ configFile: `${root}/docs/play/vite.config.ts`, build: { outDir: folder, emptyOutDir: true } })
      server = createServer(sirv(folder)).listen(0, '127.0.0.1')
      await new Promise((resolve) => server.once('listening', resolve))
      url = `http://127.0.0.1:${(server.address() as AddressInfo).port}/`
    })
    after(() => {
      server.close()
      rmSync(folder, { recursive: true, force: true })
    })

    it('shows who may do what and why, and follows an edited rule', async () => {
      const { page, complaints } = await open(url)
      const cell = (name: string) => page.getByRole('button', { name, exact: true })
      await cell('bram, plot p-01: read some fields').click()
      await page.getByText('bram may read plot p-01, fields: holderId, state').waitFor()
      await page.getByText('holds: helper; all but rent').waitFor()
      const rules = page.getByRole('textbox', { name: 'Rules' })
      const text = await rules.inputValue()
      await rules.fill(text.replace("helper.except('rent'), ", '').replace('{ holder, helper }', '{ holder }'))
      await cell('bram, plot p-01: nothing is allowed').waitFor()
      await page.getByText('bram may not read plot p-01').waitFor()
      await rules.fill(text.replace('holder.only', 'holdr.only'))
      await page.getByRole('alert').getByText('holdr').waitFor()
      await rules.fill(text)
      await page.getByRole('textbox', { name: 'Records' }).fill('{ "plot": [')
      await page.getByRole('alert').getByText('Records: ').waitFor()
      expect(complaints.filter((one) => !one.startsWith(`asked for ${url}`))).to.deep.equal([])
    })

    for (const dark of [false, true])
      it(`can be read ${dark ? 'dark, on a phone' : 'light'}`, async () => {
        const { page } = await open(url, dark ? { dark, width: 360, height: 740 } : {})
        await page.getByRole('button', { name: 'ines, plot p-01: read, update' }).click()
        expect(await accessFaults(page)).to.deep.equal([])
        expect(await page.evaluate(() => document.documentElement.scrollWidth - innerWidth)).to.be.at.most(0)
      })
  })
else it('the live page of the documentation is left out without a browser; to include it: PACHTER_TEST_BROWSER=/usr/bin/chromium npm test')
