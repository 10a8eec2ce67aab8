// Drafts of projects from databases unlike each other: they run as they are, every foreign key is a link, and what was guessed is counted.

import { spawnSync } from 'node:child_process'
import { existsSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { dirname, join } from 'node:path'
import { expect } from 'chai'
import { Kysely, MysqlDialect, PostgresDialect, sql } from 'kysely'
import { createPool } from 'mysql2'
import { type Dialect, mariadb, postgres, sqlite, sqlJsDialect } from 'pachter/sql'
import pg from 'pg'
import initSqlJs from 'sql.js'
import { draftProject } from '../../cli/src/draft/index.js'
import { root, within } from '../support/command.js'
import { clinic } from './databases/clinic.js'
import { laboratory } from './databases/laboratory.js'
import { newsroom } from './databases/newsroom.js'
import { make, type Sample, WORDS } from './databases/schema.js'
import { school } from './databases/school.js'
import { shop } from './databases/shop.js'
import { tracker } from './databases/tracker.js'

const folder = mkdtempSync(join(tmpdir(), 'pachter-init-'))
const SQL = await initSqlJs()

interface Place {
  readonly url: string
  readonly db: Kysely<any>
  readonly dialect: Dialect
  /** Makes it readable by its URL, once it is filled. */
  finish(): void
}

const named = (name: string) => `pachter_init_${process.pid}_${name.replaceAll(/\W/g, '_')}`

/** A new database of an engine. */
const PLACES: { readonly [engine: string]: (name: string) => Promise<Place> } = {
  SQLite: async (name) => {
    const database = new SQL.Database()
    const file = join(folder, `${named(name)}.sqlite`)
    return {
      url: `sqlite:${file}`,
      db: new Kysely<any>({ dialect: sqlJsDialect(database) }),
      dialect: sqlite,
      finish: () => writeFileSync(file, database.export()),
    }
  },
  ...(process.env.PACHTER_TEST_POSTGRES === undefined
    ? {}
    : {
        PostgreSQL: async (name: string) => {
          const url = new URL(process.env.PACHTER_TEST_POSTGRES as string)
          const admin = new pg.Client(url.href)
          await admin.connect()
          await admin.query(`drop database if exists ${named(name)}`)
          await admin.query(`create database ${named(name)}`)
          await admin.end()
          url.pathname = `/${named(name)}`
          const db = new Kysely<any>({ dialect: new PostgresDialect({ pool: new pg.Pool({ connectionString: url.href }) }) })
          return { url: url.href, db, dialect: postgres, finish: () => undefined }
        },
      }),
  ...(process.env.PACHTER_TEST_MARIADB === undefined
    ? {}
    : {
        MariaDB: async (name: string) => {
          const url = new URL(process.env.PACHTER_TEST_MARIADB as string)
          const admin = createPool({ uri: url.href, connectionLimit: 1 }).promise()
          await admin.query(`drop database if exists ${named(name)}`)
          await admin.query(`create database ${named(name)}`)
          await admin.end()
          url.pathname = `/${named(name)}`
          const db = new Kysely<any>({ dialect: new MysqlDialect({ pool: createPool({ uri: url.href, connectionLimit: 2 }) }) })
          return { url: url.href, db, dialect: mariadb, finish: () => undefined }
        },
      }),
}

async function drop({ db, dialect }: Place, name: string): Promise<void> {
  if (dialect === mariadb) await sql`drop database ${sql.id(named(name))}`.execute(db)
  await db.destroy()
  if (dialect !== postgres) return
  const admin = new pg.Client(process.env.PACHTER_TEST_POSTGRES)
  await admin.connect()
  await admin.query(`drop database ${named(name)} with (force)`)
  await admin.end()
}

/** A folder in which the draft finds the packages that it imports. */
function project(name: string): string {
  const at = join(folder, name)
  mkdirSync(join(at, 'node_modules'), { recursive: true })
  symlinkSync(root, join(at, 'node_modules/pachter'))
  for (const one of ['zod', 'pachter-cli']) symlinkSync(join(root, 'node_modules', one), join(at, 'node_modules', one))
  writeFileSync(join(at, 'package.json'), '{ "type": "module" }')
  return at
}

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

after(() => rmSync(folder, { recursive: true }))

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
  const tsc = join(root, 'node_modules/typescript-7/bin/tsc')
  const options = '--ignoreConfig --noEmit --strict --module nodenext --target es2022 --skipLibCheck'.split(' ')
  const { stdout, status } = spawnSync(process.execPath, [tsc, ...options, ...checked], { cwd: root, encoding: 'utf8' })
  expect([status, stdout]).to.deep.equal([0, ''])
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
