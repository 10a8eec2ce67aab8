// The full-stack example, built and started for tests, and people who use it in a browser.
import { existsSync, mkdirSync, renameSync } from 'node:fs'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import type { Page } from 'playwright-core'
import { accounts } from '../../examples/allotment/server/accounts.js'
import { startApp } from '../../examples/allotment/server/app.js'
import { openData } from '../../examples/allotment/server/data.js'
import { startProvider } from '../../examples/allotment/server/provider.js'
import { browser } from './browser.js'
import { buildWith } from './vite.js'

const configFile = fileURLToPath(new URL('../../examples/allotment/vite.config.ts', import.meta.url))

/** Builds the page, once for all the tests of a run that ask for it. Gives its folder. */
export async function buildPage(): Promise<string> {
  const shared = process.env.PACHTER_TEST_SHARED as string
  const [built, failed] = [join(shared, 'built'), join(shared, 'failed')]
  try {
    mkdirSync(shared)
  } catch (error) {
    if ((error as { code?: string }).code !== 'EEXIST') throw error
    // Another worker builds it.
    while (!existsSync(built) && !existsSync(failed)) await new Promise((resolve) => setTimeout(resolve, 50))
    if (existsSync(failed)) throw new Error('the page could not be built: see the test that built it')
    return `${built}/`
  }
  try {
    const outDir = join(shared, 'building')
    await buildWith({ configFile, build: { outDir } })
    renameSync(outDir, built)
    return `${built}/`
  } catch (error) {
    mkdirSync(failed)
    throw error
  }
}

/** The example with data of its own. */
export async function startAllotment(page: string, { lifetime = 3600 } = {}) {
  const data = await openData()
  const provider = await startProvider({ accounts, application: { clientId: 'marsh-lane', audience: 'allotment', origins: [] }, lifetime })
  let app = await startApp({ data, provider, page })
  return {
    data,
    provider,
    url: app.url,
    system: data.store.asSystem('a test'),
    stop: () => app.close(),
    /** On the same port, over the same records. */
    async startAgain() {
      app = await startApp({ data, provider, page, port: app.port })
    },
    async close() {
      await app.close()
      await provider.close()
      await data.close()
    },
  }
}

export type Allotment = Awaited<ReturnType<typeof startAllotment>>

/** Windows of people, each with what it complained of besides the requests that it makes. */
export function windows(of: () => Allotment, how: { readonly outlast?: boolean } = {}) {
  const open = browser(how)
  return async (who: string | undefined, path = '/plots', look: { width?: number; height?: number; dark?: boolean } = {}) => {
    const { url } = of()
    const { page, complaints } = await open(who === undefined ? `${url}${path}` : `${url}/as/${who}`, look)
    if (who !== undefined) {
      await page.waitForURL(`${url}/plots`)
      if (path !== '/plots') await visit(page, path)
    }
    return { page, wrong: () => complaints.filter((what) => !what.startsWith('asked for ')) }
  }
}

/** Goes to another page as a link within the page does. */
export async function visit(page: Page, path: string): Promise<void> {
  await page.evaluate((to) => history.pushState(null, '', to), path)
  await settled(page)
}

/** When nothing is on its way any more, and the page has stopped changing. */
export const settled = (page: Page): Promise<void> => page.evaluate(() => (globalThis as unknown as { quiet: () => Promise<void> }).quiet())
