// npm run demo: the allotment association's site, with its identity provider, over the demo data.
import { parseArgs } from 'node:util'
import { accounts } from './server/accounts.js'
import { startApp } from './server/app.js'
import { openData } from './server/data.js'
import { startProvider } from './server/provider.js'

const { values } = parseArgs({
  options: {
    port: { type: 'string', default: process.env.PORT ?? '4000' },
    db: { type: 'string' },
    help: { type: 'boolean', short: 'h', default: false },
  },
})
if (values.help) {
  console.log(`The allotment association's site, over the demo data.

  npm run demo -- [--port 4000] [--db postgres://user@host/database]

  --port   where it listens; the identity provider takes the port after it
  --db     keeps the records in a PostgreSQL, in a schema of their own (marsh_lane), and fills it at first
           Without it they are in SQLite, in memory, and new at every start.`)
  process.exit(0)
}
const port = Number(values.port)
if (!Number.isInteger(port) || port < 0 || port > 65_534) throw new Error(`--port takes a number up to 65534, and not ${values.port}`)

const data = await openData(values.db)
const application = { clientId: 'marsh-lane', audience: 'allotment', origins: [] }
const provider = await startProvider({ accounts, application, port: port === 0 ? 0 : port + 1 })
const { url } = await startApp({ data, provider, port })

const width = Math.max(...Object.keys(accounts).map((name) => name.length))
console.log(`
Marsh Lane Allotments   ${url}
Records in ${values.db === undefined ? 'SQLite, in memory: new at every start' : `${values.db.replace(/:[^:@/]*@/, '@')}, schema marsh_lane`}

Open it as somebody, and in another window as somebody else. There are no passwords.
${Object.entries(accounts)
  .map(([name, { about }]) => `  ${`${url}/as/${name}`.padEnd(url.length + width + 6)}${about}`)
  .join('\n')}
  ${url.padEnd(url.length + width + 4)}  a visitor

In the terminal: npm run tour. To stop: Ctrl+C.`)
