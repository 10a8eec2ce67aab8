import { expect } from 'chai'
import { sql } from 'kysely'
import { isPachterError, rulebook, toMany } from 'pachter'
import { overKysely } from 'pachter/kysely'
import { createTables, LayoutError, layoutOf, postgres, readLayout } from 'pachter/sql'
import { openStore } from 'pachter/store'
import { z } from 'zod'
import { everyKind } from '../support/conditions.js'
import { engines } from '../support/engines.js'
import { OWN_NAMES, ownDialect, ownLayout, prepareOwn } from '../support/own-schema.js'

const Plot = z.object({
  id: z.string(),
  holderId: z.string(),
  siteURL: z.string().optional(),
  sownAt: z.date(),
  helperIds: z.array(z.string()),
})
const book = rulebook({
  me: { shape: z.object({ id: z.string() }), key: 'id' },
  records: {
    plot: { shape: Plot, key: 'id', links: { notes: toMany('plotNote', 'plotId') } },
    plotNote: { shape: z.object({ id: z.string(), plotId: z.string() }), key: 'id' },
  },
})
  .standings({ plot: (plot, { me }) => ({ holder: plot.holderId.is(me.id), helper: plot.helperIds.has(me.id) }) })
  .rules({
    plot: (_plot, { standing: { holder, helper } }) => ({
      may: { read: [holder, helper], create: [holder], update: [holder], delete: [holder] },
    }),
  })

const id = (digit: number) => `abcdef00-0000-4000-8000-00000000000${digit}`
const [ANN, BEN] = [id(1), id(2)]

describe('where records are kept', () => {
  it('is named in snake case, with a prefix, in a schema, or as one says', () => {
    const { plot, plotNote } = layoutOf(book, {
      names: 'snake_case',
      prefix: 'al_',
      schema: 'garden',
      tables: { plot: { name: 'parcel', columns: { holderId: 'lessee', sownAt: { as: 'timestamptz' } } } },
    }).tables
    expect(plotNote).to.deep.include({ schema: 'garden', name: 'al_plot_note' })
    expect(plotNote?.columns.plotId).to.deep.equal({ name: 'plot_id' })
    expect(plot).to.deep.include({ schema: 'garden', name: 'parcel' })
    expect(plot?.columns).to.deep.include({
      holderId: { name: 'lessee' },
      sownAt: { name: 'sown_at', as: 'timestamptz' },
      siteURL: { name: 'site_url' },
    })
  })

  const REFUSED: readonly [what: string, options: Parameters<typeof layoutOf>[1], says: RegExp][] = [
    ['an unknown record type', { tables: { plit: {} } }, /plit.*plot/],
    ['an unknown field', { tables: { plot: { columns: { holder: 'x' } } } }, /holder.*holderId/],
    ['two fields in one column', { tables: { plot: { columns: { holderId: 'id' } } } }, /plot\.holderId.*plot\.id/],
    ['two types in one table', { tables: { plot: { name: 'plotNote' } } }, /plotNote.*plot/],
    ['a name with a dot', { tables: { plot: { name: 'garden.plot' } } }, /"schema"/],
    ['a blank name', { names: () => '' }, /""/],
  ]
  for (const [what, options, says] of REFUSED)
    it(`is refused with ${what}`, () => {
      expect(() => layoutOf(book, options)).to.throw(says)
    })

  for (const { name, dialect, open } of engines) {
    it(`is read from ${name}: what is there, and as what`, async () => {
      const layout = ownLayout(dialect)
      const db = await open(everyKind, { dialect: ownDialect(dialect), layout, before: (db) => prepareOwn(db, dialect) })
      const read = await readLayout(db, dialect, everyKind, OWN_NAMES)
      for (const [field, { name: column, as }] of Object.entries(layout.tables.thing?.columns ?? {})) {
        expect(read.tables.thing?.columns[field]?.name).to.equal(column)
        // Loose text is told with the collation that makes it so.
        if (as !== undefined) expect(read.tables.thing?.columns[field]?.as?.replace(/^(loose text) .*/, '$1'), field).to.equal(as)
      }
      for (const [options, says] of [
        [{ names: 'snake_case' }, /thing.*there is no table thing.*al_thing/],
        [{ ...OWN_NAMES, tables: { thing: { columns: { textA: 'text_x' } } } }, /thing\.textA.*no column text_x.*text_a/],
      ] as const) {
        const error = await readLayout(db, dialect, everyKind, options).catch((one: unknown) => one)
        expect(error).to.be.instanceOf(LayoutError)
        expect((error as Error).message).to.match(says)
      }
    })
  }

  const onPostgres = engines.filter(({ dialect }) => dialect === postgres)
  for (const { name, open } of onPostgres) {
    it(`may be an application's own tables in ${name}: keys that are UUIDs, arrays, times with microseconds`, async () => {
      const held = {
        plot: { columns: { id: { as: 'uuid' }, holderId: { as: 'uuid' }, helperIds: { as: 'uuid[]' }, sownAt: { as: 'timestamptz' } } },
      }
      const names = { names: 'snake_case', schema: `pachter_test_${process.pid}` } as const
      const db = await open(book, { layout: layoutOf(book, { ...names, tables: held }) })
      const store = openStore(book, overKysely(db, postgres, names))
      for (const at of [3, 4, 5, 6])
        await store
          .asSystem('fill')
          .create('plot', { id: id(at), holderId: at < 6 ? ANN : BEN, sownAt: new Date(at), helperIds: at > 4 ? [BEN] : [] })
      await sql`update plot set sown_at = '2026-06-15 09:00:00Z'::timestamptz + interval '1 microsecond' * (10 - right(id::text, 1)::int)`.execute(
        db,
      )
      const [ann, ben] = [store.for({ id: ANN }), store.for({ id: BEN })]
      const keys = (rows: readonly { id: string }[]) => rows.map((row) => Number(row.id.slice(-1)))
      expect(keys(await ann.list('plot'))).to.deep.equal([3, 4, 5])
      expect(keys(await ben.list('plot'))).to.deep.equal([5, 6])
      expect((await ben.get('plot', id(5))).helperIds).to.deep.equal([BEN])
      expect((await ben.get('plot', id(5))).sownAt).to.deep.equal(new Date('2026-06-15T09:00:00Z'))
      // Within one millisecond the microseconds decide, on every page.
      const first = await ann.page('plot', { sort: ['-sownAt'], size: 2 })
      expect(keys(first.records)).to.deep.equal([3, 4])
      expect(keys((await ann.page('plot', { sort: ['-sownAt'], size: 2, after: first.next as string })).records)).to.deep.equal([5])
      for (const odd of ['p-1', id(3).toUpperCase()]) {
        const error = await ann.get('plot', odd).catch((one: unknown) => one)
        expect(isPachterError(error, 'NOT_FOUND'), odd).to.equal(true)
      }
      const odd = await ann.update('plot', id(3), { holderId: 'nobody' }).catch((one: unknown) => one)
      expect(isPachterError(odd, 'REFUSED')).to.equal(true)
      await ann.update('plot', id(3), { helperIds: [BEN] })
      await ann.delete('plot', id(4))
      expect(keys(await ben.list('plot'))).to.deep.equal([3, 5, 6])
    })

    it(`is read in ${name} from the type of each column`, async () => {
      const db = await open(book)
      const wanted: readonly [field: 'sownAt' | 'holderId' | 'helperIds', type: string, as: string | undefined | RegExp][] = [
        ['sownAt', 'timestamptz', 'timestamptz'],
        ['sownAt', 'timestamptz(6)', 'timestamptz'],
        // Of whole milliseconds at most: an index of it serves as it is.
        ['sownAt', 'timestamptz(3)', 'timestamptz(3)'],
        ['sownAt', 'timestamptz(0)', 'timestamptz(3)'],
        ['sownAt', 'timestamp', 'timestamp'],
        ['sownAt', 'date', 'date'],
        ['sownAt', 'time', /sownAt.*time without time zone.*cannot hold/],
        ['holderId', 'varchar(40)', undefined],
        ['holderId', 'uuid', 'uuid'],
        ['holderId', 'bigint', 'bigint'],
        ['holderId', 'integer', 'integer'],
        ['holderId', 'char(3)', /holderId.*character\(3\).*cannot hold/],
        ['holderId', 'smallint', /holderId.*smallint.*cannot hold/],
        ['helperIds', 'text[]', 'text[]'],
        ['helperIds', 'uuid[]', 'uuid[]'],
        ['helperIds', 'bigint[]', 'bigint[]'],
      ]
      for (const [field, type, as] of wanted) {
        await sql`alter table plot drop column ${sql.ref(field)}, add column ${sql.ref(field)} ${sql.raw(type)}`.execute(db)
        const read = await readLayout(db, postgres, book).catch((error: Error) => error.message)
        if (as instanceof RegExp) expect(read, type).to.match(as)
        else expect(typeof read === 'string' ? read : read.tables.plot?.columns[field]?.as, type).to.equal(as)
        await sql`alter table plot drop column ${sql.ref(field)}`.execute(db)
        await sql`alter table plot add column ${sql.ref(field)} ${sql.raw(field === 'sownAt' ? 'timestamptz(3)' : field === 'holderId' ? 'text' : 'jsonb')}`.execute(
          db,
        )
      }
      for (const table of ['plot', 'plotNote']) await sql`drop table ${sql.ref(table)}`.execute(db)
      await createTables(db, book, postgres)
    })

    it(`is refused in ${name} where a column cannot hold the field, before anything is asked`, async () => {
      const db = await open(book)
      await sql`alter table "plotNote" alter column "plotId" type boolean using true`.execute(db)
      const error = await openStore(book, overKysely(db, postgres))
        .for({ id: ANN })
        .list('plot')
        .catch((one: unknown) => one)
      expect(String((error as { cause?: Error }).cause ?? error)).to.match(/plotNote\.plotId.*boolean.*cannot hold/)
      await sql`drop table "plotNote"`.execute(db)
      await createTables(db, { model: { ...book.model, types: { plotNote: book.model.types.plotNote } } } as never, postgres)
    })
  }
})
