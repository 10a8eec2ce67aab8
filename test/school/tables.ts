// The tables of the music school as an application would have made them, and records in them.
import { type Kysely, sql } from 'kysely'

const KEY = 'varchar(40)'

/** Everything but what the two databases call differently. */
function tables(is: 'PostgreSQL' | 'MariaDB'): string[] {
  const pg = is === 'PostgreSQL'
  const time = pg ? 'timestamptz' : 'datetime(6)'
  const json = pg ? 'jsonb' : 'json'
  const one = (name: string, labels: readonly string[]) => (pg ? name : `enum(${labels.map((label) => `'${label}'`).join()})`)
  const key = pg ? KEY : `${KEY} collate utf8mb4_general_ci`
  const own = `id ${key} primary key, school_id ${key} not null`
  return [
    ...(pg
      ? [
          "create type role_kind as enum ('office', 'accountant', 'teacher', 'guardian')",
          "create type course_state as enum ('draft', 'open', 'closed')",
          "create type loan_status as enum ('open', 'returned')",
        ]
      : []),
    `create table school (id ${key} primary key, name text not null)`,
    `create table account (id ${key} primary key, email ${pg ? 'text' : key} not null)`,
    `create table membership (${own}, account_id ${key} not null, role ${one('role_kind', ['office', 'accountant', 'teacher', 'guardian'])} not null)`,
    `create table department (${own}, name text not null, parent_id ${key}, head_id ${key})`,
    `create table teacher (${own}, account_id ${key} not null, name text not null, department_id ${key} not null, lead_id ${key}, left_at ${time})`,
    `create table student (${own}, name text not null, born_on date not null, tutor_id ${key})`,
    `create table guardian (${own}, account_id ${key} not null, name text not null)`,
    `create table guardianship (school_id ${key} not null, guardian_id ${key} not null, student_id ${key} not null, until date, primary key (guardian_id, student_id))`,
    `create table course (${own}, title text not null, teacher_id ${key} not null, state ${one('course_state', ['draft', 'open', 'closed'])} not null, settings ${json} not null)`,
    `create table enrolment (${own}, course_id ${key} not null, student_id ${key} not null, status ${key} not null)`,
    `create table lesson (${own}, course_id ${key} not null, teacher_id ${key} not null, starts_at ${time} not null, cancelled_at ${time}, cancelled_by ${key})`,
    `create table substitution (${own}, lesson_id ${key} not null, teacher_id ${key} not null, ${pg ? '"from"' : '`from`'} date not null, until date not null)`,
    `create table room (${own}, name text not null, seats ${pg ? 'smallint' : 'tinyint'} not null)`,
    `create table instrument (${own}, name text not null, state ${key} not null)`,
    `create table loan (${own}, instrument_id ${key} not null, student_id ${key} not null, status ${one('loan_status', ['open', 'returned'])} not null, lent_on date not null, due_on date not null)`,
    `create table invoice (${own}, student_id ${key} not null, amount ${pg ? 'numeric(8, 2)' : 'decimal(8, 2)'} not null, paid_at ${time})`,
    `create table message (${own}, from_id ${key} not null, to_ids ${json} not null, body text not null)`,
  ]
}

const NAMES =
  'school account membership department teacher student guardian guardianship course enrolment lesson substitution room instrument loan invoice message'

/** Makes the tables anew, and the records. */
export async function makeSchool(db: Kysely<any>, is: 'PostgreSQL' | 'MariaDB'): Promise<void> {
  for (const name of NAMES.split(' ')) await sql`drop table if exists ${sql.ref(name)}`.execute(db)
  if (is === 'PostgreSQL') await sql`drop type if exists role_kind, course_state, loan_status`.execute(db)
  for (const statement of tables(is)) await sql.raw(statement).execute(db)
  for (const [name, rows] of Object.entries(records())) await db.insertInto(name).values(rows).execute()
}

/** A sequence that is the same each time (mulberry32, public domain). */
function sequence(seed: number): (below: number) => number {
  let state = seed
  return (below) => {
    state = (state + 0x6d2b79f5) | 0
    let mixed = Math.imul(state ^ (state >>> 15), 1 | state)
    mixed = (mixed + Math.imul(mixed ^ (mixed >>> 7), 61 | mixed)) ^ mixed
    return Math.floor((((mixed ^ (mixed >>> 14)) >>> 0) / 2 ** 32) * below)
  }
}

const PER_SCHOOL = {
  department: 6,
  teacher: 8,
  student: 14,
  guardian: 6,
  guardianship: 18,
  course: 8,
  enrolment: 24,
  lesson: 30,
  substitution: 60,
}
// The day before, the day itself and the day after.
const EDGES = ['2026-05-31', '2026-06-01', '2026-06-02'] as const
const MORE = { room: 5, instrument: 12, loan: 70, invoice: 14, message: 16 }
export const SCHOOLS = ['north', 'South'] as const
export const ACCOUNTS = ['ada', 'bo', 'cy', 'di', 'Eve', 'fin'] as const

function records(): Record<string, Record<string, unknown>[]> {
  const below = sequence(20)
  const all: Record<string, Record<string, unknown>[]> = {
    school: SCHOOLS.map((id) => ({ id, name: id.toUpperCase() })),
    account: ACCOUNTS.map((id) => ({ id: `a-${id}`, email: `${id}@school.example` })),
    membership: [],
  }
  const add = (name: string, row: Record<string, unknown>) => {
    all[name] = [...(all[name] ?? []), row]
  }
  for (const school of SCHOOLS) {
    const key = (of: string, at: number) => `${of}-${school[0]}${at}`
    const any = (of: keyof typeof PER_SCHOOL | keyof typeof MORE, maybe = false) =>
      maybe && below(3) === 0 ? null : key(of, below({ ...PER_SCHOOL, ...MORE }[of]))
    const day = () => `2026-${String(5 + below(3)).padStart(2, '0')}-${String(1 + below(28)).padStart(2, '0')}`
    const moment = () => `${day()} 0${below(10)}:00:00.123456`
    const account = () => `a-${ACCOUNTS[below(ACCOUNTS.length)]}`
    const own = (of: string, at: number) => ({ id: key(of, at), school_id: school })
    const make = (of: keyof typeof PER_SCHOOL | keyof typeof MORE, row: (at: number) => Record<string, unknown>) => {
      for (let at = 0; at < { ...PER_SCHOOL, ...MORE }[of]; at++) add(of, { ...own(of, at), ...row(at) })
    }
    for (const [at, who] of ACCOUNTS.entries())
      for (const role of ['office', 'accountant', 'teacher', 'guardian'])
        if (below(3) === 0)
          add('membership', {
            ...own('membership', at * 4 + role.length),
            id: `m-${school[0]}-${who}-${role}`,
            account_id: `a-${who}`,
            role,
          })
    make('department', (at) => ({
      name: `Department ${at}`,
      parent_id: at === 0 ? null : key('department', Math.max(0, at - 1 - below(2))),
      head_id: key('teacher', below(6)),
    }))
    // One of them in each school leads the others, and one has left.
    make('teacher', (at) => ({
      account_id: at < ACCOUNTS.length ? `a-${ACCOUNTS[at]}` : `a-none-${at}`,
      name: `Teacher ${at}`,
      department_id: any('department'),
      lead_id: at === 0 ? null : any('teacher', true),
      left_at: at === 3 || at === 7 ? moment() : null,
    }))
    make('student', (at) => ({ name: `Student ${at}`, born_on: `20${10 + below(9)}-03-01`, tutor_id: any('teacher', true) }))
    make('guardian', (at) => ({ account_id: `a-${ACCOUNTS[at]}`, name: `Guardian ${at}` }))
    // Each guardian of three students in a row, so that no pair comes twice.
    for (let at = 0; at < PER_SCHOOL.guardianship; at++)
      add('guardianship', {
        school_id: school,
        guardian_id: key('guardian', at % PER_SCHOOL.guardian),
        student_id: key('student', (at * 5) % PER_SCHOOL.student),
        until: below(2) === 0 ? null : day(),
      })
    make('course', (at) => ({
      title: `Course ${at}`,
      teacher_id: any('teacher'),
      state: ['draft', 'open', 'closed'][below(3)],
      settings: JSON.stringify({ level: below(5), secret: 'kept' }),
    }))
    make('enrolment', () => ({ course_id: any('course'), student_id: any('student'), status: below(2) === 0 ? 'asked' : 'placed' }))
    make('lesson', () => ({
      course_id: any('course'),
      teacher_id: any('teacher'),
      starts_at: moment(),
      cancelled_at: below(4) === 0 ? moment() : null,
      cancelled_by: null,
    }))
    make('substitution', () => ({
      lesson_id: any('lesson'),
      teacher_id: any('teacher'),
      from: EDGES[below(3)],
      until: EDGES[below(3)],
    }))
    make('room', (at) => ({ name: `Room ${at}`, seats: 2 + below(5) }))
    make('instrument', (at) => ({ name: `Instrument ${at}`, state: below(3) === 0 ? 'broken' : 'fit' }))
    make('loan', () => ({
      instrument_id: any('instrument'),
      student_id: any('student'),
      status: below(2) === 0 ? 'open' : 'returned',
      lent_on: day(),
      due_on: day(),
    }))
    make('invoice', () => ({ student_id: any('student'), amount: `${below(90)}.50`, paid_at: below(2) === 0 ? moment() : null }))
    make('message', (at) => ({ from_id: account(), to_ids: JSON.stringify([account(), account()]), body: `Message ${at}` }))
  }
  return all
}
