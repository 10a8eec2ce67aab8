import { existsSync, readdirSync, readFileSync, rmSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { expect } from 'chai'
import { type Kysely, sql } from 'kysely'
import { draftProject } from '../../cli/src/draft/index.js'
import { root, within } from '../support/command.js'
import { clinic } from './databases/clinic.js'
import { laboratory } from './databases/laboratory.js'
import { newsroom } from './databases/newsroom.js'
import { complaintsOf, drop, folder, named, PLACES, project } from './databases/places.js'
import { make, type Sample, WORDS } from './databases/schema.js'
import { school } from './databases/school.js'
import { shop } from './databases/shop.js'
import { tracker } from './databases/tracker.js'

const OPENING: ReadonlySet<string> = new Set([
  'owner',
  'author',
  'assignee',
  'parent',
  'share',
  'published',
  'membership',
  'people',
  'roles',
])

interface Case {
  readonly name: string
  readonly expected: readonly string[]
  readonly fill: (db: Kysely<any>, engine: string) => Promise<void>
}
const CASES: readonly Case[] = [
  ...[shop, tracker, clinic, newsroom, laboratory].map(
    (sample: Sample): Case => ({
      name: sample.name,
      expected: sample.expected,
      fill: (db, engine) => make(db, sample, WORDS[engine] as (typeof WORDS)[string]),
    }),
  ),
  { name: school.name, expected: school.expected, fill: (db, engine) => school.make(db, engine as 'PostgreSQL') },
]

after(() => rmSync(folder, { recursive: true, force: true }))

const checked: string[] = []
for (const [engine, open] of Object.entries(PLACES))
  for (const { name, expected, fill } of CASES) {
    if (engine === 'SQLite' && name === school.name) continue
    it(`a draft of ${name} in ${engine} runs as it is, and finds what is there`, async () => {
      const place = await open(name)
      try {
        await fill(place.db, engine)
        place.finish()
        const { draft, guesses } = await draftProject(place, 'here')
        const found = guesses.all.map(({ kind, type, field }) => `${kind} ${type}${field === undefined ? '' : `.${field}`}`)
        const missed = expected.filter((one) => !found.includes(one))
        // An author, an owner and an assignee are all let read, and no more.
        const reads = (one: string) => one.replace(/^(owner|author|assignee) /, 'reader ')
        const right = new Set(expected.map(reads))
        const wrong = found.filter((one) => !right.has(reads(one)) && OPENING.has(one.split(' ')[0] as string))
        expect(missed.length, `missed: ${missed}`).to.be.at.most(expected.length / 10)
        expect(wrong, 'wrong').to.deep.equal([])
        for (const { table, links, fields } of draft.types)
          for (const foreign of table.foreignKeys) {
            const columns = (link: (typeof links)[number]) =>
              link.by.map(([, mine]) => fields.find((field) => field.name === mine)?.column.name)
            const follows = links.some((link) => !link.many && foreign.columns.every((column) => columns(link).includes(column)))
            expect(follows, `${table.name} ${foreign.columns}`).to.equal(true)
          }

        const at = project(named(`${engine}_${name}`))
        const made = await within(`init ${at} --db ${place.url}`)
        expect(made.status, made.stderr).to.equal(0)
        expect(readdirSync(at)).to.include.members(['shapes.ts', 'rulebook.ts', 'pachter.config.ts', 'questions.md'])
        checked.push(join(at, 'pachter.config.ts'))
        const config = `--config ${join(at, 'pachter.config.ts')}`
        const matrix = await within(`matrix --db ${place.url} ${config}`)
        expect([matrix.status, matrix.stderr.replaceAll(/^warning.*\n/gm, '')]).to.deep.equal([0, ''])
        const same = await within(`init --db ${place.url} --check ${config}`)
        expect(same.status, same.stdout).to.equal(0)
        await place.db.schema
          .alterTable(draft.types[0]?.table.name as string)
          .addColumn('added_later', 'integer')
          .execute()
        place.finish()
        const changed = await within(`init --db ${place.url} --check ${config}`)
        expect([changed.status, changed.stdout]).to.deep.equal([1, changed.stdout])
        expect(changed.stdout).to.match(/added_later: this column \(.*\) has no field in /)
        const again = await within(`init ${at} --db ${place.url}`)
        expect([again.status, again.stderr]).to.deep.equal([2, again.stderr])
        expect(again.stderr).to.match(/is there already, and nothing is overwritten/)
      } finally {
        await drop(place, name)
      }
    })
  }

it('what a database calls its tables, columns and people does not become code', async () => {
  const place = await (PLACES.SQLite as (typeof PLACES)[string])('odd')
  const run = (text: string) => sql.raw(text).execute(place.db)
  await run('create table users (id integer primary key, email text, role text)')
  await run(
    `insert into users (email, role) values ('x', 'a\n''; process.exit(7) //'), ('y', 'b\u2028process.exit(8)'), ('z', '*/ process.exit(9)')`,
  )
  await run(
    'create table "select" (id integer primary key, "from" text, "a b" text, "1st" integer, "it\'s" text, "__proto__" text, field text, "dot.ted" text, class text)',
  )
  await run(
    'create table "weird; drop table x" (id integer primary key, up integer references "weird; drop table x" (id), other integer references "select" (id))',
  )
  for (const text of [
    '"evil\nprocess.exit(5)" (id integer primary key)',
    '"do""t.s" (id integer primary key)',
    'nokey (a integer, b text)',
    '"時計" (id integer primary key, "値" text)',
  ])
    await run(`create table ${text}`)
  await run('create view seen as select * from users')
  place.finish()
  const at = project('odd')
  const made = await within(`init ${at} --db ${place.url}`)
  expect([made.status, made.stderr]).to.deep.equal([0, ''])
  const config = `--config ${join(at, 'pachter.config.ts')}`
  checked.push(join(at, 'pachter.config.ts'))
  expect((await within(`matrix --db ${place.url} ${config}`)).status).to.equal(0)
  expect((await within(`init --db ${place.url} --check ${config}`)).status).to.equal(0)
  const asked = readFileSync(join(at, 'questions.md'), 'utf8')
  for (const one of ['nokey', 'do"t.s', 'evil process.exit(5)', 'seen', 'select.dot.ted']) expect(asked).to.include(`**${one}**`)
  expect((await within(`init ${join(folder, 'none')} --db sqlite:${join(folder, 'nowhere.sqlite')}`)).stderr).to.match(/does not exist/)
  await place.db.destroy()
})

it('the name of a table of people ends no comment', async () => {
  const place = await (PLACES.SQLite as (typeof PLACES)[string])('newline')
  await sql.raw('create table "people\nthrow 5" (id integer primary key, email text, password text)').execute(place.db)
  place.finish()
  const at = project('newline')
  expect((await within(`init ${at} --db ${place.url}`)).stdout).to.include('people who read some of them')
  for (const file of ['rulebook.ts', 'shapes.ts', 'pachter.config.ts'])
    expect(readFileSync(join(at, file), 'utf8')).not.to.match(/^\s*throw/m)
  await place.db.destroy()
})

it('a label with a separator of lines ends no comment, where enumerations have labels', async () => {
  for (const open of Object.entries(PLACES).flatMap(([engine, open]) => (engine === 'PostgreSQL' ? [open] : []))) {
    const place = await open('label')
    try {
      for (const text of [
        "create type state as enum ('open', E'shut\\u2028process.exit(6)//')",
        'create table users (id integer primary key, email text)',
        'create table task (id integer primary key, user_id integer references users (id), state state not null, title text)',
      ])
        await sql.raw(text).execute(place.db)
      const { files } = await draftProject(place, 'here')
      expect(files['rulebook.ts'])
        .to.include('To lock a state')
        .and.not.to.match(/[\u2028\u2029]/)
    } finally {
      await drop(place, 'label')
    }
  }
})

it('drafts compile, strictly', () => {
  expect(complaintsOf(checked)).to.equal('')
})

it('the command starts without the packages for databases', () => {
  const seen = new Set<string>()
  const packages = (file: string): string[] => {
    // The example that init writes has imports of its own.
    if (seen.has(file) || !existsSync(file)) return []
    seen.add(file)
    // What is imported when it is needed is not asked for here.
    const imported = [...readFileSync(file, 'utf8').matchAll(/^(?:import|export) (?:[^;]*? from )?['"]([^'"]+)['"]/gm)].map(
      ([, id = '']) => id,
    )
    return imported.flatMap((id) => (id.startsWith('.') ? packages(join(dirname(file), id)) : [id]))
  }
  const needed = packages(join(root, 'cli/dist/run.js'))
  expect(needed).to.include('commander')
  expect(needed.filter((id) => ['kysely', 'pg', 'mysql2', 'sql.js', 'pachter/sql', 'pachter/kysely'].includes(id))).to.deep.equal([])
})

it('pachter init alone writes an example that runs at once, and overwrites nothing', async () => {
  const at = project('example')
  expect((await within(`init ${at}`)).stdout).to.include('npx pachter matrix plot')
  const matrix = await within(`matrix plot --config ${join(at, 'pachter.config.ts')}`)
  expect(matrix.stdout, matrix.stderr).to.match(/p-3.*\n/)
  expect(matrix.stderr).to.equal('')
  const before = readFileSync(join(at, 'rulebook.ts'), 'utf8')
  expect((await within(`init ${at}`)).status).to.equal(2)
  expect(readFileSync(join(at, 'rulebook.ts'), 'utf8')).to.equal(before)
})
