// The servers that are measured, and how.
import { Kysely, MysqlDialect, PostgresDialect } from 'kysely'
import { createPool } from 'mysql2'
import { type Dialect, mariadb, postgres } from 'pachter/sql'
import pg from 'pg'

/** A server with a database of its own for the tables. */
export interface Server {
  readonly name: string
  readonly dialect: Dialect
  readonly db: Kysely<any>
  query(text: string, values: readonly unknown[]): Promise<any[]>
}

async function onPostgres(url: string, database: string): Promise<Server> {
  const admin = new pg.Client({ connectionString: url })
  await admin.connect()
  const there = await admin.query(`select from pg_database where datname = $1`, [database])
  if (there.rows.length === 0)
    await admin.query(`create database ${database} template template0 locale_provider icu icu_locale 'en-US' locale 'C.UTF-8'`)
  await admin.end()
  const pool = new pg.Pool({ connectionString: new URL(`/${database}`, url).href, max: 32 })
  const db = new Kysely<any>({ dialect: new PostgresDialect({ pool }) })
  return { name: 'PostgreSQL', dialect: postgres, db, query: async (text, given) => (await pool.query(text, [...given])).rows }
}

async function onMariadb(url: string, database: string): Promise<Server> {
  const admin = createPool({ uri: url }).promise()
  await admin.query(`create database if not exists ${database}`)
  await admin.end()
  const pool = createPool({ uri: new URL(`/${database}`, url).href, connectionLimit: 32 })
  const db = new Kysely<any>({ dialect: new MysqlDialect({ pool }) })
  return { name: 'MariaDB', dialect: mariadb, db, query: async (text, given) => (await pool.promise().query(text, [...given]))[0] as any[] }
}

/** The servers that the environment names, or the one that is asked for. */
export async function servers(database: string, only?: string): Promise<Server[]> {
  const all: Server[] = []
  for (const [name, variable, open] of [
    ['PostgreSQL', 'PACHTER_TEST_POSTGRES', onPostgres],
    ['MariaDB', 'PACHTER_TEST_MARIADB', onMariadb],
  ] as const) {
    const url = process.env[variable]
    if (only !== undefined && only !== name) continue
    if (url) all.push(await open(url, database))
    else console.log(`${name} is left out: set ${variable}`)
  }
  return all
}

/** The median time and the mean processor time of a call, in milliseconds, of both in turns. */
export async function measure(works: readonly (() => Promise<unknown>)[], most: number): Promise<{ time: number; cpu: number }[]> {
  const results = works.map(() => ({ times: [] as number[], cpu: 0 }))
  const from = performance.now()
  for (let round = -Math.min(50, most); round < most; round++) {
    if (round > 3 && performance.now() - from > 20_000) break
    for (const [at, work] of works.entries()) {
      const start = performance.now()
      const cpu = process.cpuUsage()
      await work()
      const used = process.cpuUsage(cpu)
      if (round < 0) continue
      const result = results[at] as { times: number[]; cpu: number }
      result.times.push(performance.now() - start)
      result.cpu += (used.user + used.system) / 1000
    }
  }
  return results.map(({ times, cpu }) => ({
    time: times.sort((a, b) => a - b)[Math.floor(times.length / 2)] as number,
    cpu: cpu / times.length,
  }))
}

/** The columns of what is printed. */
export const cell = (value: number) => (value < 10 ? value.toFixed(2) : value.toFixed(0)).padStart(9)
export const ratio = (ours: number, hand: number) => `${(ours / hand).toFixed(2)}x`.padStart(9)
