// Which indexes the rules could use, and which of those that are there can serve.
import { expect } from 'chai'
import { sql } from 'kysely'
import { forever, now, rulebook, toMany, toOne } from 'pachter'
import { mariadb, missingIndexes, postgres, wantedIndexes } from 'pachter/sql'
import { z } from 'zod'
import { engines } from '../support/engines.js'

const text = z.string()
const book = rulebook({
  me: { shape: z.object({ id: text, folder: text }), key: 'id' },
  records: {
    letter: {
      shape: z.object({ id: text, writerId: text, path: text, opensAt: z.date(), seen: z.boolean() }),
      key: 'id',
      links: { copies: toMany('copy', 'letterId'), writer: toOne('reader', 'writerId') },
    },
    copy: {
      shape: z.object({ id: text, letterId: text, readerId: text, until: z.date().optional() }),
      key: 'id',
      links: { reader: toOne('reader', 'readerId') },
    },
    reader: { shape: z.object({ id: text }), key: 'id' },
  },
}).rules({
  letter: (letter, { me, anyone }) => ({
    may: {
      read: [
        anyone.provided(letter.writerId.is(me.id)),
        anyone.provided(letter.path.startsWith(me.folder)),
        anyone.provided(letter.opensAt.isBefore(now)),
        anyone.provided(letter.copies.some((copy) => copy.readerId.is(me.id).and(copy.until.orElse(forever).isAfter(now)))),
      ],
    },
  }),
})

describe('indexes that rules could use', () => {
  it('are on what is compared with the person, on links, and on times that pass', () => {
    expect(wantedIndexes(book.model).map(({ type, field, for: use }) => `${type}.${field} ${use}`)).to.have.members([
      'letter.writerId equality',
      'letter.path start',
      'letter.opensAt time',
      'copy.readerId equality',
      'copy.until time',
    ])
  })

  it('are on what leads from a record that is changed to others', () => {
    const begun = rulebook({
      me: { shape: z.object({ id: text }), key: 'id' },
      records: {
        team: { shape: z.object({ id: text, open: z.boolean() }), key: 'id', links: { seats: toMany('seat', 'teamId') } },
        seat: { shape: z.object({ id: text, teamId: text, size: z.int() }), key: 'id' },
      },
    })
    const wanted = (action: 'read' | 'update') =>
      wantedIndexes(
        begun.rules({
          team: (team, { anyone }) => ({ may: { [action]: [anyone.provided(team.seats.some((seat) => seat.size.isMoreThan(2)))] } as {} }),
        }).model,
      ).map(({ type, field, for: use }) => `${type}.${field} ${use}`)
    expect(wanted('update')).to.deep.equal(['seat.teamId equality'])
    expect(wanted('read')).to.deep.equal([])
  })

  for (const { name, dialect, open } of engines)
    it(`serve the order of lists in ${name}: within what rules look for, and alone for people who see all`, async () => {
      const notes = rulebook({
        me: { shape: z.object({ id: text, isEditor: z.boolean(), desk: z.int() }), key: 'id' },
        records: {
          note: {
            shape: z.object({ id: text, authorId: text, desk: z.int(), writtenAt: z.date() }),
            key: 'id',
            // Keys are short enough for an index of two columns.
            links: { author: toOne('author', 'authorId') },
          },
          author: { shape: z.object({ id: text }), key: 'id' },
        },
      }).rules({
        note: (note, { me, anyone }) => ({
          may: {
            read: [anyone.provided(note.authorId.is(me.id)), anyone.provided(me.isEditor.is(true))],
            update: [anyone.provided(note.desk.is(me.desk))],
          },
        }),
      })
      const db = await open(notes)
      const missing = async (order: readonly string[] = ['-writtenAt']) =>
        (await missingIndexes(db, dialect, notes, undefined, [{ type: 'note', sort: order }])).missing
      const told = (found: Awaited<ReturnType<typeof missing>>) =>
        found.map(({ field, for: use, following = [] }) => `${use} ${[field, ...following]}`).sort()
      expect(told(await missing())).to.deep.equal(['equality desk', 'order authorId,writtenAt', 'order writtenAt'])
      expect(told(await missing(['-writtenAt', 'desk']))).to.include('order authorId,writtenAt,desk')
      const run = (statement: string) => sql.raw(dialect === mariadb ? statement.replaceAll('"', '`') : statement).execute(db)
      await run('create index i_author on note ("authorId")')
      expect(told(await missing())).to.include('order authorId,writtenAt')
      for (const { statement } of await missing()) await sql.raw(`${statement}`.replace(/;$/, '')).execute(db)
      expect(await missing()).to.deep.equal([])
      const fault = (type: string, field: string) =>
        missingIndexes(db, dialect, notes, undefined, [{ type, sort: [field] }]).catch(({ message }) => message)
      expect(await fault('note', '-writenAt')).to.match(/writtenAt/)
      expect(await fault('nota', 'id')).to.match(/note/)
      for (const table of ['note', 'author']) await db.schema.dropTable(table).execute()
    })

  for (const { name, dialect, open } of engines)
    it(`are without regard to case where rules compare so, in ${name}`, async () => {
      const mails = rulebook({
        me: { shape: z.object({ id: text, mail: text }), key: 'id' },
        records: {
          task: {
            shape: z.object({ id: text, assignee: text }),
            key: 'id',
            links: { worker: toOne('worker', { mail: 'assignee' }, { ignoringCase: true }) },
          },
          worker: { shape: z.object({ id: text, mail: text, mailBox: text }), key: 'id' },
        },
      }).rules({
        worker: (worker, { me, anyone }) => ({ may: { read: [anyone.provided(worker.mail.isIgnoringCase(me.mail))] } }),
        task: (task, { me, anyone }) => ({ may: { read: [anyone.provided(task.worker.id.is(me.id))] } }),
      })
      const [mail, box] = dialect === mariadb ? ['varchar(99)', 'varchar(99)'] : ['text', 'varchar(99)']
      const db = await open({ ...mails })
      const run = (statement: string) => sql.raw(dialect === mariadb ? statement.replaceAll('"', '`') : statement).execute(db)
      await run('drop table worker')
      await run(`create table worker (id ${box} primary key, mail ${mail} not null, "mailBox" ${box} not null)`)
      await run('drop table task')
      await run(`create table task (id ${box} primary key, assignee ${box} not null)`)
      const missing = async () => (await missingIndexes(db, dialect, mails)).missing
      const places = async () => (await missing()).map(({ type, field, for: use }) => `${type}.${field} ${use}`)
      expect(await places()).to.have.members(['worker.mail equality ignoring case', 'task.assignee equality ignoring case'])
      if (dialect !== mariadb) {
        for (const other of ['(lower("mailBox"))', '("mail")', '(upper("mail"))'])
          await run(`create index i${other.replaceAll(/\W/g, '')} on worker ${other}`)
        expect(await places()).to.include('worker.mail equality ignoring case')
      }
      for (const { statement } of await missing()) await sql.raw(`${statement}`.replace(/;$/, '')).execute(db)
      expect(await missing()).to.deep.equal([])
      for (const table of ['worker', 'task']) await db.schema.dropTable(table).execute()
    })

  for (const { name, dialect, open } of engines)
    it(`are missing in ${name} while none that is there can serve`, async () => {
      const db = await open(book)
      const missing = async () => (await missingIndexes(db, dialect, book)).missing.map(({ type, field }) => `${type}.${field}`)
      const all = await missing()
      expect(all).to.have.length(5)
      const run = (statement: string) => sql.raw(dialect === mariadb ? statement.replaceAll('"', '`') : statement).execute(db)
      await run('create index i_writer on letter ("writerId", "opensAt")')
      expect(await missing()).to.have.members(all.filter((one) => one !== 'letter.writerId'))
      if (dialect !== mariadb) {
        await run('create index i_opens on letter ("opensAt") where seen = seen')
        const { missing: left } = await missingIndexes(db, dialect, book)
        const opens = left.find(({ field }) => field === 'opensAt')
        expect(opens?.partial?.join()).to.match(/seen = seen/)
      }
      if (dialect === postgres && name !== 'PGlite') {
        await run('alter table letter alter column path type text collate "en-US-x-icu"')
        await run('create index i_path on letter (path)')
        expect(await missing()).to.include('letter.path')
        await run('create index i_start on letter (path text_pattern_ops)')
        expect(await missing()).not.to.include('letter.path')
      }
      for (const { statement } of (await missingIndexes(db, dialect, book)).missing)
        await sql.raw(`${statement}`.replace(/;$/, '')).execute(db)
      expect(await missing()).to.deep.equal([])
      for (const table of ['letter', 'copy', 'reader']) await db.schema.dropTable(table).execute()
    })
})
