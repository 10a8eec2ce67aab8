import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { pathToFileURL } from 'node:url'
import { expect } from 'chai'
import { rulebook } from 'pachter'
import { accessMatrix, accessReport, coverageOf, coverageReport } from 'pachter/review'
import { z } from 'zod'
import { book } from '../../examples/world/rulebook.js'
import { BROWSER, browser } from '../support/browser.js'
import { expectations, ground, options, types } from '../support/world.js'

describe('the pages, in a browser', () => {
  if (BROWSER === undefined) {
    it('are left out; to include them: PACHTER_TEST_BROWSER=/usr/bin/chromium npm test')
    return
  }
  const open = browser()
  const folder = mkdtempSync(join(tmpdir(), 'pachter-pages-'))
  after(() => rmSync(folder, { recursive: true }))
  const page = (name: string, html: string) => {
    writeFileSync(join(folder, name), html)
    return pathToFileURL(join(folder, name)).href
  }
  const matrices = types.map((type) => accessMatrix(book, type, { ...options, people: ground.people }))
  const report = page('matrix.html', accessReport(matrices, { now: options.now }))
  const coverage = page('coverage.html', coverageReport(coverageOf(ground, expectations.slice(0, 60)), { now: options.now }))

  for (const [name, url] of Object.entries({ report, coverage }))
    for (const [what, look] of Object.entries({ 'a desk': {}, 'a phone': { width: 390, height: 844 }, 'the dark': { dark: true } }))
      it(`the ${name} needs no network, complains of nothing and fits ${what}`, async () => {
        const { page, complaints } = await open(url, look)
        expect(await page.evaluate('document.documentElement.scrollWidth <= window.innerWidth')).to.equal(true)
        const [paper = 0, ink = 0] = await page.evaluate<number[]>(
          `['backgroundColor', 'color'].map((name) => getComputedStyle(document.body)[name].match(/\\d+/g).slice(0, 3).reduce((sum, one) => sum + Number(one), 0))`,
        )
        expect(paper > ink, 'dark on light, but in the dark').to.equal(!('dark' in look))
        expect(complaints).to.deep.equal([])
      })

  it('the report shows what the matrix says, cell by cell', async () => {
    const { page } = await open(report)
    for (const matrix of matrices) {
      await page.selectOption('#type', matrix.type)
      const shown: Record<string, string> =
        await page.evaluate(`Object.fromEntries([...document.querySelectorAll('section:not([hidden]) tbody td[aria-label]')]
        .map((cell) => { const [who, says] = [cell.getAttribute('aria-label').split(': ')[0], cell.getAttribute('aria-label')]; return [who, says] }))`)
      for (const person of matrix.people)
        for (const key of matrix.keys) {
          const said = shown[`${person}, ${key}`] ?? ''
          const access = matrix.access(person, key)
          if (access.length === 0) expect(said).to.match(/: nothing$/)
          for (const { action, clauses } of access)
            expect(said)
              .to.match(new RegExp(`(^|: |\\n)${action}\\b`))
              .and.to.include(clauses[0])
        }
    }
  })

  it('the report is walked by keys, and filtered', async () => {
    const { page } = await open(report)
    await page.selectOption('#type', 'plot')
    const why = () => page.textContent('#why')
    await page.locator('section:not([hidden]) tbody td[tabindex="0"]').focus()
    expect(await why()).to.match(/^ines and plot p-01\nread.*by: holder/)
    await page.keyboard.press('ArrowRight')
    expect(await why()).to.match(/^bram and plot p-01\n/)
    await page.keyboard.press('ArrowDown')
    expect(await why()).to.match(/^bram and plot p-02\n/)
    await page.hover('section:not([hidden]) tbody tr:nth-child(9) td:nth-child(2)')
    expect(await why()).to.match(/^ines and plot p-09\nnothing/)
    await page.fill('#people', 'odile, visitor')
    await page.fill('#keys', 'p-1')
    const heads = page.locator('section:not([hidden]) thead th:visible')
    expect(await heads.allTextContents()).to.deep.equal(['plot', 'odile', 'visitor', 'people'])
    expect(await page.locator('section:not([hidden]) tbody tr:visible').count()).to.equal(3)
    await page.fill('#keys', 'nothing like it')
    expect(await page.locator('#empty').isVisible()).to.equal(true)
  })

  it('the coverage leaves only what is missing', async () => {
    const { page } = await open(coverage)
    const rows = page.locator('tbody tr:visible')
    const all = await rows.count()
    await page.check('#only')
    const left = await rows.count()
    expect(left).to.be.greaterThan(0).and.to.be.lessThan(all)
    expect(await page.locator('tbody tr.both:visible').count()).to.equal(0)
  })

  it('what data says is text, and nothing that runs', async () => {
    const evil = `"><img src=x onerror="alert(1)"></script><script>alert(2)</script>`
    const one = rulebook({
      me: { shape: z.object({ id: z.string() }), key: 'id' },
      records: { plot: { shape: z.object({ id: z.string() }), key: 'id' } },
    }).rules({
      plot: (_plot, { anyone }) => ({ may: { read: [anyone.titled(evil)] } }),
    })
    const matrix = accessMatrix(one, 'plot', { people: { [evil]: { id: 'a' } }, records: { plot: [{ id: evil }] } })
    const { page: shown, complaints } = await open(page('evil.html', accessReport([matrix], { now: options.now, title: evil })))
    expect(await shown.textContent('section tbody th')).to.equal(evil)
    expect(complaints).to.deep.equal([])
  })
})
