// Drafts that look at data, that may not read it, and of many tables.
import { readdirSync, readFileSync, rmSync } from 'node:fs'
import { join } from 'node:path'
import { expect } from 'chai'
import { sql } from 'kysely'
import { within } from '../support/command.js'
import { complaintsOf, drop, folder, named, PLACES, project } from './databases/places.js'

const checked: string[] = []
after(() => rmSync(folder, { recursive: true, force: true }))

for (const [engine, open] of Object.entries(PLACES))
  it(`--sample looks whether values bear guesses out, in ${engine}`, async () => {
    const place = await open('sample')
    try {
      const run = (text: string) => sql.raw(text).execute(place.db)
      const text = 'varchar(40)'
      await run(`create table users (id ${text} primary key, email ${text} not null unique)`)
      await run(
        `create table ticket (id integer primary key, owner_id ${text}, author_id ${text}, assigned_to_email ${text}, reviewer_id ${text}, is_published boolean)`,
      )
      for (let at = 1; at <= 10; at++) await run(`insert into users values ('u${at}', 'u${at}@x.example')`)
      for (let at = 1; at <= 40; at++)
        await run(
          `insert into ticket values (${at}, 'u${(at % 10) + 1}', 'robot ${at}', 'U${(at % 10) + 1}@X.example', ${at % 4 === 0 ? 'null' : at % 4 === 1 ? "'nobody'" : "'u1'"}, ${at % 5 === 0})`,
        )
      place.finish()
      const plain = project(named(`${engine}_unsampled`))
      expect((await within(`init ${plain} --db ${place.url}`)).status).to.equal(0)
      expect(readFileSync(join(plain, 'rulebook.ts'), 'utf8')).to.include('ticket.authorId.is(me.id)')
      const at = project(named(`${engine}_sampled`))
      const made = await within(`init ${at} --db ${place.url} --sample`)
      expect(made.status, made.stderr).to.equal(0)
      checked.push(join(at, 'pachter.config.ts'))
      const rules = readFileSync(join(at, 'rulebook.ts'), 'utf8').replaceAll(/\n\s*\/\/ /g, ' ')
      expect(rules).to.include('40 of 40 values are people').and.include('it is set in 8 of 40 rows')
      expect(rules).to.include('sure: assigned_to_email holds an email address, as people have, and 40 of 40 values are people')
      expect(rules).to.include('unsure: reviewer_id').and.include('20 of 30 values are people')
      expect(rules).not.to.include('ticket.authorId.is(me.id)')
      expect(readFileSync(join(at, 'questions.md'), 'utf8')).to.include(
        '**ticket.authorId**: is called as if it held a person, but only 0 of 40 values are people.',
      )
      expect((await within(`init ${join(folder, 'none')} --sample`)).stderr).to.include('--sample looks at values of a database')
    } finally {
      await drop(place, 'sample')
    }
  })

for (const open of Object.entries(PLACES).flatMap(([engine, one]) => (engine === 'PostgreSQL' ? [one] : [])))
  it('tables that may not be read are drafted from the catalog, and that is told', async () => {
    const place = await open('unread')
    const role = named('reader')
    try {
      const run = (text: string) => sql.raw(text).execute(place.db)
      await run('create table users (id integer primary key, email text, settings jsonb)')
      await run('create table task (id integer primary key, user_id integer references users (id), is_published boolean)')
      await run(`drop role if exists ${role}`)
      await run(`create role ${role} login`)
      const url = new URL(place.url)
      url.username = role
      const at = project('unread')
      const made = await within(`init ${at} --db ${url.href} --sample`)
      expect(made.status, made.stderr).to.equal(0)
      expect(made.stdout)
        .to.include('task.userId')
        .and.match(/could not be read: permission denied for table \w+/)
      expect(readFileSync(join(at, 'questions.md'), 'utf8')).to.match(/^1\. \*\*rights\*\*: .*permission denied for table users/m)
      checked.push(join(at, 'pachter.config.ts'))
    } finally {
      await sql.raw(`drop role if exists ${role}`).execute(place.db)
      await drop(place, 'unread')
    }
  })

it('many tables are drafted as a file for each group, whatever their names begin with', async () => {
  const place = await (PLACES.SQLite as (typeof PLACES)[string])('many')
  const run = (text: string) => sql.raw(text).execute(place.db)
  await run('create table users (id integer primary key, email text not null unique)')
  await run("insert into users values (1, 'a@x'), (2, 'b@x')")
  for (const word of ['crm', 'new', '2nd', 'a/b', 'größe', 'default'])
    for (let number = 0; number < 8; number++) {
      const before = number === 0 ? '' : `, parent_id integer references "${word}_${number - 1}" (id), due date`
      await run(`create table "${word}_${number}" (id integer primary key, user_id integer references users (id), title text${before})`)
      await run(`insert into "${word}_${number}" (id, user_id, title) values (1, 1, 'one'), (2, 2, 'two'), (3, null, 'three')`)
    }
  await run('create table alone (id integer primary key, user_id integer references users (id), expires_at text)')
  place.finish()
  const at = project('many')
  const made = await within(`init ${at} --db ${place.url}`)
  expect(made.status, made.stderr).to.equal(0)
  expect(readdirSync(at)).to.include.members(['shapes', 'standings', 'rules', 'base.ts', 'model.ts', 'rulebook.ts', 'pachter.config.ts'])
  const groups = readdirSync(join(at, 'rules'))
  expect(groups).to.have.length(7).and.include.members(['crm.ts', 'new.ts', 'default.ts', 'other.ts'])
  expect(readFileSync(join(at, 'rules/crm.ts'), 'utf8')).to.include("crm3: model.rulesOf('crm3', ")
  expect(readFileSync(join(at, 'rules/other.ts'), 'utf8')).to.include("alone: model.rulesOf('alone', ")
  const config = join(at, 'pachter.config.ts')
  checked.push(config)
  const { stdout, status } = await within(`matrix crm3 --db ${place.url} --config ${config} --format json`)
  expect([status, /"owner"/.test(stdout)]).to.deep.equal([0, true])
  expect((await within(`init --db ${place.url} --check --config ${config}`)).status).to.equal(0)
  await place.db.destroy()
})

it('these drafts compile, strictly', () => expect(complaintsOf(checked)).to.equal(''))
