// Lists, counts and single records on tables as applications have them, compared with the same answers in SQL by hand with the same driver:
// npm run bench:tables -- --tasks 500000
// Prints elapsed time and processor time of this process for each call, warm. The database "pachter_tasks" is created and kept.
import { parseArgs } from 'node:util'
import { overKysely } from 'pachter/kysely'
import { postgres, readLayout } from 'pachter/sql'
import { openStore } from 'pachter/store'
import { cell, measure, ratio, type Server, servers } from './servers.js'
import { book, fillTasks, PEOPLE } from './tasks.js'

const { values } = parseArgs({
  options: { tasks: { type: 'string', default: '500000' }, on: { type: 'string' }, calls: { type: 'string', default: '300' } },
})
const tasks = Number(values.tasks)
const most = Number(values.calls)

/** A call, ours and by hand. */
interface Call {
  readonly who: keyof typeof PEOPLE
  readonly what: string
  readonly ours: () => Promise<any>
  readonly hand: () => Promise<any>
}

function callsOf({ dialect, query }: Server, store: any): Call[] {
  const isPostgres = dialect === postgres
  const parameters = (text: string) => {
    let at = 0
    return isPostgres ? text.replace(/\?/g, () => `$${++at}`) : text
  }
  const ask = (text: string, ...given: unknown[]) => query(parameters(text), given)
  const columns = 'id, owner_id, status, title, created_at, due_at, points'
  const mine = isPostgres
    ? '(owner_id = ? or id = any(array(select task_id from share where person_id = ? and (until is null or until > ?))))'
    : 'id in (select id from (select id from task where owner_id = ? union select task_id from share where person_id = ? and (until is null or until > ?)) as mine)'
  const by =
    (who: keyof typeof PEOPLE) =>
    async (rest: string, ...given: unknown[]) => {
      const me = PEOPLE[who].id
      const [person] = await ask('select id, is_manager from person where id = ?', me)
      return person.is_manager
        ? ask(rest.replace('WHERE', 'true'), ...given)
        : ask(rest.replace('WHERE', mine), me, me, new Date(), ...given)
    }
  const list = (order: string) => `select ${columns} from task where WHERE order by ${order} limit 20`
  const of = (who: keyof typeof PEOPLE) => {
    const us = store.for(PEOPLE[who])
    const hand = by(who)
    const one = who === 'manager' ? 'task-000500' : undefined
    const call = (what: string, ours: () => Promise<any>, written: () => Promise<any>): Call => ({ who, what, ours, hand: written })
    return [
      call(
        'newest 20',
        () => us.list('task', { sort: ['-createdAt'], limit: 20 }),
        () => hand(list('created_at desc, id desc')),
      ),
      call(
        'first 20 by key',
        () => us.list('task', { limit: 20 }),
        () => hand(list('id')),
      ),
      call(
        'due next 20',
        () => us.list('task', { sort: ['dueAt'], limit: 20 }),
        () => hand(list(isPostgres ? 'due_at, id' : 'due_at is null, due_at, id')),
      ),
      call(
        'count of open',
        () => us.count('task', { where: (task: any) => task.status.is('open') }),
        async () => Number((await hand(`select count(*) as n from task where WHERE and status = 'open'`))[0].n),
      ),
      ...(one
        ? [
            call(
              'get by key',
              () => us.get('task', one),
              async () => (await hand(`select ${columns} from task where WHERE and id = ?`, one))[0],
            ),
          ]
        : [
            call(
              'all of theirs',
              () => us.list('task'),
              () => hand(`select ${columns} from task where WHERE order by id`),
            ),
          ]),
    ]
  }
  return [...of('manager'), ...of('member')]
}

const idsOf = (answer: any): unknown => (Array.isArray(answer) ? answer.map(({ id }) => id) : (answer?.id ?? answer))

async function compare(server: Server): Promise<void> {
  const { name, dialect, db } = server
  const exists = (await db.introspection.getTables()).some((table) => table.name === 'task')
  if (!exists) await fillTasks(db, dialect.name, tasks)
  const layout = await readLayout(db, dialect, book, { names: 'snake_case' })
  const store = openStore(book, overKysely(db, dialect, { layout }))
  const [{ n }] = (await server.query('select count(*) as n from task', [])) as [{ n: unknown }]
  console.log(`\n${name}, ${Number(n).toLocaleString('en')} tasks; milliseconds for each call, elapsed and of the processor in Node`)
  console.log(`${''.padEnd(26)}${['by hand', 'ours', 'ratio', 'cpu', 'ours', 'ratio'].map((one) => one.padStart(9)).join('')}`)
  for (const { who, what, ours, hand } of callsOf(server, store)) {
    const [a, b] = [idsOf(await ours()), idsOf(await hand())]
    if (JSON.stringify(a) !== JSON.stringify(b))
      throw new Error(`${who}, ${what}: the answers differ: ${JSON.stringify(a)} ${JSON.stringify(b)}`)
    const [byHand, our] = (await measure([hand, ours], most)) as [{ time: number; cpu: number }, { time: number; cpu: number }]
    console.log(
      `${`${who}: ${what}`.padEnd(26)}${cell(byHand.time)}${cell(our.time)}${ratio(our.time, byHand.time)}${cell(byHand.cpu)}${cell(our.cpu)}${ratio(our.cpu, byHand.cpu)}`,
    )
  }
  await concurrent(server, store)
  await db.destroy()
}

/** Calls per second with several callers at once. */
async function concurrent(server: Server, store: any): Promise<void> {
  const [call] = callsOf(server, store).filter(({ who, what }) => who === 'member' && what === 'newest 20') as [Call]
  for (const callers of [2, 8, 32]) {
    const rate = async (work: () => Promise<unknown>) => {
      const until = performance.now() + 1500
      let done = 0
      const caller = async () => {
        while (performance.now() < until) {
          await work()
          done += 1
        }
      }
      await Promise.all(Array.from({ length: callers }, caller))
      return done / 1.5
    }
    const [hand, ours] = [await rate(call.hand), await rate(call.ours)]
    console.log(
      `member: newest 20, ${String(callers).padStart(2)} callers: ${hand.toFixed(0)} calls a second by hand, ${ours.toFixed(0)} ours`,
    )
  }
}

for (const server of await servers('pachter_tasks', values.on)) await compare(server)
process.exit()
