// Guarded routes compared with the same handlers without rules, over loopback: npm run bench:http -- --requests 100000
// The server is a separate process. Measures requests per second for a list and for one record, in turns; then memory over many requests.
import { type ChildProcess, spawn } from 'node:child_process'
import { once } from 'node:events'
import { Agent, request } from 'node:http'
import { fileURLToPath } from 'node:url'
import { parseArgs } from 'node:util'
import { createAdaptorServer } from '@hono/node-server'
import { Hono } from 'hono'
import { fromSession, routes } from 'pachter/http'
import { inMemory, openStore } from 'pachter/store'
import { generateWorld } from '../examples/world/generate.js'
import { book } from '../examples/world/rulebook.js'

const { values } = parseArgs({
  options: { plots: { type: 'string', default: '1000' }, requests: { type: 'string', default: '20000' }, serve: { type: 'boolean' } },
})
const AT_ONCE = 8

if (values.serve) await serve(Number(values.plots))
else await measure(Number(values.requests))

/** Guarded at /guarded, and without rules at /bare: the same records, pages and JSON. */
async function serve(plots: number): Promise<void> {
  const { member, site, plot, share } = generateWorld(plots)
  const store = openStore(book, inMemory({ member, site, plot, share }), { now: new Date('2026-06-15T09:00:00Z') })
  const identity = fromSession((request) => ({ id: request.headers.get('x-id') ?? 'm-06' }), { automatic: false })
  const guarded = routes(book, store, { identity, base: '/guarded' })
  const rows = [...plot].sort((a, b) => (a.id < b.id ? -1 : 1))
  const byId = new Map(rows.map((row) => [row.id, row]))
  const app = new Hono()
    .all('/guarded/*', (context) => guarded(context.req.raw))
    .get('/bare/plot', (context) => context.json({ records: rows.slice(0, 50) }))
    .get('/bare/plot/:id', (context) => {
      const found = byId.get(context.req.param('id'))
      return found === undefined ? context.notFound() : context.json(found)
    })
  const server = createAdaptorServer({ fetch: app.fetch })
  server.listen(0, '127.0.0.1', () =>
    process.send?.({
      port: (server.address() as { port: number }).port,
      key: rows[7]?.id,
      hidden: rows.find(({ holderId, coHolderIds, state }) => state === 'let' && holderId !== 'm-01' && !coHolderIds.includes('m-01'))?.id,
    }),
  )
  process.on('message', () => {
    globalThis.gc?.()
    process.send?.({ memory: process.memoryUsage().rss })
  })
}

async function measure(requests: number): Promise<void> {
  const server = spawn(
    process.execPath,
    ['--expose-gc', ...process.execArgv, fileURLToPath(import.meta.url), '--serve', '--plots', values.plots],
    {
      stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
    },
  )
  try {
    const [{ port, key, hidden }] = (await once(server, 'message')) as [{ port: number; key: string; hidden: string }]
    const agent = new Agent({ keepAlive: true, maxSockets: AT_ONCE })
    const paths = { list: 'plot', get: `plot/${key}` }
    for (const [name, path] of Object.entries(paths)) {
      const taken: { [kind: string]: number[] } = { bare: [], guarded: [] }
      // In turns, so that both meet the same load.
      for (let round = -1; round < 5; round++)
        for (const kind of ['bare', 'guarded']) {
          const seconds = await run(agent, port, `/${kind}/${path}`, 1500)
          if (round >= 0) taken[kind]?.push(1500 / seconds)
        }
      const [bare, guarded] = ['bare', 'guarded'].map((kind) => (taken[kind] as number[]).sort((a, b) => a - b)[2] as number) as [
        number,
        number,
      ]
      console.log(
        `${name}: ${guarded.toFixed(0)} a second guarded, ${bare.toFixed(0)} without rules: ${(bare / guarded).toFixed(2)}x as long`,
      )
    }
    for (const method of ['GET', 'PATCH']) {
      const asked = { method, status: 404, headers: { 'x-id': 'm-01', 'content-type': 'application/json' }, body: '{"planting":"x"}' }
      const times: { [path: string]: number[] } = { [hidden]: [], none: [] }
      for (let round = -1; round < 9; round++)
        for (const path of [hidden, 'none']) {
          const seconds = await run(agent, port, `/guarded/plot/${path}`, 500, asked)
          if (round >= 0) times[path]?.push(seconds)
        }
      const [there, never] = [hidden, 'none'].map((path) => (times[path] as number[]).sort((a, b) => a - b)[4] as number) as [
        number,
        number,
      ]
      console.log(`${method} of what is hidden takes ${(there / never).toFixed(2)}x as long as of what never was`)
    }
    const before = await memoryOf(server)
    for (let part = 1; part <= 4; part++) {
      await run(agent, port, `/guarded/plot/${key}`, requests / 4)
      console.log(
        `memory after ${((requests * part) / 4).toLocaleString('en')} requests: ${mib(await memoryOf(server))} MiB, ${mib(before)} before`,
      )
    }
    agent.destroy()
  } finally {
    server.kill()
  }
}

function mib(bytes: number): string {
  return (bytes / 2 ** 20).toFixed(0)
}

async function memoryOf(server: ChildProcess): Promise<number> {
  server.send('memory')
  const [{ memory }] = (await once(server, 'message')) as [{ memory: number }]
  return memory
}

interface Asking {
  readonly method: string
  readonly status: number
  readonly headers: Readonly<Record<string, string>>
  readonly body?: string
}

/** Sends this many requests, some concurrently. Returns the seconds. */
async function run(
  agent: Agent,
  port: number,
  path: string,
  count: number,
  how: Asking = { method: 'GET', status: 200, headers: {} },
): Promise<number> {
  const begun = performance.now()
  let left = count
  const worker = async () => {
    while (left-- > 0)
      await new Promise<void>((resolve, reject) => {
        request({ agent, host: '127.0.0.1', port, path, method: how.method, headers: how.headers }, (response) => {
          if (response.statusCode !== how.status) reject(new Error(`${path}: ${response.statusCode}`))
          response.resume().on('end', resolve)
        })
          .on('error', reject)
          .end(how.method === 'GET' ? undefined : how.body)
      })
  }
  await Promise.all(Array.from({ length: AT_ONCE }, worker))
  return (performance.now() - begun) / 1000
}
