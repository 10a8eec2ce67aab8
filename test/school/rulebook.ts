// The rules of a music school over tables that are there already: tenants, memberships, substitutes, removed records, days, counts.
import { allOf, anyOf, forever, not, rulebook, type TextTerm, toMany, toOne } from 'pachter'
import { z } from 'zod'

const id = z.string()
const day = z.iso.date()
const own = { id, schoolId: id }

export const ROLES = ['office', 'accountant', 'teacher', 'guardian'] as const

export const shapes = {
  school: z.object({ id, name: z.string() }),
  account: z.object({ id, email: z.string() }),
  membership: z.object({ ...own, accountId: id, role: z.enum(ROLES) }),
  department: z.object({ ...own, name: z.string(), parentId: id.nullable(), headId: id.nullable() }),
  teacher: z.object({ ...own, accountId: id, name: z.string(), departmentId: id, leadId: id.nullable(), leftAt: z.date().nullable() }),
  student: z.object({ ...own, name: z.string(), bornOn: day, tutorId: id.nullable() }),
  guardian: z.object({ ...own, accountId: id, name: z.string() }),
  guardianship: z.object({ schoolId: id, guardianId: id, studentId: id, until: day.nullable() }),
  course: z.object({
    ...own,
    title: z.string(),
    teacherId: id,
    state: z.enum(['draft', 'open', 'closed']),
    settings: z.object({ level: z.number(), note: z.string().optional() }),
  }),
  enrolment: z.object({ ...own, courseId: id, studentId: id, status: z.enum(['asked', 'placed']) }),
  lesson: z.object({
    ...own,
    courseId: id,
    teacherId: id,
    startsAt: z.date(),
    cancelledAt: z.date().nullable(),
    cancelledBy: id.nullable(),
  }),
  substitution: z.object({ ...own, lessonId: id, teacherId: id, from: day, until: day }),
  room: z.object({ ...own, name: z.string(), seats: z.int() }),
  instrument: z.object({ ...own, name: z.string(), state: z.enum(['fit', 'broken']) }),
  loan: z.object({ ...own, instrumentId: id, studentId: id, status: z.enum(['open', 'returned']), lentOn: day, dueOn: day }),
  invoice: z.object({ ...own, studentId: id, amount: z.number(), paidAt: z.date().nullable() }),
  message: z.object({ ...own, fromId: id, toIds: z.array(id), body: z.string() }),
}

/** The person's own record, or that of another teacher. */
type Teacher = { readonly id: TextTerm<string> }

export const book = rulebook({
  me: {
    shape: z.object({ accountId: id, schoolId: id }),
    key: 'accountId',
    timeZone: 'Europe/Dublin',
    links: {
      memberships: toMany('membership', { accountId: 'accountId' }),
      teacher: toOne('teacher', { accountId: 'accountId', schoolId: 'schoolId' }),
      guardian: toOne('guardian', { accountId: 'accountId', schoolId: 'schoolId' }),
    },
    roles: (me) => me.memberships.where((one) => one.schoolId.is(me.schoolId)).role,
  },
  records: {
    school: { shape: shapes.school, key: 'id' },
    account: { shape: shapes.account, key: 'id' },
    membership: { shape: shapes.membership, key: 'id' },
    department: { shape: shapes.department, key: 'id', links: { parent: toOne('department', 'parentId') } },
    teacher: {
      shape: shapes.teacher,
      key: 'id',
      removal: 'leftAt',
      links: { department: toOne('department', 'departmentId'), reports: toMany('teacher', 'leadId') },
    },
    student: {
      shape: shapes.student,
      key: 'id',
      days: ['bornOn'],
      links: {
        guardianships: toMany('guardianship', 'studentId'),
        enrolments: toMany('enrolment', 'studentId'),
        loans: toMany('loan', 'studentId'),
      },
    },
    guardian: { shape: shapes.guardian, key: 'id' },
    guardianship: {
      shape: shapes.guardianship,
      key: ['guardianId', 'studentId'],
      days: ['until'],
      links: { student: toOne('student', 'studentId') },
    },
    course: { shape: shapes.course, key: 'id', links: { lessons: toMany('lesson', 'courseId') } },
    enrolment: {
      shape: shapes.enrolment,
      key: 'id',
      links: { course: toOne('course', 'courseId'), student: toOne('student', 'studentId') },
    },
    lesson: {
      shape: shapes.lesson,
      key: 'id',
      removal: 'cancelledAt',
      links: { teacher: toOne('teacher', 'teacherId'), substitutions: toMany('substitution', 'lessonId') },
    },
    substitution: { shape: shapes.substitution, key: 'id', days: ['from', 'until'], links: { lesson: toOne('lesson', 'lessonId') } },
    room: { shape: shapes.room, key: 'id' },
    instrument: { shape: shapes.instrument, key: 'id', links: { loans: toMany('loan', 'instrumentId') } },
    loan: { shape: shapes.loan, key: 'id', days: ['lentOn', 'dueOn'], links: { student: toOne('student', 'studentId') } },
    invoice: { shape: shapes.invoice, key: 'id', links: { student: toOne('student', 'studentId') } },
    message: { shape: shapes.message, key: 'id' },
  },
})
  .everyRecord(({ record, me }) => record.schoolId.is(me.schoolId), { except: ['school', 'account'] })
  .standings({
    department: (department, { me }) => ({
      head: department.headId.is(me.teacher.id),
      above: department.ancestors('parent').some((one) => one.headId.is(me.teacher.id)),
    }),
    student: (student, { me, today }) => ({
      tutor: student.tutorId.is(me.teacher.id),
      parent: student.guardianships.some((one) => allOf(one.guardianId.is(me.guardian.id), one.until.orElse(forever).isAtLeast(today))),
    }),
    course: (course, { me }) => ({ course: course.teacherId.is(me.teacher.id) }),
    lesson: (lesson, { me, today }) => {
      const taughtBy = (teacher: Teacher) => lesson.teacherId.is(teacher.id)
      const heldBy = (teacher: Teacher) =>
        lesson.substitutions.some((one) => allOf(one.teacherId.is(teacher.id), one.from.isAtMost(today), one.until.isAtLeast(today)))
      return {
        own: taughtBy(me.teacher),
        substitute: heldBy(me.teacher),
        lead: me.teacher.reports.some((report) => anyOf(taughtBy(report), heldBy(report))),
      }
    },
  })
  .rules({
    school: (school, { me, anyone }) => ({ may: { read: [anyone.provided(school.id.is(me.schoolId))] } }),
    account: (account, { me, anyone }) => ({ may: { read: [anyone.provided(account.id.is(me.accountId))] } }),
    membership: (membership, { me, anyone, role }) => ({
      may: {
        read: [anyone.provided(membership.accountId.is(me.accountId))],
        create: [role('office')],
        delete: [role('office')],
      },
    }),
    department: (_, { signedIn }) => ({ may: { read: [signedIn] } }),
    teacher: (teacher, { me, anyone, role }) => ({
      may: {
        read: [
          anyone.provided(teacher.accountId.is(me.accountId)),
          anyone.provided(teacher.leadId.is(me.teacher.id)),
          teacher.department.standing.head.titled('head of department'),
          teacher.department.standing.above.titled('head above'),
          role('office').includingRemoved(),
        ],
        update: [role('office').includingRemoved().only('leftAt').titled('office brings back')],
        delete: [role('office')],
      },
    }),
    student: (student, { standing: { tutor, parent }, me, anyone, role }) => ({
      may: {
        read: [
          tutor,
          parent,
          anyone
            .provided(student.enrolments.some((one) => one.course.lessons.some((lesson) => lesson.teacherId.is(me.teacher.id))))
            .except('bornOn'),
        ],
        update: [role('office')],
      },
    }),
    guardian: (guardian, { me, anyone }) => ({
      may: { read: [anyone.provided(guardian.accountId.is(me.accountId))] },
    }),
    guardianship: (guardianship, { me, anyone }) => ({
      may: { read: [anyone.provided(guardianship.guardianId.is(me.guardian.id)), guardianship.student.standing.tutor] },
    }),
    course: (course, { standing: { course: teaches }, anyone }) => ({
      may: { read: [anyone.provided(course.state.is('open')), teaches], update: [teaches.only('title', 'settings')] },
    }),
    enrolment: (enrolment) => ({
      may: { read: [enrolment.course.standing.course, enrolment.student.standing.parent] },
    }),
    lesson: (lesson, { me, standing: { own, lead, substitute }, role }) => ({
      may: {
        read: [own, lead, substitute, role('office').includingRemoved()],
        update: [own.only('startsAt'), role('office').includingRemoved().only('cancelledAt', 'cancelledBy').titled('office restores')],
        delete: [own, role('office')],
      },
      stamps: { delete: { cancelledBy: me.accountId } },
      vetoes: [
        {
          actions: ['delete'],
          provided: lesson.substitutions.some(),
          unless: role('office'),
          message: 'Tell the office: there is a substitute.',
        },
      ],
    }),
    substitution: (substitution, { me, anyone }) => ({
      may: { read: [anyone.provided(substitution.teacherId.is(me.teacher.id)), substitution.lesson.standing.own] },
    }),
    room: (room, { anyone }) => ({ may: { read: [anyone.provided(room.seats.isAtLeast(4))] } }),
    instrument: (instrument, { anyone }) => ({
      may: {
        read: [anyone.provided(instrument.state.is('fit'), not(instrument.loans.some((loan) => loan.status.is('open'))))],
      },
    }),
    loan: (loan, { role, today }) => ({
      may: {
        read: [
          loan.student.standing.parent,
          loan.student.standing.tutor,
          role('office').provided(loan.dueOn.isBefore(today)).titled('office: overdue'),
          role('teacher')
            .provided(loan.student.loans.atLeast(3, (other) => other.status.is('open')))
            .titled('teacher: many'),
          role('accountant'),
        ],
        create: [
          role('office').provided(
            loan.student.isPresent(),
            loan.student.loans.atMost(2, (other) => other.status.is('open')),
          ),
        ],
      },
      stamps: { create: { lentOn: today } },
    }),
    invoice: (invoice, { role }) => ({ may: { read: [role('accountant'), invoice.student.standing.parent] } }),
    message: (message, { me, anyone }) => ({
      may: { read: [anyone.provided(message.fromId.is(me.accountId)), anyone.provided(message.toIds.has(me.accountId))] },
    }),
  })
  .grant(
    ['membership', 'student', 'guardian', 'guardianship', 'course', 'enrolment', 'substitution', 'room', 'instrument'],
    ({ role }) => ({
      read: [role('office')],
    }),
  )
