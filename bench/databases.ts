// Lists, counts, single records and updates on PostgreSQL and MariaDB, compared with SQL tuned by hand and with the plain form: npm run
// bench:databases -- --plots 1000000
// Servers are configured as for the tests: PACHTER_TEST_POSTGRES, PACHTER_TEST_MARIADB. The database "pachter_bench" on them is created and
// kept.
import { parseArgs } from 'node:util'
import { Kysely, MysqlDialect, PostgresDialect } from 'kysely'
import { createPool } from 'mysql2'
import { indexed } from 'pachter'
import { overKysely } from 'pachter/kysely'
import { type Dialect, mariadb, postgres, readLayout, rowFilter } from 'pachter/sql'
import { openStore } from 'pachter/store'
import pg from 'pg'
import { generateWorld } from '../examples/world/generate.js'
import { book, fill, NOW, PEOPLE } from './garden.js'
import { handOf } from './hand.js'

const { values } = parseArgs({
  options: {
    plots: { type: 'string', default: '1000000' },
    on: { type: 'string' },
    plans: { type: 'boolean' },
    rounds: { type: 'string', default: '9' },
  },
})
const plots = Number(values.plots)
const ROUNDS = Number(values.rounds)

/** A server, its rows by its own driver, and its plans. */
interface Server {
  readonly name: string
  readonly dialect: Dialect
  readonly db: Kysely<any>
  query(text: string, values: readonly unknown[]): Promise<Record<string, unknown>[]>
}

const SERVERS: { readonly [name: string]: () => Promise<Server | undefined> } = { PostgreSQL: onPostgres, MariaDB: onMariadb }

async function onPostgres(): Promise<Server | undefined> {
  const url = process.env.PACHTER_TEST_POSTGRES
  if (!url) return undefined
  const admin = new pg.Client({ connectionString: url })
  await admin.connect()
  const there = await admin.query(`select from pg_database where datname = 'pachter_bench'`)
  if (there.rows.length === 0) await admin.query('create database pachter_bench')
  await admin.end()
  const pool = new pg.Pool({ connectionString: new URL('/pachter_bench', url).href, max: 2, options: '-c jit=off' })
  return {
    name: 'PostgreSQL',
    dialect: postgres,
    db: new Kysely<any>({ dialect: new PostgresDialect({ pool }) }),
    query: async (text, given) => (await pool.query(text, [...given])).rows,
  }
}

async function onMariadb(): Promise<Server | undefined> {
  const url = process.env.PACHTER_TEST_MARIADB
  if (!url) return undefined
  const admin = createPool({ uri: url }).promise()
  await admin.query('create database if not exists pachter_bench')
  await admin.end()
  const pool = createPool({ uri: new URL('/pachter_bench', url).href, connectionLimit: 2 })
  return {
    name: 'MariaDB',
    dialect: mariadb,
    db: new Kysely<any>({ dialect: new MysqlDialect({ pool }) }),
    query: async (text, given) => (await pool.promise().query(text, [...given]))[0] as Record<string, unknown>[],
  }
}

/** Runs the functions in turns and returns the median of each in milliseconds. Slow ones run less often. */
async function inTurns(works: readonly (() => Promise<unknown>)[]): Promise<number[]> {
  const times = works.map(() => [] as number[])
  for (let round = -1; round < ROUNDS; round++)
    for (const [at, work] of works.entries()) {
      const taken = times[at] as number[]
      if (taken.length >= 3 && (taken[0] as number) > 300) continue
      const start = performance.now()
      await work()
      if (round >= 0) taken.push(performance.now() - start)
    }
  return times.map((taken) => taken.sort((a, b) => a - b)[Math.floor(taken.length / 2)] as number)
}

const ms = (time: number) => (time < 10 ? time.toFixed(2) : time.toFixed(0))
const ratio = (a: number, b: number) => `${(a / b).toFixed(2)}x`

async function compare({ name, dialect, db, query }: Server): Promise<void> {
  const exists = (await db.introspection.getTables()).some((table) => table.name === 'plot')
  const count = exists ? Number((await query('select count(*) as n from plot', []))[0]?.n) : 0
  if (count !== plots) {
    for (const table of ['plot', 'share', 'member']) await db.schema.dropTable(table).ifExists().execute()
    process.stderr.write(`${name}: filling\n`)
    await fill(db, dialect, plots, (text) => process.stderr.write(`\r\u001b[K${name}: ${text}`))
    process.stderr.write('\r\u001b[K')
  }
  const layout = await readLayout(db, dialect, book)
  const store = openStore(book, overKysely(db, dialect, { layout }), { now: NOW })
  const shares = Number((await query('select count(*) as n from share', []))[0]?.n)
  console.log(`\n${name}, ${plots.toLocaleString('en')} plots, ${shares.toLocaleString('en')} shares; milliseconds`)
  line('', '', 'rows', 'by hand', 'ours', 'ratio', 'plain', 'gain', 'store')
  const scans: string[] = []
  for (const [who, me] of Object.entries(PEOPLE)) {
    const mine = store.for(me)
    const view = await mine.viewpoint()
    const { HAND, HAND_ONE, PLAIN, update } = handOf(dialect, view.me as never, NOW)
    const filter = rowFilter(view, 'read', 'plot', { dialect, layout })
    const single = rowFilter(view, 'read', 'plot', { dialect, layout, single: true })
    const keys = async ({ text, values: given }: Where) =>
      (await query(`select id from plot where ${text} order by id`, given)).map(({ id }) => id as string)
    const ids = await keys(HAND)
    for (const other of [filter, PLAIN]) if ((await keys(other)).join() !== ids.join()) throw new Error(`${who}: the answers differ`)
    const one = ids[Math.floor(ids.length / 2)]
    const columns = Object.keys(book.model.types.plot?.fields ?? {})
      .map((column) => (dialect === postgres ? `"${column}"` : `\`${column}\``))
      .join(', ')
    const page = ({ text, values: given }: Where): Where => ({
      text: `select ${columns} from plot where ${text} order by number desc, id desc limit 50`,
      values: given,
    })
    const count = ({ text, values: given }: Where): Where => ({ text: `select count(*) as n from plot where ${text}`, values: given })
    const get = ({ text, values: given }: Where): Where => ({
      text: `select ${columns} from plot where ${text} and id = ${dialect === postgres ? `$${given.length + 1}` : '?'}`,
      values: [...given, one],
    })
    const OPERATIONS: readonly Operation[] = [
      {
        what: 'page',
        rows: Math.min(50, ids.length),
        by: [HAND, filter, PLAIN].map(page),
        whole: () => mine.list('plot', { sort: ['-number'], limit: 50 }),
      },
      { what: 'count', rows: ids.length, by: [HAND, filter, PLAIN].map(count), whole: () => mine.count('plot') },
      { what: 'get', rows: 1, by: [HAND_ONE, single, PLAIN].map(get), whole: () => mine.get('plot', one as string) },
    ]
    for (const { what, rows, by, whole } of OPERATIONS) {
      const asked = by.map((each) => () => query(each.text, each.values))
      const [hand = 0, ours = 0, plain = 0, all = 0] = await inTurns([...asked, whole])
      line(who, what, rows.toLocaleString('en'), ms(hand), ms(ours), ratio(ours, hand), ms(plain), ratio(plain, ours), ms(all))
      const scanned = who === 'treasurer' ? [] : await scannedBy(dialect, query, by[1] as Where)
      for (const table of scanned) scans.push(`${who} ${what}: all of ${table}`)
    }
    if (who === 'treasurer' || who === 'visitor') continue
    // By hand with the same guarantees: locks the row and the rows that allow the change, then reads them again.
    const changeable = await keys(rowFilter(view, 'update', 'plot', { dialect, layout }))
    const mineToo = changeable[Math.floor(changeable.length / 2)] as string
    const planting = (at: number) => `leeks ${at}`
    let at = 0
    const statements = [
      () => db.connection().execute(async (connection) => update(connection, mineToo, planting(at++))),
      () => mine.update('plot', mineToo, { planting: planting(at++) }),
    ]
    const [hand = 0, ours = 0] = await inTurns(statements)
    line(who, 'update', '1', ms(hand), '', '', '', '', `${ms(ours)} ${ratio(ours, hand)}`)
  }
  console.log(
    scans.length === 0
      ? 'No plan for a person who sees a part reads a whole table.'
      : `Plans that look at a whole table: ${scans.join('; ')}`,
  )
}

interface Where {
  readonly text: string
  readonly values: readonly unknown[]
}

interface Operation {
  readonly what: string
  readonly rows: number
  /** By hand, ours, and in the plain form. */
  readonly by: readonly Where[]
  readonly whole: () => Promise<unknown>
}

const WIDTHS = [-10, -7, 9, 8, 8, 9, 8, 9, 8]

function line(...cells: readonly string[]): void {
  console.log(
    cells.map((cell, at) => ((WIDTHS[at] ?? 0) < 0 ? cell.padEnd(-(WIDTHS[at] as number)) : cell.padStart(WIDTHS[at] as number))).join(' '),
  )
}

/** The large tables that a plan reads completely. */
async function scannedBy(dialect: Dialect, query: Server['query'], { text, values: given }: Where): Promise<string[]> {
  const rows = await query(`explain ${text}`, given)
  if (values.plans) for (const row of rows) console.log(`    ${Object.values(row).join(' | ').slice(0, 160)}`)
  if (dialect === postgres) return rows.flatMap((row) => /Seq Scan on "?(plot|share)/.exec(String(row['QUERY PLAN']))?.[1] ?? [])
  return rows.flatMap(({ table, type, rows: read }) =>
    type === 'ALL' && !String(table).startsWith('<') && Number(read) > 100_000 ? [String(table)] : [],
  )
}

// The work for each person before the database is asked: reading their record, and specialising the rules.
const records = indexed({ member: generateWorld(12).member })
const specialise = () => {
  for (const me of Object.values(PEOPLE)) book.for(me, { now: NOW, records: records as never }).condition('read', 'plot')
}
for (let round = 0; round < 2000; round++) specialise()
const begun = performance.now()
for (let round = 0; round < 10_000; round++) specialise()
console.log(
  `specialised for a person who comes again: ${((performance.now() - begun) / 10 / Object.keys(PEOPLE).length).toFixed(1)} microseconds`,
)
// For people who were not seen before, nothing is remembered.
const types = Object.keys(book.model.types) as 'plot'[]
let next = 0
const specialiseAll = () => {
  const id = `new-${next++}`
  const view = book.for({ id, email: `${id}@marshlane.example` }, { now: NOW, records: records as never })
  for (const type of types) view.condition('read', type)
}
for (let round = 0; round < 2000; round++) specialiseAll()
const started = performance.now()
for (let round = 0; round < 10_000; round++) specialiseAll()
console.log(
  `the reading of all ${types.length} record types, for a new person: ${((performance.now() - started) / 10).toFixed(1)} microseconds`,
)

for (const [name, open] of Object.entries(SERVERS)) {
  if (values.on !== undefined && values.on !== name) continue
  const server = await open()
  if (server === undefined) {
    console.log(`${name} is left out: name a server, as for the tests`)
    continue
  }
  await compare(server)
  await server.db.destroy()
}
