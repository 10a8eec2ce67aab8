// Drafts from Drizzle schemas say the same as drafts from the databases that they describe.
import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { PGlite } from '@electric-sql/pglite'
import { expect } from 'chai'
import { Kysely, MysqlDialect, sql } from 'kysely'
import { createPool } from 'mysql2'
import { mariadb, pgliteDialect, postgres, sqlite, sqlJsDialect } from 'pachter/sql'
import initSqlJs from 'sql.js'
import type { TableDescription } from '../../cli/src/draft/description.js'
import { drizzleTables, tablesOfDatabase } from '../../cli/src/draft/index.js'
import { pachter, root, within } from '../support/command.js'

const fixture = (name: string) => join(root, 'test/cli/databases/hostel', `${name}.ts`)

const POSTGRES = `
create type booking_state as enum ('held', 'paid', 'left');
create table guests (id uuid primary key default gen_random_uuid(), email varchar(200) not null unique, full_name text not null,
  password_hash text not null, is_staff boolean not null default false);
create table rooms (number integer primary key, beds integer not null default 1, is_published boolean not null default true, notes text,
  floor integer not null, door text not null, unique (floor, door));
create table bookings (id serial primary key, guest_id uuid not null references guests on delete cascade,
  room_number integer references rooms on delete set null, state booking_state not null default 'held', from_day date not null,
  price numeric(10, 2), extras jsonb not null default '{}', tags text[], created_at timestamptz not null default now(), deleted_at timestamptz);
create table booking_shares (booking_id integer not null references bookings on delete cascade,
  guest_id uuid not null references guests on delete cascade, expires_at timestamptz, primary key (booking_id, guest_id));
create schema log;
create table log.audit (id bigint primary key generated always as identity, what text not null, who uuid references guests,
  "hiddenId" integer, parent bigint references log.audit)`
const MARIADB = `
create table guests (id bigint auto_increment primary key, email varchar(200) not null unique, is_staff boolean not null default false);
create table bookings (id int auto_increment primary key, guest_id bigint not null references guests (id) on delete cascade,
  state enum ('held', 'paid', 'left') not null default 'held', from_day date not null, price decimal(10, 2), extras json,
  created_at datetime(6) not null, parent_id int references bookings (id) on delete set null, unique (guest_id, from_day));
create table booking_shares (booking_id int not null references bookings (id) on delete cascade,
  guest_id bigint not null references guests (id) on delete cascade, primary key (booking_id, guest_id))`
const SQLITE = `
create table guests (id integer primary key, email text not null unique, is_staff boolean not null default false);
create table bookings (id text primary key not null, guest_id integer not null references guests on delete cascade, price real, note text default 'none');
create table booking_shares (booking_id text not null references bookings on delete cascade, guest_id integer not null references guests on delete cascade,
  primary key (booking_id, guest_id))`

/** What a draft depends on, in an order of its own. */
function said(tables: readonly TableDescription[]) {
  const nameOf = (id: string) => id.replace(/^.*\./, '')
  return tables
    .map(({ name, schema, columns, key, uniques, foreignKeys }) => ({
      table: `${schema ?? ''}.${name}`,
      columns: columns
        .map(({ field: _, written: __, defaultsTo, ...column }) => ({ ...column, hasDefault: defaultsTo !== undefined }))
        .sort((a, b) => a.name.localeCompare(b.name)),
      key,
      uniques: uniques.map((names) => names.join()).sort(),
      foreignKeys: foreignKeys
        .map((one) => ({ ...one, to: nameOf(one.to) }))
        .sort((a, b) => a.columns.join().localeCompare(b.columns.join())),
    }))
    .sort((a, b) => a.table.localeCompare(b.table))
}

describe('drafts from Drizzle schemas', () => {
  const folder = mkdtempSync(join(root, 'drizzle-test-'))
  const SQL = initSqlJs()
  after(() => rmSync(folder, { recursive: true }))

  const same = (
    name: string,
    kysely: () => Promise<{ db: Kysely<any>; dialect: typeof sqlite; end: () => Promise<unknown> }>,
    ddl: string,
  ) =>
    it(`describes tables as ${name} does`, async () => {
      const { db, dialect, end } = await kysely()
      try {
        for (const statement of ddl.split(';\n')) await sql.raw(statement).execute(db)
        expect(said(await drizzleTables(fixture(name)))).to.deep.equal(said(await tablesOfDatabase({ db, dialect } as never)))
      } finally {
        await end()
      }
    })

  same(
    'postgres',
    async () => {
      const server = new PGlite()
      const db = new Kysely<any>({ dialect: pgliteDialect(server) })
      return { db, dialect: postgres as never, end: () => server.close() }
    },
    POSTGRES,
  )
  same(
    'sqlite',
    async () => {
      const db = new Kysely<any>({ dialect: sqlJsDialect(new (await SQL).Database()) })
      return { db, dialect: sqlite, end: () => db.destroy() }
    },
    SQLITE,
  )
  const server = process.env.PACHTER_TEST_MARIADB
  if (server !== undefined)
    same(
      'mysql',
      async () => {
        const name = `pachter_drizzle_${process.pid}`
        const admin = createPool(server)
        await admin.promise().query(`create or replace database ${name}`)
        const url = new URL(server)
        url.pathname = `/${name}`
        const db = new Kysely<any>({ dialect: new MysqlDialect({ pool: createPool(url.href) }) })
        const end = async () => {
          await db.destroy()
          await admin.promise().query(`drop database ${name}`)
          await admin.promise().end()
        }
        return { db, dialect: mariadb as never, end }
      },
      MARIADB,
    )

  for (const name of ['postgres', 'mysql', 'sqlite'])
    it(`writes a project for ${name} that loads, with the names of the schema, and is in step with it`, async () => {
      const to = join(folder, name)
      const written = await within(`init ${to} --from ${fixture(name)}`)
      expect(written.status, written.stderr).to.equal(0)
      expect(written.stdout).to.include('People: guest.').and.include('booking.guestId').and.include('shares')
      const config = join(to, 'pachter.config.ts')
      const rules = await within(`rules --config ${config}`)
      expect(rules.status, rules.stderr).to.equal(0)
      expect(readFileSync(config, 'utf8')).to.include("guest: { name: 'guests' }")
      const check = await within(`init --check --from ${fixture(name)} --config ${config}`)
      expect([check.status, check.stdout]).to.deep.equal([0, `The shapes and links have everything that ${fixture(name)} has.\n`])
      // What has been imported here stays as it was, so another process compares again: once is enough.
      if (name !== 'sqlite') return
      const shapes = readFileSync(join(to, 'shapes.ts'), 'utf8')
      writeFileSync(join(to, 'shapes.ts'), shapes.replace(/ {2}price: .*\n/, ''))
      const late = pachter(`init --check --from ${fixture(name)} --config ${config}`)
      expect(late.status).to.equal(1)
      expect(late.stdout).to.include('price')
    })

  it('keeps properties that are named otherwise than columns, and what the database deletes with records that last', () => {
    const config = readFileSync(join(folder, 'postgres/pachter.config.ts'), 'utf8')
    expect(config).to.include("booking: { name: 'bookings', columns: { roomNo: 'room_number', from: 'from_day' } }")
    expect(config).to.include("audit: { schema: 'log'")
    const rules = readFileSync(join(folder, 'postgres/rulebook.ts'), 'utf8')
    expect(rules).to.include('// In the database: policy own for select').and.include('so deleting the guest is')
    expect(rules).to.include("guest: toOne('guest', 'guestId'),").and.include("roomNumber: toOne('room', 'roomNo', { onDelete: 'unlink' })")
    expect(rules).to.include("read: [self.except('passwordHash')]")
  })

  const WRONG: readonly [what: string, args: (file: (text: string) => string) => string, says: string | RegExp][] = [
    ['a file that does not exist', () => '--from nowhere.ts', '--from nowhere.ts: the file does not exist'],
    ['a file without tables', (file) => `--from ${file('export const guests = {}')}`, 'the file exports no table of Drizzle'],
    ['a file with a mistake', (file) => `--from ${file('export const guests =')}`, 'the file could not be loaded'],
    ['both with --check', () => '--check --from a.ts --db sqlite:a', 'name one of them with --db or --from'],
    ['neither with --check', () => '--check', 'name one of them with --db or --from'],
  ]
  for (const [what, args, says] of WRONG)
    it(`refuses ${what}, and writes nothing`, async () => {
      let count = 0
      const file = (text: string) => {
        const path = join(folder, `wrong-${what.length}-${count++}.ts`)
        writeFileSync(path, text)
        return path
      }
      const to = join(mkdtempSync(join(tmpdir(), 'pachter-')), 'new')
      const { status, stderr } = what.includes('mistake') ? pachter(`init ${to} ${args(file)}`) : await within(`init ${to} ${args(file)}`)
      expect([status, existsSync(to)]).to.deep.equal([2, false])
      expect(stderr).to.match(new RegExp(String(says).replace(/[.]/g, '\\.')))
    })
})
