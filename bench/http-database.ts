// Guarded routes over PostgreSQL compared with handlers by hand that give the same answers, over loopback with 32 callers:
// npm run bench:http-database -- --tasks 300000
// The server is a process of its own. The database "pachter_http" is created and kept.
import { spawn } from 'node:child_process'
import { once } from 'node:events'
import { Agent, request } from 'node:http'
import { fileURLToPath } from 'node:url'
import { parseArgs } from 'node:util'
import { createAdaptorServer } from '@hono/node-server'
import { Hono } from 'hono'
import { fromSession, routes } from 'pachter/http'
import { overKysely } from 'pachter/kysely'
import { readLayout } from 'pachter/sql'
import { openStore } from 'pachter/store'
import { type Server, servers } from './servers.js'
import { book, fillTasks, PEOPLE } from './tasks.js'

const { values } = parseArgs({
  options: {
    tasks: { type: 'string', default: '300000' },
    requests: { type: 'string', default: '3000' },
    rounds: { type: 'string', default: '5' },
    serve: { type: 'boolean' },
  },
})
const AT_ONCE = 32
const KEY = 'task-000042'

const COLUMNS = `id, owner_id as "ownerId", status, title, created_at as "createdAt", due_at as "dueAt", points::float8 as points`

/** What a developer writes by hand: who asks, whether they manage, and the condition in each query. */
function byHand({ query }: Server) {
  const mine = '(owner_id = $1 or id = any(array(select task_id from share where person_id = $1 and (until is null or until > now()))))'
  const condition = async (me: string) => {
    const [person] = await query('select is_manager from person where id = $1', [me])
    // The person is named in both, so that both have the same parameters.
    return person?.is_manager === true ? '$1::text is not null' : mine
  }
  return {
    list: async (me: string) => ({
      records: await query(`select ${COLUMNS} from task where ${await condition(me)} order by created_at desc, id desc limit 50`, [me]),
    }),
    get: async (me: string, key: string) =>
      (await query(`select ${COLUMNS} from task where id = $2 and ${await condition(me)}`, [me, key]))[0],
  }
}

async function serve(): Promise<void> {
  const [server] = await servers('pachter_http', 'PostgreSQL')
  if (server === undefined) throw new Error('PostgreSQL is needed: set PACHTER_TEST_POSTGRES')
  const there = await server.query(`select to_regclass('task') is not null as there`, [])
  if (there[0]?.there !== true) await fillTasks(server.db, 'postgres', Number(values.tasks))
  const layout = await readLayout(server.db, server.dialect, book, { names: 'snake_case' })
  const store = openStore(book, overKysely(server.db, server.dialect, { layout }))
  const identity = fromSession((asked) => ({ id: asked.headers.get('x-id') ?? '' }), { automatic: false })
  const guarded = routes(book, store, { identity, base: '/guarded' })
  const hand = byHand(server)
  const app = new Hono()
    .all('/guarded/*', (context) => guarded(context.req.raw))
    .get('/hand/task', async (context) => context.json(await hand.list(context.req.header('x-id') ?? '')))
    .get('/hand/task/:id', async (context) => {
      const found = await hand.get(context.req.header('x-id') ?? '', context.req.param('id'))
      return found === undefined ? context.notFound() : context.json(found)
    })
  process.once('SIGINT', () => process.exit())
  const listening = createAdaptorServer({ fetch: app.fetch })
  listening.listen(0, '127.0.0.1', () => process.send?.({ port: (listening.address() as { port: number }).port }))
}

async function measure(requests: number, rounds: number): Promise<void> {
  const server = spawn(process.execPath, [...process.execArgv, fileURLToPath(import.meta.url), '--serve', '--tasks', values.tasks], {
    stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
  })
  try {
    const [{ port }] = (await once(server, 'message')) as [{ port: number }]
    const agent = new Agent({ keepAlive: true, maxSockets: AT_ONCE })
    const lists = { guarded: '/guarded/task?sort=-createdAt&size=50', hand: '/hand/task' }
    const gets = { guarded: `/guarded/task/${KEY}`, hand: `/hand/task/${KEY}` }
    for (const [who, { id }] of Object.entries(PEOPLE))
      for (const [what, paths] of Object.entries({ 'a list of 50': lists, 'a get': gets })) {
        const status = await sameAnswers(port, paths, id)
        if (status !== 200) continue
        const rates: { [kind: string]: number[] } = { guarded: [], hand: [] }
        for (let round = -1; round < rounds; round++)
          for (const kind of ['hand', 'guarded'] as const) {
            const seconds = await run(agent, port, paths[kind], id, requests)
            if (round >= 0) rates[kind]?.push(requests / seconds)
          }
        const [hand, guarded] = ['hand', 'guarded'].map((kind) => median(rates[kind] as number[])) as [number, number]
        console.log(
          `${who}, ${what}: ${guarded.toFixed(0)} a second guarded, ${hand.toFixed(0)} by hand: ${(hand / guarded).toFixed(2)}x as long`,
        )
      }
    agent.destroy()
  } finally {
    server.kill()
  }
}

function median(all: number[]): number {
  return all.sort((a, b) => a - b)[Math.floor(all.length / 2)] as number
}

/** The status of both, whose records have to be the same. */
async function sameAnswers(port: number, paths: { readonly guarded: string; readonly hand: string }, id: string): Promise<number> {
  const answers = await Promise.all(
    [paths.guarded, paths.hand].map(async (path) => {
      const response = await fetch(`http://127.0.0.1:${port}${path}`, { headers: { 'x-id': id } })
      const body = response.ok ? ((await response.json()) as { records?: readonly { id: string }[]; id?: string }) : {}
      return { status: response.status, keys: (body.records ?? [body as { id: string }]).map((one) => one.id) }
    }),
  )
  const [one, other] = answers.map((answer) => JSON.stringify(answer))
  if (one !== other) throw new Error(`${paths.guarded}: the answers differ: ${one?.slice(0, 200)} and ${other?.slice(0, 200)}`)
  return answers[0]?.status ?? 0
}

/** Sends this many requests, 32 at once. Returns the seconds. */
async function run(agent: Agent, port: number, path: string, id: string, count: number): Promise<number> {
  const begun = performance.now()
  let left = count
  const worker = async () => {
    while (left-- > 0)
      await new Promise<void>((resolve, reject) => {
        request({ agent, host: '127.0.0.1', port, path, headers: { 'x-id': id } }, (response) => {
          if (response.statusCode !== 200) reject(new Error(`${path}: ${response.statusCode}`))
          response.resume().on('end', resolve)
        })
          .on('error', reject)
          .end()
      })
  }
  await Promise.all(Array.from({ length: AT_ONCE }, worker))
  return (performance.now() - begun) / 1000
}

if (values.serve) await serve()
else await measure(Number(values.requests), Number(values.rounds))
