import type { Sample } from './schema.js'

/** A clinic: staff with a role and their clinic, patients with an account, delegation for some days, notes and results. */
export const clinic: Sample = {
  name: 'a clinic',
  tables: ({ engine, serial, int, text, time, bool, no, one }) => [
    ...(engine === 'PostgreSQL'
      ? ["create type staff_role as enum ('doctor', 'nurse', 'desk')", "create type visit_status as enum ('booked', 'seen', 'missed')"]
      : []),
    `create table clinic (id ${serial}, name ${text} not null)`,
    `create table account (id ${serial}, clinic_id ${int} not null references clinic (id), login ${text} not null unique, email ${text} not null, pin ${text}, role ${one('staff_role', ['doctor', 'nurse', 'desk'])} not null)`,
    `create table patient (id ${serial}, clinic_id ${int} not null references clinic (id), account_id ${int} unique references account (id), full_name ${text} not null, national_id ${text} not null, born_on date not null)`,
    `create table visit (id ${serial}, clinic_id ${int} not null references clinic (id), patient_id ${int} not null references patient (id), doctor_id ${int} not null references account (id), status ${one('visit_status', ['booked', 'seen', 'missed'])} not null, starts_at ${time} not null)`,
    `create table result (id ${serial}, clinic_id ${int} not null references clinic (id), visit_id ${int} not null references visit (id), name ${text} not null, finding ${text} not null, removed_at ${time})`,
    `create table note (id ${serial}, clinic_id ${int} not null references clinic (id), visit_id ${int} not null references visit (id), written_by ${int} not null references account (id), body ${text} not null, is_public ${bool} not null default ${no})`,
    `create table patient_delegation (clinic_id ${int} not null references clinic (id), patient_id ${int} not null references patient (id), account_id ${int} not null references account (id), valid_until date, primary key (patient_id, account_id))`,
    `create table letter (id ${serial}, clinic_id ${int} not null references clinic (id), sender_id ${int} not null references account (id), recipient_id ${int} not null references account (id), subject ${text} not null)`,
  ],
  rows: [
    "insert into clinic (name) values ('North'), ('South')",
    "insert into account (clinic_id, login, email, role) values (1, 'ada', 'ada@c.example', 'doctor'), (1, 'bo', 'bo@c.example', 'desk'), (2, 'cy', 'cy@c.example', 'nurse')",
    "insert into patient (clinic_id, account_id, full_name, national_id, born_on) values (1, 2, 'Bo Berg', 'n1', '1980-01-02'), (1, null, 'Di', 'n2', '1990-01-02')",
    "insert into visit (clinic_id, patient_id, doctor_id, status, starts_at) values (1, 1, 1, 'booked', '2026-05-01T10:00:00Z')".replace(
      'T10:00:00Z',
      ' 10:00:00',
    ),
  ],
  expected: [
    'people account',
    'secret account.pin',
    'roles account.role',
    ...['account', 'patient', 'visit', 'result', 'note', 'patientDelegation', 'letter'].map((type) => `tenant ${type}.clinicId`),
    'owner patient.accountId',
    'secret patient.nationalId',
    'assignee visit.doctorId',
    'state visit.status',
    'removal result.removedAt',
    'author note.writtenBy',
    'published note.isPublic',
    'share patientDelegation',
    'author letter.senderId',
    'assignee letter.recipientId',
  ],
}
