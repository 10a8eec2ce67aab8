import { Kysely, PostgresDialect } from 'kysely'
import pg from 'pg'
import { overKysely } from 'pachter/kysely'
import { postgres, readLayout } from 'pachter/sql'
import { openStore } from 'pachter/store'
import { book, PEOPLE } from '/work/main/bench/tasks.ts'
const pool = new pg.Pool({ connectionString: 'postgres://postgres@127.0.0.1:5432/pachter_tasks', max: 2 })
const db = new Kysely<any>({ dialect: new PostgresDialect({ pool }) })
const layout = await readLayout(db, postgres, book, { names: 'snake_case' })
const store = openStore(book, overKysely(db, postgres, { layout })) as any
const what = process.argv[2] ?? 'list'
const us = store.for(PEOPLE.member)
const run = () => what === 'get' ? store.for(PEOPLE.manager).get('task', 'task-000500') : what==='update' ? store.for(PEOPLE.manager).update('task','task-000500',{title:'T'+Math.random()}) : us.list('task', { sort: ['-createdAt'], limit: 20 })
for (let i = 0; i < 500; i++) await run()
const n = Number(process.argv[3] ?? 3000)
const c = process.cpuUsage(), t = performance.now()
for (let i = 0; i < n; i++) await run()
const u = process.cpuUsage(c)
console.log(what, ((performance.now() - t) / n).toFixed(3), 'ms;', ((u.user + u.system) / n / 1000).toFixed(3), 'cpu ms')
process.exit(0)
