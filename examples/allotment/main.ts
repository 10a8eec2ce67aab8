// npm run demo: the allotment association's site, with its identity provider, over the demo data.
import { writeFileSync } from 'node:fs'
import { parseArgs } from 'node:util'
import { accounts } from './server/accounts.js'
import { startApp } from './server/app.js'
import { openData } from './server/data.js'
import { startProvider } from './server/provider.js'

const HELP = `The allotment association's site, over the demo data.

  npm run demo -- [--port 4000] [--db postgres://user@host/database] [--tokens file] [--page folder]

  --port   the port of the site; the identity provider uses the next one
  --db     keeps the records in PostgreSQL, in the schema marsh_lane, and fills it at the first start
           (default: SQLite in memory, new at every start)
  --tokens writes a token for each person to a file, for pachter check --url
  --page   the folder of the built page`

async function start() {
  const { values } = parseArgs({
    options: {
      port: { type: 'string', default: process.env.PORT ?? '4000' },
      db: { type: 'string' },
      tokens: { type: 'string' },
      page: { type: 'string' },
      help: { type: 'boolean', short: 'h', default: false },
    },
  })
  if (values.help) return HELP
  const port = Number(values.port)
  if (!Number.isInteger(port) || port < 0 || port > 65_534) throw new Error(`--port needs a number up to 65534, not ${values.port}`)

  const data = await openData(values.db)
  const application = { clientId: 'marsh-lane', audience: 'allotment', origins: [] }
  const provider = await startProvider({ accounts, application, port: port === 0 ? 0 : port + 1 })
  const { url } = await startApp({ data, provider, port, ...(values.page === undefined ? {} : { page: values.page }) })
  const names = Object.keys(accounts)
  if (values.tokens !== undefined) {
    const lines = await Promise.all(names.map(async (name) => `${name}: ${await provider.tokenOf(name)}\n`))
    writeFileSync(values.tokens, lines.join(''), { mode: 0o600 })
  }
  const width = `${url}/as/`.length + Math.max(...names.map((name) => name.length))
  const people = Object.entries(accounts).map(([name, { about }]) => `  ${`${url}/as/${name}`.padEnd(width)}  ${about}`)
  const check = values.tokens === undefined ? '' : `\nCheck it as each person: npx pachter check --url ${url}/api --tokens ${values.tokens}`
  return `
Marsh Lane Allotments   ${url}
Records in ${values.db === undefined ? 'SQLite, in memory: new at every start' : `${values.db.replace(/:[^:@/]*@/, '@')}, schema marsh_lane`}

Open it as one person, and in another window as another. There are no passwords.
${people.join('\n')}
  ${url.padEnd(width)}  a visitor

In the terminal: npm run tour.${check}
Press Ctrl-C to stop.`
}

start().then(
  (said) => console.log(said),
  (error: Error & { code?: string }) => {
    const taken = error.code === 'EADDRINUSE' ? ': the port is in use. Choose another with --port.' : ''
    console.error(`The site cannot start: ${error.message}${taken}`)
    process.exit(1)
  },
)
