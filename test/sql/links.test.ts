// Links of the rulebook compared with the foreign keys of a database.
import { expect } from 'chai'
import { type Kysely, sql } from 'kysely'
import { rulebook, toMany, toOne } from 'pachter'
import { layoutOf, linkDifferences, postgres } from 'pachter/sql'
import { z } from 'zod'
import { engines } from '../support/engines.js'

const text = z.string()
const Lesson = z.object({ id: text, teacherId: text, studentId: text, coverId: text, schoolId: text, bookedBy: text, tags: z.array(text) })

/** A school; `links` are those of a lesson, `lessons` that of a teacher. */
function schoolOf(links: object, lessons: object) {
  return rulebook({
    me: { shape: z.object({ id: text }), key: 'id' },
    records: {
      person: { shape: z.object({ id: text }), key: 'id' },
      teacher: { shape: z.object({ id: text, schoolId: text }), key: 'id', links: lessons as { lessons: never } },
      student: { shape: z.object({ id: text }), key: 'id' },
      lesson: { shape: Lesson, key: 'id', links: links as { teacher: never } },
    },
  })
}

/** For a database of its own: its tables do not matter. */
const other = rulebook({
  me: { shape: z.object({ id: text }), key: 'id' },
  records: { note: { shape: z.object({ id: text }), key: 'id' } },
})

const TABLES = [
  'create table os_school (id varchar(40) primary key)',
  'create table os_person (id varchar(40) primary key)',
  `create table os_teacher (id varchar(40) primary key, school_id varchar(40) not null, unique (school_id, id),
    foreign key (id) references os_person (id), foreign key (school_id) references os_school (id))`,
  'create table os_student (id varchar(40) primary key)',
  `create table os_lesson (id varchar(40) primary key, teacher_id varchar(40), student_id varchar(40), cover_id varchar(40), school_id varchar(40),
    booked_by varchar(40), tags varchar(40), foreign key (school_id, teacher_id) references os_teacher (school_id, id),
    foreign key (student_id) references os_student (id), foreign key (booked_by) references os_person (id))`,
]

const CASES: readonly [what: string, links: object, lessons: object, says: readonly RegExp[]][] = [
  [
    'right links',
    { teacher: toOne('teacher', 'teacherId'), student: toOne('student', 'studentId') },
    { lessons: toMany('lesson', 'teacherId') },
    [],
  ],
  ['a link to the table that shares its key', { teacher: toOne('person', 'teacherId'), booker: toOne('teacher', 'bookedBy') }, {}, []],
  ['a link over a plain column', { cover: toOne('teacher', 'coverId') }, {}, []],
  ['a link over several fields', { teacher: toOne('teacher', { id: 'teacherId', schoolId: 'schoolId' }) }, {}, []],
  ['a link of a list', { named: toMany('teacher', { id: 'tags' }) }, {}, []],
  [
    'a link to the wrong type',
    { student: toOne('teacher', 'studentId') },
    {},
    [/^lesson.student: the link leads to os_teacher.id, but os_lesson.student_id is a foreign key to os_student.id$/],
  ],
  [
    'a link over another foreign key',
    {},
    { lessons: toMany('lesson', 'studentId') },
    [/^teacher.lessons: the link leads to os_teacher.id, but os_lesson.student_id is a foreign key to os_student.id$/],
  ],
  [
    'a link over a column that is no foreign key, beside one of its name',
    { teacher: toOne('teacher', 'coverId') },
    {},
    [/^lesson.teacher: .*os_lesson.cover_id, which is not a foreign key. The foreign key to os_teacher.id is os_lesson.teacher_id$/],
  ],
]

describe('links and foreign keys', () => {
  let opened: Kysely<any> | undefined
  // Whoever comes next drops tables in any order.
  afterEach(async () => {
    const names = TABLES.map((statement) => statement.split(' ')[2] as string)
    for (const table of names.reverse()) await opened?.schema.dropTable(table).ifExists().execute()
  })

  for (const { name, dialect, open } of engines)
    it(`are compared in ${name}`, async () => {
      const db = await open(other)
      opened = db
      for (const table of TABLES) await sql.raw(table).execute(db)
      for (const [what, links, lessons, says] of CASES) {
        const book = schoolOf(links, lessons)
        const layout = layoutOf(book, { names: 'snake_case', prefix: 'os_' })
        const found = (await linkDifferences(db, dialect, book, layout)).map(({ link, message }) => `${link}: ${message}`)
        expect(found, what).to.have.length(says.length)
        for (const [at, one] of says.entries()) expect(found[at]).to.match(one)
        if (dialect !== postgres) continue
        // Also where the layout names the schema that the connection finds anyway.
        const { rows } = await sql<{ name: string }>`select current_schema() as name`.execute(db)
        const named = layoutOf(book, { names: 'snake_case', prefix: 'os_', schema: rows[0]?.name as string })
        expect(await linkDifferences(db, dialect, book, named), what).to.have.length(says.length)
      }
    })
})
