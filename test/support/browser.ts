// A real browser for tests of pages, where the environment names one: PACHTER_TEST_BROWSER is the path of a Chromium.
import { createRequire } from 'node:module'
import type { Browser, Page } from 'playwright-core'

// Required, and only where it is used: as an import it cannot pass the loader of the tests.
const { chromium } = createRequire(import.meta.url)('playwright-core') as typeof import('playwright-core')

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

/** Opens pages within a `describe`, each in a fresh context. */
export function browser(): (url: string, look?: { width?: number; height?: number; dark?: boolean }) => Promise<Opened> {
  let running: Browser | undefined
  before(async () => {
    running = await chromium.launch({ executablePath: BROWSER as string, args: ['--no-sandbox', ...QUIET] })
  })
  after(() => running?.close())
  return async (url, { width = 1280, height = 800, dark = false } = {}) => {
    const context = await (running as Browser).newContext({ viewport: { width, height }, colorScheme: dark ? 'dark' : 'light' })
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
