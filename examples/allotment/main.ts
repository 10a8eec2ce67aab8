// npm run demo: the allotment association's site, with its identity provider, over the demo data.
import { writeFileSync } from 'node:fs'
import { parseArgs } from 'node:util'
import { accounts } from './server/accounts.js'
import { startApp } from './server/app.js'
import { openData } from './server/data.js'
import { startProvider } from './server/provider.js'

const HELP = `The allotment association's site, over the demo data.

  npm run demo -- [--port 4000] [--db postgres://user@host/database] [--tokens file] [--page folder]

  --port   where it listens; the identity provider takes the port after it
  --db     keeps the records in a PostgreSQL, in a schema of their own (marsh_lane), and fills it at first
           Without it they are in SQLite, in memory, and new at every start.
  --tokens writes a token of everybody into a file, for pachter check --url
  --page   where the page was built, if elsewhere than npm run demo does`

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
  if (!Number.isInteger(port) || port < 0 || port > 65_534) throw new Error(`--port takes a number up to 65534, and not ${values.port}`)

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
  const check = values.tokens === undefined ? '' : `\nAs each of them: npx pachter check --url ${url}/api --tokens ${values.tokens}`
  return `
Marsh Lane Allotments   ${url}
Records in ${values.db === undefined ? 'SQLite, in memory: new at every start' : `${values.db.replace(/:[^:@/]*@/, '@')}, schema marsh_lane`}

Open it as somebody, and in another window as somebody else. There are no passwords.
${people.join('\n')}
  ${url.padEnd(width)}  a visitor

In the terminal: npm run tour.${check}
To stop: Ctrl+C.`
}

start().then(
  (said) => console.log(said),
  (error: Error & { code?: string }) => {
    const taken = error.code === 'EADDRINUSE' ? ': another program listens there; --port takes another' : ''
    console.error(`The site does not start: ${error.message}${taken}`)
    process.exit(1)
  },
)
