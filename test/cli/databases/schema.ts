// Databases as applications have them, made by their own SQL, in what the three engines write differently.
import { type Kysely, sql } from 'kysely'

/** What the engines call differently. */
export interface Words {
  readonly engine: 'PostgreSQL' | 'MariaDB' | 'SQLite'
  /** A whole number that the database counts up. */
  readonly serial: string
  readonly int: string
  readonly uuid: string
  readonly text: string
  readonly time: string
  readonly bool: string
  readonly json: string
  readonly money: string
  readonly now: string
  readonly yes: string
  readonly no: string
  /** An enumeration; `named` is the type where types have names. */
  one(named: string, labels: readonly string[]): string
}

/** What a draft has to find, as `kind type.field` or `kind type`. */
export interface Sample {
  readonly name: string
  tables(words: Words): readonly string[]
  readonly rows: readonly string[]
  readonly expected: readonly string[]
}

const listed = (labels: readonly string[]) => labels.map((label) => `'${label}'`).join(', ')

export const WORDS: { readonly [engine: string]: Words } = {
  PostgreSQL: {
    engine: 'PostgreSQL',
    serial: 'bigint generated always as identity primary key',
    int: 'bigint',
    uuid: 'uuid',
    text: 'text',
    time: 'timestamptz',
    bool: 'boolean',
    json: 'jsonb',
    money: 'numeric(10, 2)',
    now: 'now()',
    yes: 'true',
    no: 'false',
    one: (named) => named,
  },
  MariaDB: {
    engine: 'MariaDB',
    serial: 'bigint auto_increment primary key',
    int: 'bigint',
    uuid: 'uuid',
    text: 'varchar(190)',
    time: 'datetime(6)',
    bool: 'boolean',
    json: 'json',
    money: 'decimal(10, 2)',
    now: 'current_timestamp(6)',
    yes: 'true',
    no: 'false',
    one: (_named, labels) => `enum(${listed(labels)})`,
  },
  SQLite: {
    engine: 'SQLite',
    serial: 'integer primary key',
    int: 'integer',
    uuid: 'text',
    text: 'text',
    time: 'datetime',
    bool: 'boolean',
    json: 'json',
    money: 'numeric',
    now: 'current_timestamp',
    yes: '1',
    no: '0',
    one: () => 'text',
  },
}

/** Makes the tables of a sample, in an empty database. */
export async function make(db: Kysely<any>, { tables, rows }: Sample, words: Words): Promise<void> {
  const run = (text: string) => sql.raw(words.engine === 'MariaDB' ? text.replaceAll('"', '`') : text).execute(db)
  for (const text of tables(words)) await run(text)
  for (const text of rows) await run(text)
}
