// Own queries on a million tasks, compared with the best SQL by hand for each person: npm run bench:own-queries -- --tasks 1000000
// Prints elapsed time of each query, warm, and what it costs when something in it may fail, so that visible rows are found first.
// The database "pachter_own_queries" is created and kept.
import { parseArgs } from 'node:util'
import { type Kysely, sql } from 'kysely'
import { rulebook, toMany } from 'pachter'
import { overKysely } from 'pachter/kysely'
import { readLayout } from 'pachter/sql'
import { openStore } from 'pachter/store'
import { z } from 'zod'
import { cell, measure, ratio, type Server, servers } from './servers.js'
import { fillTasks, Person, Share, Task } from './tasks.js'

const { values } = parseArgs({
  options: { tasks: { type: 'string', default: '1000000' }, on: { type: 'string' }, calls: { type: 'string', default: '100' } },
})
const tasks = Number(values.tasks)
const now = new Date('2026-06-15T09:00:00Z')

const book = rulebook({
  me: { shape: z.object({ id: z.string(), roles: z.array(z.enum(['manager', 'auditor', 'clerk'])) }), key: 'id' },
  records: {
    person: { shape: Person, key: 'id' },
    task: { shape: Task, key: 'id', links: { shares: toMany('share', 'taskId') } },
    share: { shape: Share, key: 'id' },
  },
})
  .standings({
    task: (task, { me }) => ({ owner: task.ownerId.is(me.id), guest: task.shares.some((share) => share.personId.is(me.id)) }),
  })
  .rules({
    person: (_person, { signedIn }) => ({ may: { read: [signedIn] } }),
    task: (task, { standing: { owner, guest }, role }) => ({
      may: {
        read: [
          owner,
          guest,
          role('manager'),
          role('auditor').provided(task.status.is('done')).except('points'),
          role('clerk').except('points'),
        ],
      },
    }),
    share: (share, { me, role, anyone }) => ({
      may: { read: [anyone.provided(share.personId.is(me.id)), role('manager', 'auditor', 'clerk')] },
    }),
  })

const OWN = "t.owner_id = '$me'"
/** Their own tasks and those shared with them, as each database finds them soonest. */
const THEIRS: { readonly [dialect: string]: string } = {
  postgres: `(${OWN} or t.id = any(array(select task_id from share where person_id = '$me')))`,
  mariadb: `t.id in (select id from (select id from task where owner_id = '$me' union select task_id from share where person_id = '$me') as theirs)`,
}
/** The people, with their rows and what they see of a limited field, as written by hand. */
const PEOPLE = {
  manager: { roles: ['manager'], rows: 'true', points: 't.points', shares: 'true' },
  clerk: { roles: ['clerk'], rows: 'true', points: 'case when THEIRS then t.points end', shares: 'true' },
  auditor: { roles: ['auditor'], rows: "(t.status = 'done' or THEIRS)", points: 'case when THEIRS then t.points end', shares: 'true' },
  member: { roles: [], rows: 'THEIRS', points: 't.points', shares: "s.person_id = '$me'" },
  stranger: { roles: [], rows: 'THEIRS', points: 't.points', shares: "s.person_id = '$me'" },
} as const
type Who = keyof typeof PEOPLE
const idOf = (who: Who) => (who === 'stranger' ? 'nobody' : who === 'member' ? 'person-000042' : 'person-000007')

interface Query {
  readonly what: string
  readonly ours: (queries: any) => any
  readonly hand: (rows: string, points: string, shares: string) => string
}
const FROM = '2025-03-01'
const UNTIL = '2025-03-03'
const QUERIES: readonly Query[] = [
  {
    what: 'page',
    ours: (q) =>
      q.selectFrom('task as t').select(['t.id', 't.title', 't.points']).orderBy('t.created_at', 'desc').orderBy('t.id', 'desc').limit(20),
    hand: (rows, points) =>
      `select t.id, t.title, ${points} as points from task t where ${rows} order by t.created_at desc, t.id desc limit 20`,
  },
  {
    what: 'join',
    ours: (q) =>
      q
        .selectFrom('task as t')
        .innerJoin('person as p', 'p.id', 't.owner_id')
        .select(['t.id', 'p.id as owner'])
        .where('t.status', '=', 'open')
        .orderBy('t.created_at', 'desc')
        .orderBy('t.id', 'desc')
        .limit(20),
    hand: (rows) =>
      `select t.id, p.id as owner from task t join person p on p.id = t.owner_id where ${rows} and t.status = 'open' order by t.created_at desc, t.id desc limit 20`,
  },
  {
    what: 'sum by group',
    ours: (q) =>
      q
        .selectFrom('task as t')
        .select(({ fn }: any) => ['t.status', fn.countAll().as('n'), fn.sum('t.points').as('points')])
        .where('t.created_at', '>=', new Date(FROM))
        .where('t.created_at', '<', new Date('2025-06-01'))
        .groupBy('t.status')
        .orderBy('t.status'),
    hand: (rows, points) =>
      `select t.status, count(*) as n, sum(${points}) as points from task t where ${rows} and t.created_at >= '${FROM}' and t.created_at < '2025-06-01' group by t.status order by t.status`,
  },
  {
    what: 'window',
    ours: (q) =>
      q
        .selectFrom('task as t')
        .select(({ fn }: any) => [
          't.id',
          fn
            .agg('row_number')
            .over((over: any) => over.partitionBy('t.status').orderBy('t.created_at').orderBy('t.id'))
            .as('at'),
        ])
        .where('t.created_at', '>=', new Date(FROM))
        .where('t.created_at', '<', new Date(UNTIL))
        .orderBy('t.id'),
    hand: (rows) =>
      `select t.id, row_number() over (partition by t.status order by t.created_at, t.id) as at from task t where ${rows} and t.created_at >= '${FROM}' and t.created_at < '${UNTIL}' order by t.id`,
  },
  {
    what: 'three-way join',
    ours: (q) =>
      q
        .selectFrom('share as s')
        .innerJoin('task as t', 't.id', 's.task_id')
        .innerJoin('person as p', 'p.id', 't.owner_id')
        .select(({ fn }: any) => ['t.status', fn.count('p.id').distinct().as('owners')])
        .where('t.created_at', '>=', new Date(FROM))
        .where('t.created_at', '<', new Date(UNTIL))
        .groupBy('t.status')
        .orderBy('t.status'),
    hand: (rows, _points, shares) =>
      `select t.status, count(distinct p.id) as owners from share s join task t on t.id = s.task_id join person p on p.id = t.owner_id where ${shares} and ${rows} and t.created_at >= '${FROM}' and t.created_at < '${UNTIL}' group by t.status order by t.status`,
  },
]
// A condition that is true, and that is not known never to fail.
const fenced = (query: any) => query.where((eb: any) => eb(eb.fn('length', ['t.id']), '>', 0))

const told = (rows: any[]) =>
  JSON.stringify(
    rows.map((row) => Object.entries(row).map(([name, value]) => [name, value === null ? null : String(Number(value) || value)])),
  )

async function compare({ name, dialect, db, query }: Server): Promise<void> {
  if (!(await db.introspection.getTables()).some((table) => table.name === 'task')) await fillTasks(db, dialect.name, tasks)
  await sql`set time zone 'UTC'`.execute(db as Kysely<any>).catch(() => undefined)
  const layout = await readLayout(db, dialect, book, { names: 'snake_case' })
  const store = openStore(book, overKysely(db, dialect, { layout }), { now })
  console.log(`\n${name}; milliseconds for each query: by hand, ours, and ours where something in it may fail`)
  console.log(`${''.padEnd(26)}${['by hand', 'ours', 'ratio', 'fenced', 'ratio'].map((one) => one.padStart(9)).join('')}`)
  for (const { what, ours, hand } of QUERIES)
    for (const [who, { roles, rows, points, shares }] of Object.entries(PEOPLE)) {
      const me = { id: idOf(who as Who), roles: [...roles] as ('manager' | 'auditor' | 'clerk')[] }
      const queries = await store.for(me).queries<any>({ failed: (error: unknown) => console.log(String(error)) })
      const text = hand(rows, points, shares)
        .replaceAll('THEIRS', THEIRS[dialect.name] as string)
        .replaceAll('$me', me.id)
      const written = () => query(text, [])
      const asked = () => ours(queries).execute()
      const [a, b] = [told(await asked()), told(await written())]
      if (a !== b) throw new Error(`${who}, ${what}: the answers differ: ${a.slice(0, 400)} ${b.slice(0, 400)}`)
      const works = [written, asked, () => fenced(ours(queries)).execute()]
      const [first, second, third] = (await measure(works, Number(values.calls))).map(({ time }) => time) as [number, number, number]
      console.log(`${`${who}: ${what}`.padEnd(26)}${cell(first)}${cell(second)}${ratio(second, first)}${cell(third)}${ratio(third, first)}`)
    }
  await db.destroy()
}

for (const server of await servers('pachter_own_queries', values.on)) await compare(server)
process.exit()
