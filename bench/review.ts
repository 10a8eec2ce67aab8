// The page of pachter review with many records, in a real browser: the time until it is usable, and until a trial is shown.
// PACHTER_TEST_BROWSER=/usr/bin/chromium npm run bench:review -- --people 50 --plots 10000
import { createRequire } from 'node:module'
import { parseArgs } from 'node:util'
import { projectOf } from 'pachter/review'
import { unchanging } from '../cli/dist/review/reviewed.js'
import { serveReview } from '../cli/dist/review/server.js'
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
  const look = async (to: string) => {
    await page.evaluate((hash) => {
      location.hash = hash
    }, to)
  }
  await page.goto(`${served.url}/#plot/matrix`)
  await page.locator('[role=gridcell]').first().waitFor()
  console.log(
    `${Object.keys(people).length} people, ${plot.length.toLocaleString('en')} plots (${share.length.toLocaleString('en')} shares, ${member.length.toLocaleString('en')} members): usable after ${Math.round(await page.evaluate(() => performance.now()))} ms`,
  )
  await page.waitForTimeout(1500)

  /** From the click until the gains, losses and the matrix are shown. */
  const told = (button: string) =>
    page.evaluate(async (name) => {
      const found = [...document.querySelectorAll('button')].find((one) => one.textContent === name) as HTMLButtonElement
      const begun = performance.now()
      found.click()
      const text = () => document.querySelector('.tray [role=status]')?.textContent ?? ''
      while (document.querySelector('dialog') !== null || !/gain|lose/.test(text()))
        await new Promise((resolve) => requestAnimationFrame(resolve))
      return performance.now() - begun
    }, button)

  const report = async (what: string, attempt: (number: number) => Promise<number>) => {
    const taken: number[] = []
    for (let number = 0; number < 7; number++) {
      taken.push(await attempt(number))
      await page.getByRole('button', { name: 'Discard trial' }).click()
      // The page is open meanwhile.
      await page.waitForTimeout(600)
    }
    const sorted = [...taken].sort((a, b) => a - b)
    console.log(
      `${what}: ${Math.round(sorted[sorted.length >> 1] as number)} ms (median of ${taken.map((one) => Math.round(one)).join(', ')})`,
    )
  }

  await report('a plot becomes vacant, so that everyone sees it', async (number) => {
    const key = plot[number * 7 + 3]?.id as string
    await look(`#plot/matrix?record=${key}&person=visitor&action=read`)
    await page.getByRole('button', { name: `Edit plot ${key}` }).click()
    await page.getByLabel('state').selectOption('vacant')
    return told('Try it')
  })
  await report('a plot is removed', async (number) => {
    const key = plot[number * 7 + 3]?.id as string
    await look(`#plot/matrix?record=${key}&person=visitor&action=read`)
    await page.getByRole('button', { name: `Edit plot ${key}` }).waitFor()
    return told('Remove it')
  })
  await report('a plot is shared with another person', async (number) => {
    const key = share[number * 5 + 2]?.id as string
    await look(`#share/matrix?record=${key}&person=visitor&action=read`)
    await page.getByRole('button', { name: `Edit share ${key}` }).click()
    await page.getByLabel('memberId').fill(asking[number]?.id as string)
    return told('Try it')
  })
  await report('a person gets other claims', async (number) => {
    const { id } = asking[number] as { id: string }
    await look(`#plot/matrix?record=${plot[number]?.id}&person=${id}&action=read`)
    await page.getByRole('button', { name: `Edit ${id}’s claims` }).click()
    await page.getByLabel('claims, as JSON').fill(JSON.stringify({ id: asking[number + 8]?.id, email: 'else@marshlane.example' }))
    return told('Try it')
  })
  await report('a clause is not there', async (number) => {
    await look(`#plot/matrix?side=rules&rule=clause-read-${number % 5}`)
    await page.getByRole('button', { name: 'Try without this clause' }).waitFor()
    return told('Try without this clause')
  })
} finally {
  await browser.close()
  await served.close()
}
