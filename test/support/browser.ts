// A real browser for tests of pages, where the environment names one: PACHTER_TEST_BROWSER is the path of a Chromium.
import { createRequire } from 'node:module'
import type { Browser, BrowserContext, Page } from 'playwright-core'

// Required, and only where they are used: as imports they cannot pass the loader of the tests.
const require = createRequire(import.meta.url)
const { chromium } = require('playwright-core') as typeof import('playwright-core')
const axe = require('axe-core') as typeof import('axe-core')

/** The path of the browser; undefined where tests do without. */
export const BROWSER = process.env.PACHTER_TEST_BROWSER

// Without these, it looks for servers of its maker's at every start.
const QUIET = [
  '--disable-gpu',
  '--disable-quic',
  '--no-first-run',
  '--disable-background-networking',
  '--disable-component-update',
  '--disable-sync',
]

/** A page, and all that it complained of or asked the network for. */
export interface Opened {
  readonly page: Page
  readonly complaints: readonly string[]
}

/**
 * Opens pages within a `describe`, each in a fresh context. They are closed after the test that opened them: one that is left goes on
 * asking a server that is there no more. Where pages outlast a test, whoever opens them closes them.
 */
export function browser({
  outlast = false,
} = {}): (url: string, look?: { width?: number; height?: number; dark?: boolean }) => Promise<Opened> {
  let running: Browser | undefined
  const opened: BrowserContext[] = []
  if (!outlast) afterEach(() => Promise.all(opened.splice(0).map((context) => context.close())))
  before(async () => {
    running = await chromium.launch({ executablePath: BROWSER as string, args: ['--no-sandbox', ...QUIET] })
  })
  after(() => running?.close())
  return async (url, { width = 1280, height = 800, dark = false } = {}) => {
    const context = await (running as Browser).newContext({ viewport: { width, height }, colorScheme: dark ? 'dark' : 'light' })
    opened.push(context)
    await context.addInitScript(watchRequests)
    const page = await context.newPage()
    const complaints: string[] = []
    page.on('console', (message) => complaints.push(`${message.type()}: ${message.text()}`))
    page.on('pageerror', (error) => complaints.push(String(error)))
    page.on('dialog', (dialog) => complaints.push(`dialog: ${dialog.message()}`))
    page.on('request', (request) => {
      if (request.url() !== url) complaints.push(`asked for ${request.url()}`)
    })
    await page.goto(url)
    return { page, complaints }
  }
}

/**
 * What rules for accessible pages (WCAG 2.1 AA) find wrong. Where the same page was looked at in the light already, what else there
 * is to see in the dark is the contrast.
 */
export async function accessFaults(page: Page, isSeenAlready = false): Promise<string[]> {
  await page.evaluate(axe.source)
  return page.evaluate(
    async (runOnly) => {
      const { violations } = await (globalThis as any).axe.run(document, { runOnly, resultTypes: ['violations'] })
      return violations.map((one: any) => `${one.id}: ${one.help}: ${one.nodes.map((node: any) => node.html.slice(0, 150)).slice(0, 3)}`)
    },
    isSeenAlready ? ['color-contrast'] : ['wcag2a', 'wcag2aa', 'wcag21aa', 'best-practice'],
  )
}

/**
 * In the page: `quiet()` resolves when no request is under way, nothing says that it is busy, and nothing has changed for some turns. They
 * are counted, not timed: on a slow machine what was drawn may take long to follow up by what it asks for, but not many turns.
 */
function watchRequests(): void {
  const TURNS = 5
  const TURN_MS = 8
  const LONGEST_MS = 30_000
  const ask = globalThis.fetch
  let underway = 0
  let calm = 0
  const stir = () => {
    calm = 0
  }
  const done = () => {
    underway--
    stir()
  }
  globalThis.fetch = async (...args) => {
    underway++
    stir()
    try {
      const response = await ask(...args)
      // A list that is kept up to date never ends.
      if (response.headers.get('content-type')?.startsWith('text/event-stream')) done()
      else response.clone().arrayBuffer().then(done, done)
      return response
    } catch (error) {
      done()
      throw error
    }
  }
  new MutationObserver(stir).observe(document, { subtree: true, childList: true, attributes: true, characterData: true })
  const turn = async () => {
    await new Promise((resolve) => setTimeout(resolve, TURN_MS))
    // When all that waits has had its turn.
    await new Promise((resolve) => requestIdleCallback(resolve, { timeout: 1000 }))
  }
  const quiet = async () => {
    const asked = performance.now()
    stir()
    while (calm < TURNS) {
      calm++
      await turn()
      const main = document.querySelector('main')
      if (underway > 0 || !main?.firstElementChild || main.querySelector('[aria-busy=true]') !== null) stir()
      if (performance.now() - asked > LONGEST_MS) throw new Error(`no rest after ${LONGEST_MS / 1000} s: ${underway} requests under way`)
    }
  }
  Object.assign(globalThis, { quiet })
}
