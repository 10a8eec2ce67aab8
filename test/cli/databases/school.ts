import { makeSchool } from '../../school/tables.js'

/** The music school of the tests, which has no foreign keys: what its columns are called has to do. */
export const school = {
  name: 'a music school',
  make: makeSchool,
  expected: [
    'people account',
    'membership membership',
    ...'membership department teacher student guardian guardianship course enrolment lesson substitution room instrument loan invoice message'
      .split(' ')
      .map((type) => `tenant ${type}.schoolId`),
    'owner teacher.accountId',
    'owner guardian.accountId',
    'state course.state',
    'state enrolment.status',
    'state instrument.state',
    'state loan.status',
    // A course is read by its teacher, an enrolment by that of its course, and so on: as the school's own rules say.
    'parent course',
    'parent lesson',
    'parent enrolment',
    'parent guardianship',
    'parent substitution',
  ],
}
