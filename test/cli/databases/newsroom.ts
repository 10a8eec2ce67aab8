import type { Sample } from './schema.js'

/** A newsroom, with names in camelCase and in the singular. The guesses were not written against it. */
export const newsroom: Sample = {
  name: 'a newsroom',
  tables: ({ engine, serial, int, text, time, bool, no, one }) => [
    ...(engine === 'PostgreSQL' ? ["create type story_status as enum ('draft', 'review', 'live')"] : []),
    `create table "Journalist" (id ${serial}, "fullName" ${text} not null, "mail" ${text} not null unique, "loginHash" ${text} not null, "isStaff" ${bool} not null default ${no})`,
    `create table "Desk" (id ${serial}, name ${text} not null, "headId" ${int} references "Journalist" (id))`,
    `create table "Story" (id ${serial}, "deskId" ${int} not null references "Desk" (id), "journalistId" ${int} not null references "Journalist" (id), "editorId" ${int} references "Journalist" (id), headline ${text} not null, status ${one('story_status', ['draft', 'review', 'live'])} not null, "publishedAt" ${time}, "withdrawnAt" ${time})`,
    `create table "StoryContributor" ("storyId" ${int} not null references "Story" (id), "journalistId" ${int} not null references "Journalist" (id), share ${int} not null, primary key ("storyId", "journalistId"))`,
    `create table "ReaderComment" (id ${serial}, "storyId" ${int} not null references "Story" (id), "readerMail" ${text} not null, body ${text} not null, "removedAt" ${time})`,
    `create table "Source" (id ${serial}, "storyId" ${int} not null references "Story" (id), "realName" ${text} not null, "contactSecret" ${text} not null)`,
    `create table "Photo" (id ${serial}, "storyId" ${int} references "Story" (id), "takenBy" ${int} not null references "Journalist" (id), licence ${text} not null)`,
  ],
  rows: ['insert into "Journalist" ("fullName", "mail", "loginHash") values (\'Ada Berg\', \'ada@n.example\', \'x\')'],
  expected: [
    'people journalist',
    'secret journalist.loginHash',
    'roles journalist.isStaff',
    'assignee desk.headId',
    'owner story.journalistId',
    'assignee story.editorId',
    'state story.status',
    'published story.publishedAt',
    'share storyContributor',
    'removal readerComment.removedAt',
    'parent source',
    // Not thought of when this list was written, and right: journalists read what readers say of their stories.
    'parent readerComment',
    'secret source.contactSecret',
    'author photo.takenBy',
  ],
}
