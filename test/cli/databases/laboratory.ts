import type { Sample } from './schema.js'

/** A laboratory whose people have badge numbers, and groups that keep to themselves. The guesses were not written against it. */
export const laboratory: Sample = {
  name: 'a laboratory',
  tables: ({ engine, serial, int, text, time, bool, money, no, one }) => [
    ...(engine === 'PostgreSQL' ? ["create type sample_status as enum ('fresh', 'used', 'gone')"] : []),
    `create table lab_group (id ${serial}, name ${text} not null)`,
    `create table researcher (badge_no ${text} primary key, group_id ${int} not null references lab_group (id), email ${text} not null, is_admin ${bool} not null default ${no}, monthly_salary ${money})`,
    `create table sample (id ${serial}, group_id ${int} not null references lab_group (id), collected_by ${text} not null references researcher (badge_no), custodian_badge ${text} references researcher (badge_no), status ${one('sample_status', ['fresh', 'used', 'gone'])} not null, discarded_at ${time})`,
    `create table experiment (id ${serial}, group_id ${int} not null references lab_group (id), principal_badge ${text} not null references researcher (badge_no), title ${text} not null, is_public ${bool} not null default ${no})`,
    `create table experiment_access (experiment_id ${int} not null references experiment (id), researcher_badge ${text} not null references researcher (badge_no), group_id ${int} not null references lab_group (id), can_edit ${bool} not null, revoked_at ${time}, primary key (experiment_id, researcher_badge))`,
    `create table measurement (id ${serial}, group_id ${int} not null references lab_group (id), experiment_id ${int} not null references experiment (id), taken_by ${text} not null references researcher (badge_no), reading ${money} not null, deleted_at ${time})`,
    `create table equipment (id ${serial}, group_id ${int} not null references lab_group (id), responsible_badge ${text} not null references researcher (badge_no), name ${text} not null)`,
    `create table booking (id ${serial}, group_id ${int} not null references lab_group (id), equipment_id ${int} not null references equipment (id), booked_by ${text} not null references researcher (badge_no), starts_at ${time} not null, ends_at ${time} not null)`,
    `create table budget (id ${serial}, group_id ${int} not null references lab_group (id), holder_badge ${text} not null references researcher (badge_no), amount ${money} not null)`,
  ],
  rows: [
    "insert into lab_group (name) values ('Alloys')",
    "insert into researcher (badge_no, group_id, email) values ('r-1', 1, 'ada@l.example')",
  ],
  expected: [
    'people researcher',
    'secret researcher.monthlySalary',
    'roles researcher.isAdmin',
    ...['researcher', 'sample', 'experiment', 'experimentAccess', 'measurement', 'equipment', 'booking', 'budget'].map(
      (type) => `tenant ${type}.groupId`,
    ),
    'author sample.collectedBy',
    'assignee sample.custodianBadge',
    'state sample.status',
    'owner experiment.principalBadge',
    'published experiment.isPublic',
    'share experimentAccess',
    'author measurement.takenBy',
    'removal measurement.deletedAt',
    'assignee equipment.responsibleBadge',
    'owner booking.bookedBy',
    'owner budget.holderBadge',
  ],
}
