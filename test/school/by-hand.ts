// Who sees what in the music school, as SQL written by hand, independently of the rules: a WHERE clause for each table.

interface Asked {
  readonly account: string
  readonly school: string
  readonly today: string
  readonly is: 'PostgreSQL' | 'MariaDB'
}

const NOBODY = '1 = 0'

/** The WHERE clause of each table, with the values in it. Text is compared exactly. */
export function byHand({ account, school, today, is }: Asked): Readonly<Record<string, string>> {
  const exactly = (column: string, value: string) =>
    is === 'PostgreSQL' ? `${column}::text = '${value}'` : `${column} = '${value}' and binary ${column} = '${value}'`
  const same = (a: string, b: string) => (is === 'PostgreSQL' ? `${a} = ${b}` : `binary ${a} = binary ${b}`)
  const has = (role: string) =>
    `exists (select 1 from membership ms where ${exactly('ms.account_id', account)} and ${exactly('ms.school_id', school)} and ms.role = '${role}')`
  const here = (table: string) => exactly(`${table}.school_id`, school)
  const mine = `(select t.id from teacher t where ${exactly('t.account_id', account)} and ${exactly('t.school_id', school)} and t.left_at is null)`
  const guardian = `(select g.id from guardian g where ${exactly('g.account_id', account)} and ${exactly('g.school_id', school)})`
  const isIn = (column: string, set: string) =>
    is === 'PostgreSQL'
      ? `${column} in ${set}`
      : `binary ${column} in ${set.replace('(select t.id', '(select binary t.id').replace('(select g.id', '(select binary g.id')}`
  const from = is === 'PostgreSQL' ? '"from"' : '`from`'
  const parentOf = (student: string) =>
    `exists (select 1 from guardianship gs where ${same('gs.student_id', student)} and ${isIn('gs.guardian_id', guardian)} and (gs.until is null or gs.until >= '${today}'))`
  const tutorOf = (student: string) => `exists (select 1 from student st where ${same('st.id', student)} and ${isIn('st.tutor_id', mine)})`
  const headed = `(with recursive below as (
      select d.id from department d where ${isIn('d.head_id', mine)}
      union select c.id from department c join below on ${same('c.parent_id', 'below.id')}
    ) select id from below)`
  const opened = (loan: string) => `(select count(*) from loan o where ${same('o.student_id', `${loan}.student_id`)} and o.status = 'open')`
  const secondHand = (lesson: string) =>
    `exists (select 1 from substitution su where ${same('su.lesson_id', `${lesson}.id`)} and ${isIn('su.teacher_id', mine)} and su.${from} <= '${today}' and su.until >= '${today}')`
  const recipient = is === 'PostgreSQL' ? `message.to_ids @> '["${account}"]'` : `json_contains(message.to_ids, '"${account}"')`
  const visible: Readonly<Record<string, string>> = {
    school: exactly('school.id', school),
    account: exactly('account.id', account),
    membership: `${here('membership')} and (${exactly('membership.account_id', account)} or ${has('office')})`,
    department: here('department'),
    teacher: `${here('teacher')} and (${has('office')} or (teacher.left_at is null and (
      (${exactly('teacher.account_id', account)}) or ${isIn('teacher.lead_id', mine)} or teacher.department_id in ${headed})))`,
    student: `${here('student')} and (${has('office')} or ${isIn('student.tutor_id', mine)} or ${parentOf('student.id')} or exists (
      select 1 from enrolment e join course c on ${same('c.id', 'e.course_id')} join lesson l on ${same('l.course_id', 'c.id')}
      where ${same('e.student_id', 'student.id')} and l.cancelled_at is null and ${isIn('l.teacher_id', mine)}))`,
    guardian: `${here('guardian')} and ((${exactly('guardian.account_id', account)}) or ${has('office')})`,
    guardianship: `${here('guardianship')} and (${isIn('guardianship.guardian_id', guardian)} or ${has('office')} or ${tutorOf('guardianship.student_id')})`,
    course: `${here('course')} and (course.state = 'open' or ${isIn('course.teacher_id', mine)} or ${has('office')})`,
    enrolment: `${here('enrolment')} and (${has('office')} or ${parentOf('enrolment.student_id')} or exists (
      select 1 from course c where ${same('c.id', 'enrolment.course_id')} and ${isIn('c.teacher_id', mine)}))`,
    lesson: `${here('lesson')} and (${has('office')} or (lesson.cancelled_at is null and (${isIn('lesson.teacher_id', mine)} or ${secondHand('lesson')}
      or exists (select 1 from teacher x where x.left_at is null and ${isIn('x.lead_id', mine)} and (${same('x.id', 'lesson.teacher_id')} or exists (
        select 1 from substitution su where ${same('su.lesson_id', 'lesson.id')} and ${same('su.teacher_id', 'x.id')} and su.${from} <= '${today}' and su.until >= '${today}'))))))`,
    substitution: `${here('substitution')} and (${has('office')} or ${isIn('substitution.teacher_id', mine)} or exists (
      select 1 from lesson l where ${same('l.id', 'substitution.lesson_id')} and l.cancelled_at is null and ${isIn('l.teacher_id', mine)}))`,
    room: `${here('room')} and (room.seats >= 4 or ${has('office')})`,
    instrument: `${here('instrument')} and (${has('office')} or (instrument.state = 'fit' and not exists (
      select 1 from loan o where ${same('o.instrument_id', 'instrument.id')} and o.status = 'open')))`,
    loan: `${here('loan')} and (${has('accountant')} or ${parentOf('loan.student_id')} or ${tutorOf('loan.student_id')}
      or (${has('office')} and loan.due_on < '${today}') or (${opened('loan')} >= 3 and ${has('teacher')}))`,
    invoice: `${here('invoice')} and (${has('accountant')} or ${parentOf('invoice.student_id')})`,
    message: `${here('message')} and ((${exactly('message.from_id', account)}) or ${recipient})`,
    nothing: NOBODY,
  }
  return visible
}
