// The page of pachter review with many records, in a real browser: how long until it is of use, and until a tried change is told.
// PACHTER_TEST_BROWSER=/usr/bin/chromium npm run bench:review -- --people 50 --plots 10000
import { createRequire } from 'node:module'
import { parseArgs } from 'node:util'
import { projectOf } from 'pachter/review'
import { unchanging } from '../dist/cli/review/reviewed.js'
import { serveReview } from '../dist/cli/review/server.js'
import { generateWorld } from '../examples/world/generate.js'
import { book } from '../examples/world/rulebook.js'

const { chromium } = createRequire(import.meta.url)('playwright-core') as typeof import('playwright-core')
const { values } = parseArgs({ options: { people: { type: 'string', default: '50' }, plots: { type: 'string', default: '10000' } } })
const executablePath = process.env.PACHTER_TEST_BROWSER
if (executablePath === undefined) throw new Error('name a browser: PACHTER_TEST_BROWSER=/usr/bin/chromium')

const { member, site, plot, share } = generateWorld(Number(values.plots))
const step = Math.max(1, Math.floor(member.length / Number(values.people)))
const asking = [...member.slice(0, 10), ...member.filter((_, at) => at >= 10 && at % step === 0)].slice(0, Number(values.people) - 1)
const people = { ...Object.fromEntries(asking.map(({ id, email }) => [id, { id, email }])), visitor: null }
const project = projectOf(book, { title: 'bench', people, records: { member, site, plot, share }, now: new Date('2026-06-15T09:00:00Z') })

const served = await serveReview(
  unchanging(project, () => ''),
  0,
)
const browser = await chromium.launch({ executablePath, args: ['--no-sandbox', '--disable-gpu', '--disable-background-networking'] })
try {
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } })
  await page.goto(`${served.url}/#plot/matrix`)
  await page.locator('[role=gridcell]').first().waitFor()
  console.log(
    `${Object.keys(people).length} people, ${plot.length.toLocaleString('en')} plots (${share.length.toLocaleString('en')} shares, ${member.length.toLocaleString('en')} members): of use after ${Math.round(await page.evaluate(() => performance.now()))} ms`,
  )
  const taken: number[] = []
  for (let number = 0; number < 8; number++) {
    // Another plot each time; it becomes vacant, so that everybody sees it.
    const key = plot[number * 7 + 3]?.id as string
    await page.evaluate((to) => {
      location.hash = to
    }, `#plot/matrix?record=${key}&person=visitor&action=read`)
    await page.getByRole('button', { name: `Edit plot ${key}` }).click()
    await page.getByLabel('state').selectOption(number % 2 === 0 ? 'vacant' : 'let')
    await page.getByLabel('planting').fill(`tried ${number}`)
    taken.push(
      await page.evaluate(async () => {
        const button = [...document.querySelectorAll('dialog button')].find((one) => one.textContent === 'Try it') as HTMLButtonElement
        const begun = performance.now()
        button.click()
        const told = () => document.querySelector('.tray [role=status]')?.textContent ?? ''
        while (document.querySelector('dialog') !== null || !/gain|lose/.test(told()))
          await new Promise((resolve) => requestAnimationFrame(resolve))
        return performance.now() - begun
      }),
    )
  }
  const sorted = [...taken].sort((a, b) => a - b)
  console.log(
    `a tried change is told after ${Math.round(sorted[sorted.length >> 1] as number)} ms (median of ${taken.length}; ${taken.map((one) => Math.round(one)).join(', ')})`,
  )
} finally {
  await browser.close()
  await served.close()
}
