// Places and people that are not as usual: views, transactions that are over, somebody called "system", stamps in questions.
import { expect } from 'chai'
import { sql } from 'kysely'
import { rulebook, toMany } from 'pachter'
import { overKysely } from 'pachter/kysely'
import { missingIndexes, postgres, readLayout, rowSecurity } from 'pachter/sql'
import { inMemory, type LogEntry, openStore } from 'pachter/store'
import { z } from 'zod'
import { backends } from '../support/backends.js'
import { engines } from '../support/engines.js'
import { FUNCTIONS, makeRole, ROLE, script, seenAs, TABLES } from '../support/row-security.js'

const id = z.string()
const me = { shape: z.object({ id }), key: 'id' } as const
const book = rulebook({
  me,
  records: {
    plot: {
      shape: z.object({ id, holderId: id, state: z.enum(['open', 'closed']), madeById: id.optional() }),
      key: 'id',
      links: { shares: toMany('share', 'plotId') },
    },
    share: { shape: z.object({ id, plotId: id, memberId: id }), key: 'id' },
  },
}).rules({
  plot: (plot, { me: mine, anyone, after }) => {
    const holder = anyone.provided(plot.holderId.is(mine.id))
    return {
      may: {
        read: [holder, anyone.provided(plot.shares.some((share) => share.memberId.is(mine.id)))],
        create: [anyone.provided(plot.madeById.is(mine.id)).only('holderId', 'state')],
        update: [anyone.provided(plot.holderId.is(mine.id).and(after.state.is('closed')))],
      },
      stamps: { create: { madeById: mine.id } },
    }
  },
  share: (share, { me: mine, anyone }) => ({ may: { read: [anyone.provided(share.memberId.is(mine.id))] } }),
})

describe('record types that are kept in views', () => {
  for (const engine of engines)
    it(`in ${engine.name}: are read and written as tables are, and need no index of their own`, async () => {
      const { dialect } = engine
      const db = await engine.open(book)
      await sql`alter table ${sql.ref('share')} rename to ${sql.ref('share_rows')}`.execute(db)
      await sql`create view ${sql.ref('share')} as select * from ${sql.ref('share_rows')}`.execute(db)
      try {
        await db
          .insertInto('plot')
          .values([{ id: 'p', holderId: 'ann', state: 'open' }])
          .execute()
        await db
          .insertInto('share_rows')
          .values([{ id: 's', plotId: 'p', memberId: 'bob' }])
          .execute()
        const store = openStore(book, overKysely(db, dialect))
        expect(await store.for({ id: 'bob' }).list('plot')).to.have.length(1)
        expect(await store.for({ id: 'bob' }).get('share', 's')).to.include({ plotId: 'p' })
        if (dialect.name !== 'sqlite') {
          await store.asSystem('end it').delete('share', 's')
          expect(await store.for({ id: 'bob' }).list('plot')).to.have.length(0)
          await store.asSystem('begin it').create('share', { id: 's', plotId: 'p', memberId: 'bob' })
        }
        const layout = await readLayout(db, dialect, book)
        expect([layout.tables.plot?.isView, layout.tables.share?.isView]).to.deep.equal([undefined, true])
        expect((await missingIndexes(db, dialect, book, layout)).missing.map(({ type }) => type)).not.to.include('share')
        if (dialect !== postgres) return
        await makeRole(db)
        const { up, down, left } = rowSecurity(book, { layout, schema: TABLES, role: ROLE, functions: FUNCTIONS })
        expect(left.share?.join()).to.include('this is a view')
        await script(db, up)
        try {
          const seen = (who: string, table: string) =>
            seenAs(db, { id: who }, Date.now(), async (trx) => (await trx.selectFrom(table).select('id').execute()).map((row) => row.id))
          expect(await seen('bob', 'plot'), 'by a share in a view').to.deep.equal(['p'])
          expect(await seen('cid', 'plot')).to.deep.equal([])
          expect(await seen('bob', 'share').catch(String)).to.match(/permission denied/)
        } finally {
          await script(db, down)
        }
      } finally {
        await sql`drop view ${sql.ref('share')}`.execute(db)
        await sql`alter table ${sql.ref('share_rows')} rename to ${sql.ref('share')}`.execute(db)
      }
    })
})

describe('a store of a transaction that is over', () => {
  for (const [where, open] of Object.entries(backends(book)))
    it(`${where}: answers nothing any more`, async () => {
      const store = openStore(book, await open())
      await store.asSystem('fill').create('plot', { id: 'p', holderId: 'ann', state: 'open' })
      let kept: any
      await store.for({ id: 'ann' }).transaction(async (inside) => {
        kept = inside
        expect(await inside.list('plot')).to.have.length(1)
      })
      for (const late of [() => kept.list('plot'), () => kept.get('plot', 'p'), () => kept.update('plot', 'p', { state: 'closed' })])
        expect(
          await late().then(
            () => 'done',
            (error: { code: string }) => error.code,
          ),
        ).to.equal('STORE_FAILED')
      expect((await store.asSystem('look').get('plot', 'p')).state).to.equal('open')
    })
})

describe('a person called "system"', () => {
  it('is told apart from trusted code, in the log and by cursors', async () => {
    const entries: LogEntry[] = []
    const plots = Array.from({ length: 5 }, (_, at) => ({ id: `p${at}`, holderId: 'system', state: 'open' as const }))
    const store = openStore(book, inMemory({ plot: plots }), { log: (entry) => entries.push(entry), logAllowed: true })
    const person = store.for({ id: 'system' })
    const trusted = store.asSystem('look')
    const { next } = await trusted.page('plot', { size: 2 })
    const code = await person.page('plot', { size: 2, after: next }).then(
      () => 'done',
      (error: { code: string }) => error.code,
    )
    expect(code).to.equal('BAD_CURSOR')
    await person.list('plot')
    await trusted.list('plot')
    const lists = entries.filter(({ action, outcome }) => action === 'read' && outcome === 'allowed').slice(-2)
    expect(lists.map(({ who, trusted: is }) => [who, is])).to.deep.equal([
      ['system', undefined],
      ['system', true],
    ])
  })
})

describe('verdicts before anything is done', () => {
  const view = book.for({ id: 'ann' }, { records: { share: [] } })
  it('know what the server stamps on a new record, and what no person may send', () => {
    const made = { id: 'new', holderId: 'bob', state: 'open' as const }
    expect(view.verdict('create', 'plot', made)).to.include({ allowed: true })
    expect(view.why('create', 'plot', made).clause?.holds).to.equal(true)
    expect(view.verdict('create', 'plot', { ...made, madeById: 'ann' }).allowed).to.equal(true)
    expect(view.verdict('create', 'plot', { ...made, madeById: 'bob' })).to.include({ allowed: false, outcome: 'refused' })
    expect(book.for(null, { records: { share: [] } }).verdict('create', 'plot', made).outcome).to.equal('sign in')
  })

  for (const [where, open] of Object.entries(backends(book)))
    it(`${where}: say of a change what making it says, where a clause speaks of the record as it becomes`, async () => {
      const store = openStore(book, await open())
      await store.asSystem('fill').create('plot', { id: 'p', holderId: 'ann', state: 'open' })
      const mine = store.for({ id: 'ann' })
      const changes = [{ state: 'closed' as const }, { holderId: 'bob' }, { state: 'closed' as const, holderId: 'bob' }]
      for (const change of changes) {
        const { allowed } = await mine.verdict('update', 'plot', 'p', change)
        const done = await mine.update('plot', 'p', change).then(
          () => true,
          () => false,
        )
        expect(allowed, JSON.stringify(change)).to.equal(done)
      }
    })
})
