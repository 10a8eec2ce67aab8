// Statements are kept and used again with other values. They have to be those that would be made for it.
import { expect } from 'chai'
import fc from 'fast-check'
import { DummyDriver, Kysely, type KyselyConfig, MysqlAdapter, PostgresAdapter, SqliteAdapter } from 'kysely'
import { type ConditionNode, simplify } from 'pachter/condition'
import { TRUE } from 'pachter/internal/condition'
import { overKysely } from 'pachter/kysely'
import { type Dialect, type Layout, layoutOf, mariadb, postgres, sqlite } from 'pachter/sql'
import { claims, condition, everyKind } from '../support/conditions.js'
import { ownLayout } from '../support/own-schema.js'
import { tries } from '../support/tries.js'

const ADAPTERS = { postgres: PostgresAdapter, mariadb: MysqlAdapter, sqlite: SqliteAdapter } as const

/** A place for records that asks nobody, and the statements that it would send. */
function listening(dialect: Dialect, layout: Layout) {
  const sent: { sql: string; parameters: readonly unknown[] }[] = []
  const made = { count: 0 }
  const createQueryCompiler = () => {
    const compiler = dialect.queryCompiler()
    return {
      compileQuery(...args: Parameters<typeof compiler.compileQuery>) {
        made.count += 1
        return compiler.compileQuery(...args)
      },
    }
  }
  const config: KyselyConfig = {
    dialect: {
      createAdapter: () => new ADAPTERS[dialect.name as 'postgres'](),
      createDriver: () => new DummyDriver(),
      createIntrospector: () => expect.fail(),
      createQueryCompiler,
    },
    log({ query }) {
      // Drivers write both zeros in the same way.
      sent.push({ sql: query.sql, parameters: query.parameters.map((one) => (one === 0 ? 0 : one)) })
    },
  }
  const db = new Kysely<any>(config)
  const tables = overKysely(db, dialect, { layout })(everyKind.model)
  return { tables, sent, made }
}

const TEXTS = [
  '',
  ' ',
  'a',
  'A',
  'red',
  '7',
  '-0',
  '123456789012345678901',
  '00000000-0000-4000-8000-000000000001',
  'x\0',
  '\ud800',
  '\u{10ffff}',
  '%_',
]
const NUMBERS = [0, -0, 1, -1, 7, 0.5, 1e300, -1e308, 1.7e308, 1e-12, 2 ** 53]
const TIMES = ['0000-01-01T00:00:00.000Z', '2026-06-15T00:00:00.000Z', '2026-06-15T00:00:00.001Z', '9999-12-31T23:59:59.999Z']
const POOLS: { readonly [type: string]: readonly unknown[] } = {
  text: TEXTS,
  id: TEXTS,
  number: NUMBERS,
  integer: NUMBERS,
  time: TIMES,
  boolean: [true, false],
}

/** The same condition with other values. */
function withOthers(node: ConditionNode, pick: (from: readonly unknown[]) => unknown): ConditionNode {
  const walk = (part: unknown): unknown => {
    if (Array.isArray(part)) return part.map(walk)
    if (typeof part !== 'object' || part === null) return part
    const { kind, type, value, list } = part as { kind?: string; type?: string; value?: unknown; list?: true }
    if (kind !== 'literal' || value === null) return Object.fromEntries(Object.entries(part).map(([name, inner]) => [name, walk(inner)]))
    const pool = POOLS[type as string] as readonly unknown[]
    return { ...part, value: list ? (value as unknown[]).map((one) => (one === null ? one : pick(pool))) : pick(pool) }
  }
  return walk(node) as ConditionNode
}

const NOW = [0, 1_700_000_000_000, 253_402_300_799_999]
const question = fc.record({
  nodes: fc.array(condition, { minLength: 1, maxLength: 3 }),
  me: claims,
  picks: fc.array(fc.nat(), { minLength: 40, maxLength: 40 }),
  sort: fc.subarray(['textA', 'numberA', 'timeA', 'timeB', 'id'], { minLength: 1 }),
  descending: fc.boolean(),
  now: fc.constantFrom(...NOW),
})

for (const dialect of [postgres, mariadb, sqlite])
  for (const [which, layout] of [
    ['its own tables', layoutOf(everyKind)],
    ["an application's tables", ownLayout(dialect)],
  ] as const)
    it(`a kept statement for ${dialect.name} and ${which} is the one that would be made for it`, async () => {
      const kept = listening(dialect, layout)
      let used = 0
      let asked = 0
      await fc.assert(
        fc.asyncProperty(question, async ({ nodes, me, picks, sort, descending, now }) => {
          const begun = nodes.map((node) => simplify(node, me))
          const ask = async ({ tables, sent }: ReturnType<typeof listening>, [where, ...flags]: readonly ConditionNode[], at: number) => {
            sent.length = 0
            // Another field is hidden from each person, and a page begins somewhere.
            const hidden = NOW.indexOf(at) % sort.length
            const steps = sort.map((field, n) => ({ field, descending, ...(n === hidden ? { visible: where as ConditionNode } : {}) }))
            const after = sort.map((field, n) => {
              const pool = POOLS[everyKind.model.types.thing?.fields[field]?.type as string] as readonly (string | number)[]
              return n === hidden ? null : (pool[(picks[n] as number) % pool.length] as string | number)
            })
            const asked = { where: where as ConditionNode, flags, now: at, sort: steps, places: true } as const
            await tables.select('thing', asked)
            await tables.select('thing', { ...asked, limit: 7 })
            await tables.select('thing', { ...asked, limit: 7, after })
            await tables.select('thing', {
              where: where as ConditionNode,
              key: TEXTS[(picks[1] as number) % TEXTS.length] as string,
              now: at,
              limit: 1,
            })
            await tables.count('thing', { where: where as ConditionNode, now: at })
            // Nobody answers, so the record is not found afterwards.
            const changes = { textA: TEXTS[(picks[0] as number) % TEXTS.length], numberA: NUMBERS[at % NUMBERS.length] }
            await tables.update('thing', changes, { key: `t-${at}`, where: where as ConditionNode, now: at }).catch(() => undefined)
            await tables.insert('thing', { id: `t-${at}`, ...changes }).catch(() => undefined)
            return [...sent]
          }
          await ask(kept, begun, now)
          for (let round = 0; round < 2; round++) {
            let next = round * 20
            const others = begun.map((node) => withOthers(node, (pool) => pool[(picks[next++ % picks.length] as number) % pool.length]))
            const fresh = listening(dialect, layout)
            const meant = await ask(fresh, others, NOW[round] as number)
            const before = kept.made.count
            expect(await ask(kept, others, NOW[round] as number)).to.deep.equal(meant)
            // The same conditions again, at another time and after another place: a person's next call.
            for (const at of [NOW[round + 1] as number, NOW[round] as number]) {
              picks.push(picks.shift() as number)
              const again = await ask(listening(dialect, layout), others, at)
              expect(await ask(kept, others, at)).to.deep.equal(again)
              const [first, ...flags] = others as [ConditionNode, ...ConditionNode[]]
              const otherFlags = [first, ...flags.map((flag) => withOthers(flag, (pool) => pool[(picks[0] as number) % pool.length]))]
              expect(await ask(kept, otherFlags, at)).to.deep.equal(await ask(listening(dialect, layout), otherFlags, at))
            }
            asked += meant.length
            used += meant.length - (kept.made.count - before)
          }
        }),
        { numRuns: tries(14, 150) },
      )
      expect(used / asked, 'how many were kept ones').to.be.within(0.1, 0.95)
    })

it('a kept statement locks as it was asked to', async () => {
  const { tables, sent } = listening(postgres, layoutOf(everyKind))
  for (let round = 0; round < 3; round++)
    await tables.transaction(async (inside) => {
      sent.length = 0
      for (const lock of ['share', 'update', undefined] as const)
        await inside.select('thing', { where: TRUE, key: 't-1', now: 0, limit: 1, ...(lock ? { lock } : {}) })
      expect(sent.map(({ sql }) => / for \w+$/.exec(sql)?.[0])).to.deep.equal([' for share', ' for update', undefined])
    })
})
