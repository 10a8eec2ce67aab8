import type { Sample } from './schema.js'

/** A project tracker: organisations, their members with roles, projects that are shared with people, issues by email and by key. */
export const tracker: Sample = {
  name: 'a project tracker',
  tables: ({ engine, uuid, text, time, bool, json, no, one }) => [
    ...(engine === 'PostgreSQL'
      ? [
          "create type member_role as enum ('owner', 'editor', 'guest')",
          "create type issue_state as enum ('todo', 'doing', 'done')",
          "create type project_visibility as enum ('private', 'public')",
        ]
      : []),
    `create table organizations (id ${uuid} primary key, name ${text} not null, settings ${json} not null)`,
    `create table users (id ${uuid} primary key, email ${text} not null unique, display_name ${text} not null, api_token ${text})`,
    `create table organization_members (organization_id ${uuid} not null references organizations (id) on delete cascade, user_id ${uuid} not null references users (id) on delete cascade, role ${one('member_role', ['owner', 'editor', 'guest'])} not null, primary key (organization_id, user_id))`,
    `create table projects (id ${uuid} primary key, organization_id ${uuid} not null references organizations (id), lead_id ${uuid} references users (id), title ${text} not null, visibility ${one('project_visibility', ['private', 'public'])} not null, archived_at ${time})`,
    `create table project_shares (id ${uuid} primary key, organization_id ${uuid} not null references organizations (id), project_id ${uuid} not null references projects (id) on delete cascade, user_id ${uuid} not null references users (id), level ${text} not null, expires_at ${time}, unique (project_id, user_id))`,
    `create table issues (id ${uuid} primary key, organization_id ${uuid} not null references organizations (id), project_id ${uuid} not null references projects (id), reporter_id ${uuid} not null references users (id), assignee_email ${text}, state ${one('issue_state', ['todo', 'doing', 'done'])} not null, title ${text} not null, deleted_at ${time})`,
    `create table comments (id ${uuid} primary key, organization_id ${uuid} not null references organizations (id), issue_id ${uuid} not null references issues (id) on delete cascade, author_id ${uuid} not null references users (id), body ${text} not null, is_deleted ${bool} not null default ${no})`,
    `create table attachments (id ${uuid} primary key, organization_id ${uuid} not null references organizations (id), comment_id ${uuid} not null references comments (id), file_name ${text} not null, uploaded_by ${uuid} not null references users (id))`,
    `create table issue_watchers (organization_id ${uuid} not null references organizations (id), issue_id ${uuid} not null references issues (id), user_id ${uuid} not null references users (id), primary key (issue_id, user_id))`,
    `create table invoices (id ${uuid} primary key, organization_id ${uuid} not null references organizations (id), amount ${engine === 'SQLite' ? 'real' : 'double precision'} not null, iban ${text})`,
  ],
  rows: (() => {
    const key = (of: number, at: number) => `'00000000-0000-4000-800${of}-00000000000${at}'`
    return [
      `insert into organizations (id, name, settings) values (${key(1, 1)}, 'North', '{}'), (${key(1, 2)}, 'South', '{}')`,
      `insert into users (id, email, display_name) values (${key(2, 1)}, 'ada@t.example', 'Ada'), (${key(2, 2)}, 'bo@t.example', 'Bo'), (${key(2, 3)}, 'cy@t.example', 'Cy')`,
      `insert into organization_members (organization_id, user_id, role) values (${key(1, 1)}, ${key(2, 1)}, 'owner'), (${key(1, 1)}, ${key(2, 2)}, 'guest'), (${key(1, 2)}, ${key(2, 3)}, 'owner')`,
      `insert into projects (id, organization_id, lead_id, title, visibility) values (${key(3, 1)}, ${key(1, 1)}, ${key(2, 1)}, 'Bridge', 'private'), (${key(3, 2)}, ${key(1, 1)}, null, 'Road', 'public')`,
      `insert into project_shares (id, organization_id, project_id, user_id, level) values (${key(4, 1)}, ${key(1, 1)}, ${key(3, 1)}, ${key(2, 2)}, 'look')`,
      `insert into issues (id, organization_id, project_id, reporter_id, assignee_email, state, title) values (${key(5, 1)}, ${key(1, 1)}, ${key(3, 1)}, ${key(2, 1)}, 'BO@t.example', 'todo', 'Rivets')`,
    ]
  })(),
  expected: [
    'people user',
    'secret user.apiToken',
    'membership organizationMember',
    ...['project', 'projectShare', 'issue', 'comment', 'attachment', 'issueWatcher', 'invoice', 'organizationMember'].map(
      (type) => `tenant ${type}.organizationId`,
    ),
    'assignee project.leadId',
    'published project.visibility',
    'share projectShare',
    'author issue.reporterId',
    'assignee issue.assigneeEmail',
    'state issue.state',
    'removal issue.deletedAt',
    'author comment.authorId',
    'removal comment.isDeleted',
    'author attachment.uploadedBy',
    'share issueWatcher',
    'secret invoice.iban',
  ],
}
