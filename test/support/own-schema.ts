// Tables as an application may have them: other names, and columns that hold things in ways of their own.
import { type Kysely, sql } from 'kysely'
import type { Catalog } from 'pachter/internal/sql'
import { type Dialect, type Layout, layoutOf, mariadb, postgres } from 'pachter/sql'
import { everyKind } from './conditions.js'

const ON_POSTGRES: { readonly [field: string]: string } = {
  id: 'uuid',
  parent: 'uuid',
  textB: 'loose text',
  textList: 'text[]',
  integerList: 'bigint[]',
  numberA: 'numeric',
  numberList: 'double precision[]',
  booleanList: 'boolean[]',
  timeA: 'timestamptz',
  timeB: 'timestamp',
  timeList: 'timestamptz[]',
}
const ON_MARIADB: { readonly [field: string]: string } = { id: 'uuid', parent: 'uuid', timeA: 'datetime', timeB: 'datetime' }

/** Where an application of its own mind keeps things. What a column holds is left for the database to say. */
export const OWN_NAMES = { names: 'snake_case', prefix: 'al_' } as const

/** The layout by which the tables are made. */
export function ownLayout(dialect: Dialect): Layout {
  const held = dialect === postgres ? ON_POSTGRES : dialect === mariadb ? ON_MARIADB : {}
  const columns = Object.fromEntries(Object.entries(held).map(([field, as]) => [field, { as }]))
  return layoutOf(everyKind, { ...OWN_NAMES, tables: { thing: { columns } } })
}

const KEY = /^t-(\d)$/

/** The same with keys, and what leads to them, as UUIDs. What is no key leads nowhere, and a column of UUIDs cannot hold it. */
export function withUuids<T>(value: T, dialect: Dialect): T {
  if (dialect !== postgres && dialect !== mariadb) return value
  return mapped(value, (one, name) => {
    if (typeof one !== 'string') return one
    const key = KEY.exec(one)
    return key !== null ? `00000000-0000-4000-8000-00000000000${key[1]}` : name === 'parent' ? null : one
  }) as T
}

function mapped(value: unknown, map: (value: unknown, name: string) => unknown, name = ''): unknown {
  if (Array.isArray(value)) return value.map((one) => mapped(one, map))
  if (typeof value !== 'object' || value === null || value instanceof Date) return map(value, name)
  return Object.fromEntries(Object.entries(value).map(([key, inner]) => [key, mapped(inner, map, key)]))
}

/** Makes the dialect create the columns so, and a collation that ignores letter case. */
export function ownDialect(dialect: Dialect): Dialect {
  if (dialect !== postgres) return dialect
  const columnType: Catalog['columnType'] = (field, holdsKeys, as) =>
    as === 'loose text' ? 'text collate public.pachter_loose' : as === 'numeric' ? as : dialect.catalog.columnType(field, holdsKeys, as)
  return { ...dialect, catalog: { ...dialect.catalog, columnType } }
}

/** What has to be there before the tables. */
export async function prepareOwn(db: Kysely<any>, dialect: Dialect): Promise<void> {
  if (dialect !== postgres) return
  await sql`create collation if not exists public.pachter_loose (provider = icu, locale = 'und-u-ks-level2', deterministic = false)`.execute(
    db,
  )
}

/** Gives the times microseconds, which count nowhere. */
export async function addMicroseconds(db: Kysely<any>, dialect: Dialect): Promise<void> {
  if (dialect === postgres)
    await sql`update al_thing set time_a = time_a + interval '999 microseconds', time_b = time_b + interval '1 microsecond',
      time_list = case when time_list is not null then array(select t + interval '7 microseconds' from unnest(time_list) as t(t)) end`.execute(
      db,
    )
  // Its arithmetic knows no year 0.
  if (dialect === mariadb) await sql`update al_thing set time_a = time_a + interval 999 microsecond where year(time_a) > 0`.execute(db)
}
