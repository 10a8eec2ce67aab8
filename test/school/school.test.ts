// A music school of 17 tables that were there already: each person's lists are compared with SQL written by hand.
import { expect } from 'chai'
import { type Kysely, sql } from 'kysely'
import { overKysely, snapshot, verify } from 'pachter/kysely'
import { accessMatrix, accessReport, baselineOf, driftBetween, groundOf, isNoDrift, judgeExpectation } from 'pachter/review'
import { readLayout, rowSecurity } from 'pachter/sql'
import { openStore, type Store } from 'pachter/store'
import { engines } from '../support/engines.js'
import { FUNCTIONS, makeRole, ROLE, script, TABLES } from '../support/row-security.js'
import { byHand } from './by-hand.js'
import { book } from './rulebook.js'
import { ACCOUNTS, makeSchool, SCHOOLS } from './tables.js'

// In Dublin it is the first of June already.
const now = new Date('2026-05-31T23:30:00Z')
const TODAY = '2026-06-01'
const SERVERS = engines.filter(({ name }) => name === 'PostgreSQL' || name === 'PGlite' || name === 'MariaDB')

type Row = { readonly [field: string]: string }
const KEYS: { readonly [type: string]: ReturnType<typeof sql> } = { guardianship: sql`concat(guardian_id, '~', student_id)` }
const keyIn = (row: Row) => row.id ?? `${row.guardianId}~${row.studentId}`

for (const { name, dialect, open } of SERVERS)
  describe(`a music school in ${name}`, () => {
    const is = name === 'MariaDB' ? 'MariaDB' : 'PostgreSQL'
    let db: Kysely<any>
    let store: Store<any>
    const personIn = (school: string, account: string) => ({ accountId: `a-${account}`, schoolId: school })

    before(async () => {
      db = await open(book)
      await sql`select 1`.execute(db)
      await makeSchool(db, is)
      store = openStore(book, overKysely(db, dialect, { names: 'snake_case' }), { now }) as never
    })

    it('shows each person in each school what SQL by hand finds', async () => {
      let [lists, shown] = [0, 0]
      // The last one has the id of another in other letters, and so nothing of theirs.
      for (const school of SCHOOLS)
        for (const account of [...ACCOUNTS, 'EVE']) {
          const mine = store.for(personIn(school, account))
          const where = byHand({ account: `a-${account}`, school, today: TODAY, is })
          for (const type of Object.keys(book.model.types)) {
            const { rows } = await sql<{
              id: string
            }>`select ${KEYS[type] ?? sql.ref(`${type}.id`)} as id from ${sql.table(type)} where ${sql.raw(where[type] as string)}`.execute(
              db,
            )
            const found = (await mine.list(type as never)) as unknown as Row[]
            expect(found.map(keyIn).sort(), `${account} in ${school}: ${type}`).to.deep.equal(rows.map(({ id }) => id).sort())
            expect(await mine.count(type as never)).to.equal(rows.length)
            lists++
            shown += rows.length
          }
        }
      expect(lists).to.equal(238)
      expect(shown).to.be.above(500)
    })

    it('means the same in memory, in SQL and by row security, for each person, record and action', async () => {
      const layout = await readLayout(db, dialect, book, { names: 'snake_case' })
      const people = Object.fromEntries(
        SCHOOLS.flatMap((school) => ACCOUNTS.slice(0, 3).map((account) => [`${account} ${school}`, personIn(school, account)])),
      )
      if (is === 'MariaDB') {
        expect((await verify(book, db, dialect, { people, layout, now })).differences).to.deep.equal([])
        return
      }
      await makeRole(db)
      const { up, down, left } = rowSecurity(book, { schema: TABLES, role: ROLE, functions: FUNCTIONS, layout })
      await script(db, up)
      try {
        const { differences, compared } = await verify(book, db, dialect, { people, layout, now, role: ROLE })
        expect(differences).to.deep.equal([])
        expect(compared.filter(({ rowSecurity: shown }) => (shown?.shown ?? 0) > 0).length).to.be.above(30)
        // The database does less where that was said: it knows no fields of single clauses, and stamps nothing.
        expect(Object.keys(left).sort()).to.include.members(['lesson', 'student', 'teacher'])
      } finally {
        await script(db, down)
      }
    })

    it('has the matrix that its lists have', async () => {
      const layout = await readLayout(db, dialect, book, { names: 'snake_case' })
      const records = await snapshot(book, db, dialect, { layout })
      const people = Object.fromEntries(ACCOUNTS.map((account) => [account, personIn('north', account)]))
      for (const type of ['lesson', 'loan', 'teacher', 'student', 'guardianship'] as const) {
        const matrix = accessMatrix(book, type, { people, records, now } as never)
        for (const account of ACCOUNTS) {
          const seen = ((await store.for(personIn('north', account)).list(type as never)) as unknown as Row[]).map(keyIn)
          const keys = (records[type] as unknown as Row[]).map(keyIn).filter((key) => matrix.allows(account, key, 'read'))
          expect(keys.sort(), `${account}: ${type}`).to.deep.equal(seen.sort())
        }
      }
    })

    it('has the expectations, the drift and the report of its lists', async () => {
      const layout = await readLayout(db, dialect, book, { names: 'snake_case' })
      const records = await snapshot(book, db, dialect, { layout })
      const people = Object.fromEntries(ACCOUNTS.map((account) => [account, personIn('north', account)]))
      const options = { people, records, now } as never
      const ground = groundOf(book, options)
      let held = 0
      for (const account of ACCOUNTS) {
        const where = byHand({ account: `a-${account}`, school: 'north', today: TODAY, is })
        for (const type of Object.keys(book.model.types)) {
          const key = KEYS[type] ?? sql.ref(`${type}.id`)
          const { rows } = await sql<{
            id: string
          }>`select ${key} as id from ${sql.table(type)} where ${sql.raw(where[type] as string)}`.execute(db)
          const about = { kind: 'reach', person: account, action: 'read', type, keys: rows.map(({ id }) => id) } as const
          const { problems } = await judgeExpectation(ground, { ...about, extent: 'exactly' })
          expect(problems, `${account}: ${type}`).to.deep.equal([])
          if (rows.length === 0) continue
          // A key too few is noticed.
          const less = await judgeExpectation(ground, { ...about, keys: about.keys.slice(1), extent: 'exactly' })
          expect(less.held, `${account}: ${type}, less`).to.equal(false)
          held++
        }
      }
      expect(held).to.be.above(60)
      const before = baselineOf(book, options)
      expect(isNoDrift(driftBetween(before, baselineOf(book, options), book.model))).to.equal(true)
      // Somebody becomes the tutor of all: they gain the students that they did not see, and what belongs to these.
      const tutor = (records.teacher as unknown as Row[]).find((one) => one.accountId === 'a-ada' && one.schoolId === 'north') as Row
      const student = (records.student as unknown as Row[]).map((one) => (one.schoolId === 'north' ? { ...one, tutorId: tutor.id } : one))
      const after = baselineOf(book, { people, now, records: { ...records, student } } as never)
      const { gained, lost } = driftBetween(before, after, book.model)
      expect(gained.filter(({ type, person }) => type === 'student' && person === 'ada')).not.to.deep.equal([])
      expect(new Set(gained.map(({ person }) => person))).to.deep.equal(new Set(['ada']))
      expect(lost.some(({ person, type }) => person === 'ada' && type === 'student')).to.equal(false)
      const report = accessReport([accessMatrix(book, 'guardianship', options)], { now })
      expect(report).to.include('guardianship').and.to.include('~student-n')
    })

    it('removes, restores, lends and leaves alone what no shape names', async () => {
      const system = store.asSystem('look')
      const office = (await system.list('membership' as never, { where: ((one: any) => one.role.is('office')) as never })) as unknown as {
        accountId: string
        schoolId: string
      }[]
      const { accountId, schoolId } = office[0] as { accountId: string; schoolId: string }
      const desk = store.for({ accountId, schoolId })
      const lessons = (await desk.list('lesson' as never)) as unknown as { id: string; teacherId: string; cancelledAt: Date | null }[]
      const lesson = lessons.find(({ cancelledAt }) => cancelledAt === null) as { id: string; teacherId: string }
      const teacher = (await system.get('teacher' as never, lesson.teacherId)) as unknown as {
        accountId: string
        schoolId: string
        leftAt: unknown
      }
      await desk.delete('lesson' as never, lesson.id)
      const gone = (await desk.get('lesson' as never, lesson.id)) as unknown as { cancelledBy: string; cancelledAt: Date }
      expect([gone.cancelledBy, gone.cancelledAt.getTime()]).to.deep.equal([accountId, now.getTime()])
      const own = store.for({ accountId: teacher.accountId, schoolId })
      if (!(await own.may('read', 'lesson' as never)).startsWith('always')) {
        const theirs = ((await own.list('lesson' as never)) as unknown as { id: string }[]).map(({ id }) => id)
        if (teacher.accountId !== accountId && !office.some((one) => one.accountId === teacher.accountId && one.schoolId === schoolId))
          expect(theirs).not.to.include(lesson.id)
      }
      await desk.update('lesson' as never, lesson.id, { cancelledAt: null, cancelledBy: null } as never)
      // Other fields of a JSON column are kept, and not given out.
      const course = ((await system.list('course' as never)) as unknown as { id: string; settings: object }[])[0] as {
        id: string
        settings: object
      }
      expect(course.settings).not.to.have.property('secret')
      await system.update('course' as never, course.id, { settings: { level: 9 } } as never)
      const { rows } = await sql<{ settings: unknown }>`select settings from course where id = ${course.id}`.execute(db)
      const stored = rows[0]?.settings
      expect(typeof stored === 'string' ? JSON.parse(stored) : stored).to.deep.equal({ level: 9, secret: 'kept' })
      // At most three open loans, whoever comes first.
      const student = `student-${schoolId[0]}0`
      await sql`delete from loan where student_id = ${student}`.execute(db)
      const lend = () =>
        desk.create(
          'loan' as never,
          { schoolId, instrumentId: `instrument-${schoolId[0]}0`, studentId: student, status: 'open', dueOn: '2026-07-01' } as never,
        )
      await Promise.all(Array.from({ length: 6 }, () => lend().catch(() => undefined)))
      for (let at = 0; at < 3; at++) await lend().catch(() => undefined)
      const lent = (await system.list('loan' as never, { where: ((one: any) => one.studentId.is(student)) as never })) as unknown as {
        lentOn: string
      }[]
      expect(lent.map(({ lentOn }) => lentOn)).to.deep.equal([TODAY, TODAY, TODAY])
      // Nobody reaches into the other school.
      const other = schoolId === 'north' ? 'South' : 'north'
      const error = await desk.update('student' as never, student, { schoolId: other } as never).catch((one: { code: string }) => one)
      expect((error as { code: string }).code).to.equal('REFUSED')
    })
  })
