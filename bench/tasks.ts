// Tables as applications have them: text keys in the collation of the database, an enumeration, times with microseconds.
import { type Kysely, sql } from 'kysely'
import { allOf, anyOf, forever, now, rulebook, toMany, toOne } from 'pachter'
import { z } from 'zod'

const id = z.string()
export const Person = z.object({ id, isManager: z.boolean() })
export const Task = z.object({
  id,
  ownerId: id,
  status: z.enum(['open', 'waiting', 'done']),
  title: z.string(),
  createdAt: z.date(),
  dueAt: z.date().nullable(),
  points: z.number(),
})
export const Share = z.object({ id: z.int(), taskId: id, personId: id, until: z.date().nullable() })

/** People see their own tasks and those shared with them; managers see all. */
export const book = rulebook({
  me: { shape: z.object({ id }), key: 'id', links: { person: toOne('person', 'id') } },
  records: {
    person: { shape: Person, key: 'id' },
    task: { shape: Task, key: 'id', links: { shares: toMany('share', 'taskId') } },
    share: { shape: Share, key: 'id' },
  },
})
  .standings({
    task: (task, { me }) => ({
      owner: task.ownerId.is(me.id),
      guest: task.shares.some((share) => allOf(share.personId.is(me.id), share.until.orElse(forever).isAfter(now))),
    }),
  })
  .rules({
    task: (_task, { standing: { owner, guest }, me, signedIn }) => ({
      may: {
        read: [owner, guest, signedIn.provided(me.person.isManager.is(true))],
        update: [owner.only('title', 'status'), signedIn.provided(me.person.isManager.is(true))],
      },
    }),
    share: (share, { me, anyone }) => ({ may: { read: [anyone.provided(anyOf(share.personId.is(me.id)))] } }),
  })

/** A manager, and a person with some tasks of their own and some shares. */
export const PEOPLE = { manager: { id: 'person-000001' }, member: { id: 'person-000042' } } as const

const TABLES: { readonly [dialect: string]: readonly string[] } = {
  postgres: [
    `create type task_status as enum ('open', 'waiting', 'done')`,
    'create table person (id text primary key, is_manager boolean not null)',
    `create table task (id text primary key, owner_id text not null, status task_status not null, title varchar(200) not null,
      created_at timestamptz not null, due_at timestamptz, points numeric(8, 2) not null)`,
    'create table share (id bigint primary key, task_id text not null, person_id text not null, until timestamptz)',
  ],
  mariadb: [
    'create table person (id varchar(40) primary key, is_manager boolean not null) collate utf8mb4_general_ci',
    `create table task (id varchar(40) primary key, owner_id varchar(40) not null, status enum('open', 'waiting', 'done') not null,
      title varchar(200) not null, created_at datetime(6) not null, due_at datetime(6), points decimal(8, 2) not null) collate utf8mb4_general_ci`,
    'create table share (id bigint primary key, task_id varchar(40) not null, person_id varchar(40) not null, until datetime(6)) collate utf8mb4_general_ci',
  ],
}
const INDEXES = [
  'create index task_created on task (created_at)',
  'create index task_due on task (due_at)',
  'create index task_status_index on task (status)',
  'create index task_owner on task (owner_id, created_at)',
  'create index share_task on share (task_id)',
  'create index share_person on share (person_id)',
]

/** Creates and fills the tables: one person and one share for every ten tasks. */
export async function fillTasks(db: Kysely<any>, dialect: string, tasks: number): Promise<void> {
  for (const statement of TABLES[dialect] ?? []) await sql.raw(statement).execute(db)
  const numbers =
    dialect === 'postgres'
      ? (to: number) => `generate_series(1::bigint, ${to}) as n(n)`
      : (to: number) => `(select seq as n from seq_1_to_${to}) as n`
  const text = (prefix: string, of: string) =>
    dialect === 'postgres' ? `'${prefix}-' || lpad((${of})::text, 6, '0')` : `concat('${prefix}-', lpad(${of}, 6, '0'))`
  const start = dialect === 'postgres' ? `timestamptz '2025-01-01 00:00:00Z'` : `timestamp '2025-01-01 00:00:00'`
  const after = (of: string) =>
    dialect === 'postgres' ? `${start} + (${of}) * interval '37.000123 seconds'` : `${start} + interval (${of}) * 37000123 microsecond`
  const people = Math.floor(tasks / 10)
  const mixed = `(n * 7919) % ${tasks}`
  const status =
    dialect === 'postgres'
      ? `(array['open', 'waiting', 'done', 'done'])[1 + n % 4]::task_status`
      : `elt(1 + n % 4, 'open', 'waiting', 'done', 'done')`
  await sql.raw(`insert into person select ${text('person', 'n')}, n = 1 from ${numbers(people)}`).execute(db)
  await sql
    .raw(
      `insert into task select ${text('task', mixed)}, ${text('person', `1 + n % ${people}`)}, ${status}, ${text('Task', 'n')}, ${after('n')},
      case when n % 3 = 0 then ${after('n + 5000')} end, (n % 800) / 100.0 from ${numbers(tasks)}`,
    )
    .execute(db)
  await sql
    .raw(
      `insert into share select n, ${text('task', `(n * 31) % ${tasks}`)}, ${text('person', `1 + (n * 17) % ${people}`)}, case when n % 2 = 0 then ${after(`n + ${tasks * 10}`)} end from ${numbers(people)}`,
    )
    .execute(db)
  for (const statement of INDEXES) await sql.raw(statement).execute(db)
  await sql.raw(dialect === 'postgres' ? 'vacuum analyze' : 'analyze table person, task, share').execute(db)
}
