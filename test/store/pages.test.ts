import { expect } from 'chai'
import fc from 'fast-check'
import { rulebook, toMany } from 'pachter'
import { overKysely } from 'pachter/kysely'
import { createTables, sqlite } from 'pachter/sql'
import { openStore, type Store } from 'pachter/store'
import { z } from 'zod'
import { backends, runsIn } from '../support/backends.js'
import { openSqlite } from '../support/sqlite.js'

const Plot = z.object({
  id: z.string(),
  holderId: z.string(),
  rent: z.number().optional(),
  name: z.string().nullable(),
  open: z.boolean(),
  since: z.date().optional(),
})
const Row = z.object({ id: z.string(), plotIds: z.array(z.string()) })
const book = rulebook({
  me: { shape: z.object({ id: z.string() }), key: 'id' },
  records: { plot: { shape: Plot, key: 'id' }, row: { shape: Row, key: 'id', links: { plots: toMany('plot', { id: 'plotIds' }) } } },
})
  .standings({ plot: (plot, { me }) => ({ holder: plot.holderId.is(me.id) }) })
  .rules({
    plot: (_plot, { standing: { holder }, anyone }) => ({
      may: { read: [holder, anyone.only('name', 'open')], update: [anyone.only('name')] },
    }),
    row: (_row, { anyone }) => ({ may: { read: [anyone] } }),
  })

const FIELDS = ['rent', 'name', 'open', 'since', 'id'] as const
const record = fc.record({
  holderId: fc.constantFrom('a', 'b'),
  rent: fc.option(fc.constantFrom(0, 1, 2.5, -3), { nil: undefined }),
  name: fc.constantFrom('x', 'X', 'é', '\uffff', '\u{1f331}', '', null),
  open: fc.boolean(),
  since: fc.option(fc.constantFrom(new Date(0), new Date(1), new Date(86_400_000)), { nil: undefined }),
})
const order = fc
  .array(fc.tuple(fc.constantFrom(...FIELDS), fc.boolean()), { maxLength: 3 })
  .map((steps) => steps.map(([field, down]) => (down ? (`-${field}` as const) : field)))

for (const [where, open] of Object.entries(backends(book))) {
  describe(`counts and pages ${where}`, () => {
    const fresh = async (rows: object[]): Promise<Store<any>> => {
      const store = openStore(book, await open(), { cursorSecret: 'a secret of the test' })
      const system = store.asSystem('fill')
      for (const [at, row] of rows.entries()) await system.create('plot', { ...row, id: `p${at}` } as never)
      await system.create('row', { id: 'r', plotIds: rows.map((_, at) => `p${at}`) })
      return store as never
    }

    it('pages, one after the other, are the list', async () => {
      await fc.assert(
        fc.asyncProperty(fc.array(record, { maxLength: 9 }), order, fc.integer({ min: 1, max: 4 }), async (rows, sort, size) => {
          const mine = (await fresh(rows)).for({ id: 'a' })
          const paged: unknown[] = []
          let after: string | undefined
          do {
            const page: { records: unknown[]; next?: string } = await mine.page('plot', { sort, size, ...(after ? { after } : {}) })
            paged.push(...page.records)
            after = page.next
          } while (after !== undefined && paged.length <= rows.length)
          expect(paged).to.deep.equal(await mine.list('plot', { sort }))
        }),
        { numRuns: runsIn(where, 60) },
      )
    })

    it('count what one sees, and by a field where one sees it', async () => {
      await fc.assert(
        fc.asyncProperty(fc.array(record, { maxLength: 9 }), fc.constantFrom(...FIELDS), async (rows, field) => {
          const store = await fresh(rows)
          const mine = store.for({ id: 'a' })
          const list = (await mine.list('plot', { sort: [field] })) as Record<string, unknown>[]
          expect(await mine.count('plot')).to.equal(list.length)
          const visible = (at: Record<string, unknown>) => field === 'name' || field === 'open' || field === 'id' || at.holderId === 'a'
          const groups: { value: unknown; count: number }[] = []
          for (const one of list.filter(visible)) {
            const value = one[field] ?? undefined
            const last = groups.at(-1)
            if (last !== undefined && JSON.stringify(last.value) === JSON.stringify(value)) last.count += 1
            else groups.push({ value, count: 1 })
          }
          expect(await mine.countBy('plot', field)).to.deep.equal(groups)
        }),
        { numRuns: runsIn(where, 60) },
      )
    })

    it('tell nothing of what is hidden, whatever it holds', async () => {
      await fc.assert(
        fc.asyncProperty(
          fc.array(fc.tuple(record, fc.option(fc.constantFrom(0, 7), { nil: undefined })), { minLength: 1, maxLength: 6 }),
          order,
          async (rows, sort) => {
            const told = async (plots: object[]) => {
              const eyes = (await fresh(plots)).for(null)
              const page = await eyes.page('plot', { sort, size: 2 })
              const next = page.next === undefined ? [] : [await eyes.page('plot', { sort, size: 2, after: page.next })]
              const filter = { where: (plot: any) => plot.rent.isMoreThan(1) }
              return [
                page,
                ...next,
                await eyes.countBy('plot', 'rent'),
                await eyes.page('plot', { ...filter, sort }),
                await eyes.count('plot', filter),
                await eyes.countBy('plot', 'open', filter),
                await eyes.list('row', { include: { plots: filter } }),
                await eyes.list('row', { include: { plots: { sort } } }),
                await eyes.updateMany('plot', filter, { name: 'x' }),
              ]
            }
            const other = rows.map(([plot, rent]) => ({ ...plot, rent, holderId: 'c', since: undefined }))
            expect(await told(rows.map(([plot]) => plot))).to.deep.equal(await told(other))
          },
        ),
        { numRuns: runsIn(where, 40) },
      )
    })

    it('bring along what a list brings along', async () => {
      const store = await fresh(
        Array.from({ length: 5 }, (_, at) => ({ holderId: at < 3 ? 'a' : 'b', name: `${at}`, open: true, rent: at })),
      )
      for (const me of [{ id: 'a' }, null])
        for (const more of [{ withActions: ['update', 'delete'] as const }, { withStandings: true }]) {
          const mine = store.for(me)
          const whole = await mine.list('plot', { sort: ['-name'], ...more })
          const paged: unknown[] = []
          for (let after: string | undefined; ; ) {
            const page = await mine.page('plot', { sort: ['-name'], size: 2, after, ...more })
            paged.push(...page.records)
            after = page.next
            if (after === undefined) break
          }
          expect(paged).to.deep.equal(whole)
        }
    })

    it('give cursors that are good for one person, list and order', async () => {
      const store = await fresh(Array.from({ length: 4 }, () => ({ holderId: 'a', name: 'x', open: true, rent: 4711 })))
      const mine = store.for({ id: 'a' })
      const { next = '' } = await mine.page('plot', { sort: ['name'], size: 2 })
      expect(atob((next.split('.')[0] ?? '').replace(/-/g, '+').replace(/_/g, '/'))).to.equal('["x","p1"]')
      const refused = async (work: Promise<unknown>) =>
        expect(await work.catch((error: { code: string }) => error.code)).to.equal('BAD_CURSOR')
      await refused(store.for({ id: 'b' }).page('plot', { sort: ['name'], size: 2, after: next }))
      await refused(mine.page('plot', { sort: ['-name'], size: 2, after: next }))
      for (const forged of [
        '',
        'x',
        `${next}x`,
        next.replace('.', '..'),
        `${btoa('["x","p0"]').replace(/=/g, '')}.${next.split('.')[1]}`,
        5,
        {},
      ] as never[])
        await refused(mine.page('plot', { sort: ['name'], size: 2, after: forged }))
      const bad = async (work: () => Promise<unknown>, says: string) =>
        expect(await work().catch((error: Error) => error.message)).to.include(says)
      await bad(() => mine.page('plot', { size: 0 }), 'size')
      await bad(() => mine.page('plot', { limit: 5 } as never), 'no option "limit"')
      await bad(() => mine.countBy('plot', 'rnt' as never), 'Did you mean "rent"')
    })
  })
}

it('pages of SQLite go on after a time with microseconds, as another program has written it', async () => {
  const shape = z.object({ id: z.string(), at: z.date() })
  const log = rulebook({
    me: { shape: z.object({ id: z.string() }), key: 'id' },
    records: { line: { shape, key: 'id', times: ['at'] } },
  }).rules({
    line: (_line, { anyone }) => ({ may: { read: [anyone] } }),
  })
  const db = openSqlite()
  await createTables(db, log, sqlite)
  const times = ['.000100Z', '.000200Z', '.000200Z', '.000900Z', '.001Z', 'Z'].map((end) => `2026-06-15T09:00:00${end}`)
  for (const [n, at] of times.entries())
    await db
      .insertInto('line')
      .values({ id: `l${n}`, at })
      .execute()
  const mine = openStore(log, overKysely(db, sqlite)).for(null)
  for (const sort of [['at'], ['-at']] as const) {
    const meant = (await mine.list('line', { sort })).map(({ id }) => id)
    const paged: string[] = []
    for (let page = await mine.page('line', { sort, size: 1 }); ; page = await mine.page('line', { sort, size: 1, after: page.next })) {
      paged.push(...page.records.map(({ id }) => id))
      if (page.next === undefined) break
    }
    expect(paged).to.deep.equal(meant)
    expect(paged).to.have.length(times.length)
  }
})
