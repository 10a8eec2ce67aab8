// The access matrix of a database's records: read once and worked out by sets; or counted by SQL, person by person; or in one
// statement with the people as a table, written by hand: PACHTER_TEST_POSTGRES=... npm run bench:matrix-database -- --plots 100000
import { parseArgs } from 'node:util'
import { Kysely, PostgresDialect } from 'kysely'
import { indexed } from 'pachter'
import { snapshot } from 'pachter/kysely'
import { accessMatrix } from 'pachter/review'
import { postgres, readLayout, rowFilter } from 'pachter/sql'
import pg from 'pg'
import { book, fill, NOW } from './garden.js'

const { values } = parseArgs({ options: { people: { type: 'string', default: '1000' }, plots: { type: 'string', default: '100000' } } })
const url = process.env.PACHTER_TEST_POSTGRES
if (!url) throw new Error('PACHTER_TEST_POSTGRES: name a server, as for the tests; its database "pachter_bench" is dropped and created')
const plots = Number(values.plots)

const admin = new pg.Client({ connectionString: url })
await admin.connect()
await admin.query('drop database if exists pachter_bench')
await admin.query('create database pachter_bench')
await admin.end()
const pool = new pg.Pool({ connectionString: new URL('/pachter_bench', url).href, max: 1, options: '-c jit=off' })
const db = new Kysely<any>({ dialect: new PostgresDialect({ pool }) })
await fill(db, postgres, plots, () => undefined, Number.POSITIVE_INFINITY)
await pool.query('analyze')
const layout = await readLayout(db, postgres, book)

async function timed<T>(work: () => Promise<T>): Promise<{ readonly seconds: number; readonly result: T }> {
  const begun = performance.now()
  const result = await work()
  return { seconds: (performance.now() - begun) / 1000, result }
}

const { result: first } = await timed(() => snapshot(book, db, postgres, { layout }))
const members = first.member as { id: string; email: string }[]
const step = Math.max(1, Math.floor(members.length / Number(values.people)))
const asking = [...members.slice(0, 10), ...members.filter((_, at) => at >= 10 && at % step === 0)].slice(0, Number(values.people))
const people = Object.fromEntries(asking.map(({ id, email }) => [id, { id, email }]))

const bySets = await timed(async () => {
  const records = await snapshot(book, db, postgres, { layout })
  const matrix = accessMatrix(book, 'plot', { people, records, now: NOW, actions: ['read'] })
  return Object.fromEntries(matrix.people.map((name) => [name, matrix.count(name, 'read')]))
})

const oneByOne = await timed(async () => {
  const counts: Record<string, number> = {}
  const linked = indexed(first as never) as never
  for (const [name, me] of Object.entries(people)) {
    const { text, values: given } = rowFilter(book.for(me as never, { now: NOW, records: linked }), 'read', 'plot', {
      dialect: postgres,
      layout,
    })
    counts[name] = Number((await pool.query(`select count(*) as n from plot where ${text}`, [...given])).rows[0].n)
  }
  return counts
})

const SHARED = `t."id" in (select s."plotId" from share s where s."memberId" = p."id" and (s."until" is null or s."until" > $2))`
const PEOPLE = `(select m."id", m."roles" ? 'warden' as warden, m."roles" ? 'treasurer' as treasurer, m."siteIds" from member m where m."id" = any ($1))`
const BRANCHES = ['t."holderId" = p."id"', SHARED, `(p.warden and p."siteIds" ? t."siteId")`, 'p.treasurer', `t."state" = 'vacant'`]
const counted = async (rows: string) => {
  const given = [Object.keys(people), NOW]
  const found = (await pool.query(`select "id", count(*) as n from (${rows}) as pairs group by "id"`, given)).rows
  return Object.fromEntries(found.map(({ id, n }) => [id, Number(n)]))
}
const together = await timed(() =>
  counted(BRANCHES.map((branch) => `select p."id", t."id" as plot from ${PEOPLE} p join plot t on ${branch}`).join(' union ')),
)

for (const { result } of [oneByOne, together])
  for (const name of Object.keys(people))
    if ((result[name] ?? 0) !== bySets.result[name]) throw new Error(`${name}: ${result[name]} and ${bySets.result[name]}`)
const allowed = Object.values(bySets.result).reduce((sum, count) => sum + count, 0)
console.log(
  `${asking.length.toLocaleString('en')} people, ${plots.toLocaleString('en')} plots, who reads which: ${allowed.toLocaleString('en')} pairs. ` +
    `Read once, then by sets: ${bySets.seconds.toFixed(1)} s. ` +
    `By SQL, person by person: ${oneByOne.seconds.toFixed(1)} s (${(oneByOne.seconds / bySets.seconds).toFixed(1)}x). ` +
    `By SQL, one statement with the people as a table: ${together.seconds.toFixed(1)} s (${(together.seconds / bySets.seconds).toFixed(1)}x).`,
)
await db.destroy()
