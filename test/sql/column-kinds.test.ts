// Columns as applications have them: each kind of storage with an index, values of the database's own precision, and random questions.
import { expect } from 'chai'
import { type CompiledQuery, type Kysely, sql } from 'kysely'
import { not, rulebook } from 'pachter'
import { type ConditionNode, predicate, type Row } from 'pachter/condition'
import { overKysely } from 'pachter/kysely'
import { compile, type Dialect, type Layout, layoutOf, mariadb, postgres, readLayout } from 'pachter/sql'
import { openStore } from 'pachter/store'
import { z } from 'zod'
import { engines } from '../support/engines.js'

/** A kind of column: its type, values as SQL writes them, and values to compare it with. */
interface Kind {
  readonly type: string
  readonly shape: z.ZodType
  readonly stored: readonly string[]
  readonly asked: readonly (string | number | Date)[]
}

const TEXTS = ["'red'", "'Red'", "'réd'", "'blue'", "'_x'", "'%x'", "'\u{1f331}'", "'z'"]
const text = { shape: z.string(), asked: ['red', 'Red', 'RED', 'réd', '_x', 'z', 'nowhere', '\u{1f331}'] } as const
const uuid = (digit: number) => `abcdef00-0000-4000-8000-00000000000${digit}`
const label = z.enum(['vacant', 'let', 'ending', 'unheard'])
const labels = { shape: label, stored: ["'let'", "'vacant'", "'ending'"], asked: ['let', 'vacant', 'unheard'] } as const
const DECIMALS = ['0', '1', '-1', '0.1', '0.3', '12.34', '12.3400000001', '9007199254740993', '-0.0000001', '123456789.123456789']
const number = { shape: z.number(), asked: [0, 1, -1, 0.1, 0.3, 12.34, 9007199254740992, 1e300, -5e-324, 123456789.12345679] } as const
const at = (text: string) => new Date(text)
const NEAR = ['2026-06-15 09:00:00', '2026-06-15 09:00:00.000001', '2026-06-15 09:00:00.000999', '2026-06-15 09:00:00.001']
const OTHER = ['1969-12-31 23:59:59.999999', '2026-06-15 09:00:00.0015', '2026-06-16 00:00:00', '1985-10-27 00:30:00']
const ASKED = [at('2026-06-15T09:00:00Z'), at('2026-06-15T09:00:00.001Z'), at('1970-01-01T00:00:00Z'), at('2026-06-16T00:00:00Z')]
const time = { shape: z.date(), asked: [...ASKED, at('1969-12-31T23:59:59.999Z'), at('1985-10-27T00:30:00Z')] } as const
const quoted = (times: readonly string[], zone = '') => times.map((one) => `'${one}${zone}'`)
const DAYS = ["'2026-06-15'", "'2026-06-16'", "'1969-12-31'", "'1970-01-01'", "'0004-02-29'"]

/** What both databases have under the same name. */
const ON_BOTH: { readonly [name: string]: Kind } = {
  uuid: {
    type: 'uuid',
    shape: z.string(),
    stored: [1, 2, 3].map((one) => `'${uuid(one)}'`),
    asked: [uuid(1), uuid(2).toUpperCase(), 'no'],
  },
  bigint: { type: 'bigint', shape: z.int(), stored: ['1', '-5', '9007199254740991'], asked: [1, -5, 0, 9007199254740991] },
}

const ON_POSTGRES: { readonly [name: string]: Kind } = {
  text: { type: 'text', ...text, stored: TEXTS },
  icu: { type: 'text collate "en-US-x-icu"', ...text, stored: TEXTS },
  varchar: { type: 'varchar(40)', ...text, stored: TEXTS },
  citext: { type: 'public.citext', ...text, stored: TEXTS },
  loose: { type: 'text collate public.pachter_kind', ...text, stored: TEXTS },
  ...ON_BOTH,
  enum: { type: 'public.pachter_kind_state', ...labels },
  numeric: { type: 'numeric', ...number, stored: [...DECIMALS, '1e400', '-1e400', "'NaN'"] },
  money: { type: 'numeric(12, 2)', ...number, stored: ['0.10', '12.34', '-3.00', '7'] },
  real: { type: 'real', ...number, stored: ['0', '0.1', '0.3', '12.34', '-1', '1e30', '16777217'] },
  double: { type: 'double precision', ...number, stored: ['0', '0.1', '0.3', '12.34', '-1'] },
  timestamptz: { type: 'timestamptz', ...time, stored: [...quoted([...NEAR, ...OTHER], '+00'), "'0001-03-15 12:00:00+00 BC'"] },
  milliseconds: { type: 'timestamptz(3)', ...time, stored: quoted(NEAR, '+00') },
  timestamp: { type: 'timestamp', ...time, stored: [...quoted([...NEAR, ...OTHER])] },
  date: { type: 'date', ...time, stored: DAYS },
}

const CI = 'character set utf8mb4 collate utf8mb4_general_ci'
const ON_MARIADB: { readonly [name: string]: Kind } = {
  varchar: { type: `varchar(40) ${CI}`, ...text, stored: TEXTS },
  binary: { type: 'varchar(40) character set utf8mb4 collate utf8mb4_bin', ...text, stored: TEXTS },
  ...ON_BOTH,
  enum: { type: `enum('vacant', 'let', 'ending') ${CI}`, ...labels },
  decimal: { type: 'decimal(30, 10)', ...number, stored: DECIMALS },
  float: { type: 'float', ...number, stored: ['0', '0.1', '0.3', '12.34', '-1', '16777217'] },
  double: { type: 'double', ...number, stored: ['0', '0.1', '0.3', '12.34', '-1'] },
  datetime: { type: 'datetime(6)', ...time, stored: quoted([...NEAR, ...OTHER]) },
  milliseconds: { type: 'datetime(3)', ...time, stored: quoted(NEAR) },
  timestamp: { type: 'timestamp(6)', ...time, stored: quoted([...NEAR, '2026-06-15 09:00:00.0015', '1985-10-27 00:30:00']) },
  date: { type: 'date', ...time, stored: DAYS },
}

/** The database, with another way to run queries. */
function watched(db: Kysely<any>, executeQuery: (query: CompiledQuery) => Promise<unknown>): Kysely<any> {
  return new Proxy(db, {
    get(target, name) {
      if (name === 'executeQuery') return executeQuery
      const value = Reflect.get(target, name, target)
      return typeof value === 'function' ? value.bind(target) : value
    },
  })
}

const COPIES = 40
/** Plans that an index makes unnecessary: in a small table they would be quicker. */
const WAYS = ['enable_seqscan', 'enable_sort', 'enable_bitmapscan']
const kindsOf = (dialect: Dialect, name: string) => {
  const kinds = dialect === mariadb ? ON_MARIADB : ON_POSTGRES
  // The embedded PostgreSQL has no ICU, and no extension.
  return Object.entries(kinds).filter(([kind]) => name !== 'PGlite' || !['icu', 'citext', 'loose'].includes(kind))
}

for (const engine of engines.filter(({ dialect }) => dialect === postgres || dialect === mariadb))
  describe(`columns of each kind in ${engine.name}`, () => {
    const { dialect } = engine
    const kinds = kindsOf(dialect, engine.name)
    const shape = z.object({ id: z.string(), ...Object.fromEntries(kinds.map(([name, { shape }]) => [name, shape.nullable()])) })
    const book = rulebook({ me: { shape: z.object({ id: z.string() }), key: 'id' }, records: { thing: { shape, key: 'id' } } }).rules({
      thing: (_thing: unknown, { anyone }: any) => ({ may: { read: [anyone] } }),
    } as never)
    let db: Kysely<any>
    let layout: Layout
    let rows: Row[]

    before(async () => {
      const columns = Object.fromEntries([['id', { as: dialect === mariadb ? `varchar(40) ${CI}` : 'text' }]])
      for (const [name, { type }] of kinds) columns[name] = { as: type }
      const catalog = { ...dialect.catalog, columnType: (_field: unknown, _keys?: boolean, as?: string) => as as string }
      db = await engine.open(book, {
        dialect: { ...dialect, catalog },
        layout: layoutOf(book, { tables: { thing: { columns } } }),
        before: prepare,
      })
      const names = sql.join(kinds.map(([name]) => sql.id(name)))
      const most = Math.max(...kinds.map(([, { stored }]) => stored.length)) * COPIES
      for (let from = 0; from < most; from += 100) {
        const some = Array.from({ length: Math.min(100, most - from) }, (_, n) => from + n)
        const values = some.map((n) => {
          const one = kinds.map(([, { stored }], at) =>
            n % 13 === at ? sql`null` : sql.raw(stored[(n * 7 + at) % stored.length] as string),
          )
          return sql`(${`k-${(n * 7919) % most}`}, ${sql.join(one)})`
        })
        await sql`insert into thing (id, ${names}) values ${sql.join(values)}`.execute(db)
      }
      for (const [name] of kinds) await sql`create index ${sql.id(`thing_${name}`)} on thing (${sql.id(name)})`.execute(db)
      await sql.raw(dialect === postgres ? 'analyze thing' : 'analyze table thing').execute(db)
      layout = await readLayout(db, dialect, book)
      rows = await openStore(book, overKysely(db, dialect, { layout }))
        .asSystem('read')
        .list('thing' as never)
    })

    async function prepare(one: Kysely<any>): Promise<void> {
      if (dialect !== postgres) return
      if (engine.name !== 'PGlite') {
        await sql`create extension if not exists citext schema public`.execute(one)
        await sql`create collation if not exists public.pachter_kind (provider = icu, locale = 'und-u-ks-level2', deterministic = false)`.execute(
          one,
        )
      }
      await sql`drop type if exists public.pachter_kind_state cascade`.execute(one)
      await sql`create type public.pachter_kind_state as enum ('vacant', 'let', 'ending')`.execute(one)
    }
    after(async () => {
      if (dialect !== postgres) return
      await sql`drop table if exists thing`.execute(db)
      await sql`drop type if exists public.pachter_kind_state cascade`.execute(db)
    })

    const store = (used = db) =>
      openStore(book, overKysely(used, dialect, { layout }), { cursorSecret: 'a secret of the test' }).for(null) as any

    for (const [name, kind] of kinds) {
      const type =
        name === 'bigint' ? 'integer' : kind.asked[0] instanceof Date ? 'time' : typeof kind.asked[0] === 'number' ? 'number' : 'text'
      const operators =
        type === 'text'
          ? ['is', 'startsWith', 'isOneOf', 'isIgnoringCase']
          : type === 'time'
            ? ['is', 'isBefore', 'isAfter']
            : ['is', 'isLessThan', 'isMoreThan', 'isAtMost', 'isAtLeast']
      const left = { kind: 'field', of: 'record', path: [name], type, optional: true } as const
      const literal = (value: unknown) => (value instanceof Date ? value.toISOString() : value)
      const compared = (by: string, value: unknown, other: unknown): ConditionNode => {
        const right = by === 'isOneOf' ? { list: true, value: [literal(value), literal(other)] } : { value: literal(value) }
        return { kind: 'compare', by, left, right: { kind: 'literal', type, ...right } } as ConditionNode
      }

      it(`${name}: every comparison finds the same rows as in memory, and under not`, async () => {
        const keys = async (node: ConditionNode) => {
          const where = compile(node, {
            dialect,
            now: 0,
            layout,
            type: 'thing',
            table: 'thing',
            finds: 'rows',
            key: [{ path: ['id'], type: 'id' }],
          })
          return (await db.selectFrom('thing').select('id').where(where).execute()).map(({ id }) => id).sort()
        }
        for (const by of operators)
          for (const [n, value] of kind.asked.entries()) {
            const node = compared(by, value, kind.asked[(n + 1) % kind.asked.length])
            for (const one of [node, { kind: 'not', of: node } as const]) {
              const test = predicate(one)
              const meant = rows.filter((row) => test(row, { me: null, now: 0 } as never)).map(({ id }) => id)
              expect(await keys(one), JSON.stringify(one)).to.deep.equal(meant.sort())
            }
          }
      })

      it(`${name}: pages in either direction are the list, with no row twice or skipped`, async () => {
        for (const sort of [[name], [`-${name}`], ['-id', name]]) {
          const whole = await store().list('thing', { sort })
          const paged: unknown[] = []
          for (let after: string | undefined, first = true; first || after !== undefined; first = false) {
            const page = await store().page('thing', { sort, size: 37, after })
            paged.push(...page.records)
            after = page.next
          }
          expect(paged.map((row: any) => row.id)).to.deep.equal(whole.map((row: any) => row.id))
          expect(new Set(paged.map((row: any) => row.id)).size).to.equal(rows.length)
        }
      })
    }

    if (dialect === postgres)
      it('a time without end is before and after nothing, and a missing one neither', async () => {
        const unbounded = kinds.filter(([, { type }]) => /^(?:timestamp|date)/.test(type)).map(([name]) => name)
        expect(unbounded).to.have.length.above(2)
        for (const name of unbounded) {
          const add = (id: string, value: string) =>
            sql`insert into thing (id, ${sql.id(name)}) values (${id}, ${sql.raw(value)})`.execute(db)
          await add('early', "'-infinity'")
          await add('late', "'infinity'")
          await add('none', 'null')
          const count = (where: (field: any) => unknown) =>
            store().count('thing', { where: (thing: any) => thing.id.isOneOf(['early', 'late', 'none']).and(where(thing[name])) })
          const when = at('2026-06-15T09:00:00Z')
          const counts = [
            await count((field) => field.isBefore(when)),
            await count((field) => field.isAfter(when)),
            await count((field) => not(field.isBefore(when))),
            await count((field) => field.isMissing()),
          ]
          await sql`delete from thing where id in ('early', 'late', 'none')`.execute(db)
          expect(counts, name).to.deep.equal([0, 0, 3, 1])
        }
      })

    it('are counted by, value by value', async () => {
      for (const [name] of kinds) {
        const meant = new Map<string, number>()
        for (const row of rows) meant.set(JSON.stringify(row[name] ?? null), (meant.get(JSON.stringify(row[name] ?? null)) ?? 0) + 1)
        const counted = (await store().countBy('thing', name)) as { value: unknown; count: number }[]
        expect(new Map(counted.map(({ value, count }) => [JSON.stringify(value ?? null), count])), name).to.deep.equal(meant)
      }
    })

    it('are found and sorted by their indexes', async () => {
      const seen: string[] = []
      // The index of citext cannot be used where its operators are not found.
      for (const [name, kind] of kinds.filter(([one]) => one !== 'citext')) {
        const plans = await plansOf(name, kind)
        for (const [what, plan] of Object.entries(plans)) if (!isServed(plan, name)) seen.push(`${name} ${what}: ${plan}`)
      }
      expect(seen.join('\n')).to.equal('')
    })

    it('are found without regard to case by an index', async () => {
      if (dialect === postgres) await sql`create index thing_small on thing (lower(${sql.id('varchar')} collate "C"))`.execute(db)
      const plan = await planOf((one) =>
        one.count('thing', { where: (thing: any) => thing.varchar.isIgnoringCase(TEXTS[0]?.slice(1, -1)) }),
      )
      expect(plan).to.include(dialect === postgres ? 'thing_small' : 'thing_varchar')
      expect(plan).not.to.match(/Seq Scan|\| ALL \|/)
    })

    /** The plans of some calls: their first statement is caught on its way to the database. */
    async function plansOf(name: string, { asked }: Kind): Promise<Record<string, string>> {
      const field = (thing: any) => thing[name]
      const calls: Record<string, (one: any) => Promise<unknown>> = {
        equal: (one) => one.count('thing', { where: (thing: any) => field(thing).is(asked[0]) }),
        first: (one) => one.list('thing', { sort: [name], limit: 5 }),
        last: (one) => one.list('thing', { sort: [`-${name}`], limit: 5 }),
      }
      const plans: Record<string, string> = {}
      for (const [what, call] of Object.entries(calls)) plans[what] = await planOf(call)
      return plans
    }

    async function planOf(call: (one: any) => Promise<unknown>): Promise<string> {
      const caught: CompiledQuery[] = []
      const executeQuery = (query: CompiledQuery) => {
        caught.push(query)
        return db.executeQuery(query)
      }
      await call(store(watched(db, executeQuery)))
      return explain(caught[0] as CompiledQuery)
    }

    function explain(query: CompiledQuery): Promise<string> {
      return db.connection().execute(async (connection) => {
        for (const way of WAYS) if (dialect === postgres) await sql`set ${sql.ref(way)} = off`.execute(connection)
        try {
          const { rows: lines } = await connection.executeQuery({ ...query, sql: `explain ${query.sql}` })
          return lines.map((row: any) => Object.values(row).join(' | ')).join('\n')
        } finally {
          for (const way of WAYS) if (dialect === postgres) await sql`reset ${sql.ref(way)}`.execute(connection)
        }
      })
    }

    function isServed(plan: string, name: string): boolean {
      if (/One-Time Filter: false/.test(plan)) return true
      if (dialect === postgres) return plan.includes(`thing_${name}`) && !/(^|-> +)Sort|Seq Scan/m.test(plan)
      return /Impossible WHERE/.test(plan) || (plan.includes(`thing_${name}`) && !/filesort|\| ALL \|/.test(plan))
    }
  })
