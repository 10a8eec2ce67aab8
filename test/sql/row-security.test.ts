import { readFileSync } from 'node:fs'
import { expect } from 'chai'
import fc from 'fast-check'
import { type Kysely, sql } from 'kysely'
import { indexed } from 'pachter'
import type { ConditionNode } from 'pachter/condition'
import { instant, TRUE } from 'pachter/internal/condition'
import { overKysely } from 'pachter/kysely'
import { layoutOf, postgres, readLayout, rowSecurity } from 'pachter/sql'
import { openStore } from 'pachter/store'
import { recordsOf, today } from '../../examples/world/open.js'
import { people } from '../../examples/world/people.js'
import { book } from '../../examples/world/rulebook.js'
import { fill } from '../support/agreement.js'
import { everyKind } from '../support/conditions.js'
import { engines } from '../support/engines.js'
import { agreesInRowSecurity, FUNCTIONS, makeRole, ROLE, readBy, script, seenAs, TABLES } from '../support/row-security.js'
import { tries } from '../support/tries.js'

const types = Object.keys(book.model.types) as 'plot'[]
const everybody: { readonly [name: string]: { id: string; email: string } | null } = { ...people, visitor: null }
const rows = Object.fromEntries(types.map((type) => [type, recordsOf(type)])) as { [type: string]: { id: string }[] }
const records = indexed(rows)
const pageView = (me: { id: string } | null) => book.for(me as never, { now: today, records: records as never })
const keys = (found: readonly { id: string }[]) => found.map(({ id }) => id)

for (const engine of engines.filter(({ dialect }) => dialect === postgres))
  describe(`row security in ${engine.name}`, () => {
    let db: Kysely<any>
    const options = { schema: TABLES, role: ROLE, functions: FUNCTIONS }

    before(async () => {
      db = await engine.open(book)
      await makeRole(db)
      const system = openStore(book, overKysely(db, postgres), { now: today }).asSystem('fill')
      for (const type of types) for (const record of rows[type] ?? []) await system.create(type, record as never)
    })

    /** With row security, while the work is done. */
    async function under<T>(more: object, work: (left: { readonly [type: string]: readonly string[] }) => Promise<T>): Promise<T> {
      const { up, down, left } = rowSecurity(book, { ...options, layout: await readLayout(db, postgres, book), ...more })
      await script(db, up)
      return work(left).finally(() => script(db, down))
    }

    const asSeen = (me: unknown, type: string) =>
      seenAs(db, me, today.getTime(), async (trx) => keys(await trx.selectFrom(type).select('id').orderBy('id').execute()))

    it('shows what the rules do, and less only where that was said', () =>
      under({}, async (left) => {
        let exact = 0
        for (const me of Object.values(everybody))
          for (const type of types) {
            const wanted = keys(pageView(me).filter(type, rows[type] as never))
            const seen = await asSeen(me, type)
            if (left[type]?.some((line) => line.startsWith('read: '))) expect(wanted).to.include.members(seen)
            else {
              expect(seen, `${me?.id} ${type}`).to.deep.equal(wanted)
              exact += seen.length
            }
          }
        expect(exact).to.be.greaterThan(100)
      }))

    it('is used as docs/databases.md prints it', () =>
      under({}, async () => {
        const document = readFileSync(new URL('../../docs/databases.md', import.meta.url), 'utf8')
        const [, block = ''] = /```sql\n([\s\S]*?)```/.exec(document) ?? []
        const printed = block.replace('role reports', `role ${ROLE}`)
        const found = await db.connection().execute(async (connection) => {
          const results: unknown[][] = []
          for (const statement of printed.trim().split('\n')) results.push((await sql.raw(statement).execute(connection)).rows)
          return results.find((result) => result.length > 1) as { id: string }[]
        })
        const wanted = book.for({ id: 'm-01' } as never, { records: records as never }).filter('notice', rows.notice as never)
        expect(keys(found)).to.have.members(keys(wanted))
        expect(found.length).to.be.lessThan(rows.notice?.length as number)
      }))

    it('shows more if fields are withheld from everyone, by column privileges', () =>
      under({ withhold: ['plot.wardenNotes', 'plot.rentDue'] }, async () => {
        expect(await asSeen(people.ines, 'plot')).to.deep.equal(['p-01'])
        expect(await asSeen(people.bram, 'plot')).to.deep.equal(['p-01', 'p-02', 'p-03', 'p-10'])
        const notes = seenAs(db, people.tomasz, today.getTime(), (trx) => trx.selectFrom('plot').select('wardenNotes').execute())
        expect(await notes.catch(String)).to.match(/permission denied/)
      }))

    const CLAIMS: readonly [what: string, claims: string | undefined, seen: readonly string[]][] = [
      ['are unset', undefined, ['n-01', 'n-03', 'n-04']],
      ['are blank', '  ', ['n-01', 'n-03', 'n-04']],
      ['are no object', '"m-07"', ['n-01', 'n-03', 'n-04']],
      ['have a blank id', '{"id":" "}', ['n-01', 'n-03', 'n-04']],
      ['say what a record would have to say', '{"id":"m-99","member":{"roles":["secretary"]}}', ['n-01', 'n-03', 'n-04']],
      ['are those of the secretary', '{"id":"m-07"}', ['n-01', 'n-02', 'n-03', 'n-04', 'n-05', 'n-06']],
    ]
    it('takes claims for nothing that they are not', () =>
      under({}, async () => {
        for (const [what, claims, wanted] of CLAIMS) {
          const seen = await seenAs(db, null, today.getTime(), async (trx) => {
            await sql`select set_config('pachter.me', ${claims ?? ''}, true)`.execute(trx)
            return keys(await trx.selectFrom('notice').select('id').orderBy('id').execute())
          })
          expect(seen, what).to.deep.equal(wanted)
        }
        const odd = seenAs(db, null, today.getTime(), async (trx) => {
          await sql`select set_config('pachter.me', '{"id"', true)`.execute(trx)
          return trx.selectFrom('notice').select('id').execute()
        })
        expect(await odd.catch(String)).to.match(/json/)
      }))

    // One of them is enough: it takes as many statements as there are fields.
    const enough = engine.name === 'PostgreSQL' || engines.every(({ name }) => name !== 'PostgreSQL')
    if (enough)
      it('refuses each delete, update and create that the rules refuse', () =>
        under({}, async () => {
          const done = { delete: 0, update: 0, create: 0 }
          for (const me of [people.ines, people.tomasz, people.kofi, null]) {
            const view = pageView(me)
            for (const type of types)
              for (const record of rows[type] ?? []) {
                const attempt = (work: (trx: Kysely<any>) => Promise<bigint>) =>
                  seenAs(db, me, today.getTime(), work).then(Number, (error: unknown) => {
                    expect(String(error)).to.match(/permission denied|row-level security|duplicate key|violates/)
                    return 0
                  })
                const gone = await attempt(
                  async (trx) => (await trx.deleteFrom(type).where('id', '=', record.id).executeTakeFirst()).numDeletedRows,
                )
                if (gone > 0) expect(view.verdict('delete', type, record as never).allowed, `${me?.id} deletes ${record.id}`).to.equal(true)
                done.delete += gone
                for (const [field, value] of Object.entries(record)) {
                  const other = (rows[type] ?? [])
                    .map((one) => (one as any)[field])
                    .find((one) => one !== undefined && JSON.stringify(one) !== JSON.stringify(value))
                  if (field === 'id' || other === undefined) continue
                  const encoded = postgres.codec.encode(book.model.types[type]?.fields[field] as never, other)
                  const changed = await attempt(
                    async (trx) =>
                      (
                        await trx
                          .updateTable(type)
                          .set({ [field]: encoded })
                          .where('id', '=', record.id)
                          .executeTakeFirst()
                      ).numUpdatedRows,
                  )
                  const becomes = { ...record, [field]: other }
                  if (changed > 0)
                    expect(
                      view.verdict('update', type, record as never, becomes as never).allowed,
                      `${me?.id} ${field} of ${record.id}`,
                    ).to.equal(true)
                  done.update += changed
                }
              }
          }
          await sql`alter table share alter column id set default 'h-99'`.execute(db)
          for (const me of Object.values(everybody))
            for (const plotId of ['p-01', 'p-03', 'p-05']) {
              const share = { plotId, memberId: 'm-02', grantedById: me?.id ?? 'm-01', level: 'look' as const }
              const made = await seenAs(db, me, today.getTime(), async (trx) => {
                return (await trx.insertInto('share').values(share).executeTakeFirst()).numInsertedOrUpdatedRows ?? 0n
              }).then(Number, () => 0)
              if (made > 0) expect(pageView(me).verdict('create', 'share', { ...share, id: 'h-99' } as never).allowed).to.equal(true)
              done.create += made
            }
          expect(done.delete).to.be.greaterThan(10)
          expect(done.update).to.be.greaterThan(10)
          expect(done.create).to.be.greaterThan(1)
        }))

    it('is refused for a role that has more by another grant, or that bypasses it', async () => {
      const { up } = rowSecurity(book, { ...options, layout: await readLayout(db, postgres, book), withhold: ['plot.wardenNotes'] })
      await sql`grant select on plot to public`.execute(db)
      const failed = await db.connection().execute(async (connection) => {
        const error = await script(connection, up).catch(String)
        await sql`rollback`.execute(connection).catch(() => undefined)
        return error
      })
      await sql`revoke select on plot from public`.execute(db)
      expect(failed).to.match(/has more of .*plot.* than its policies can hold: select of wardenNotes/)
    })

    it('leaves nothing to those who are given nothing', () =>
      under({}, async () => {
        const stranger = 'pachter_test_stranger'
        const { rows } = await sql`select from pg_roles where rolname = ${stranger}`.execute(db)
        if (rows.length === 0) await sql`create role ${sql.id(stranger)}`.execute(db)
        const { rows: functions } = await sql<{ name: string; args: string; path: boolean }>`
          select p.proname as name, pg_get_function_identity_arguments(p.oid) as args, p.proconfig::text like '%search_path=pg_catalog, pg_temp%' as path
          from pg_proc p where p.pronamespace = ${FUNCTIONS}::regnamespace`.execute(db)
        expect(functions.length).to.be.greaterThan(15)
        for (const { name, path } of functions) expect(path, `${name} looks where it is told`).to.equal(true)
        const { rows: open } = await sql<{ name: string }>`
          select p.proname as name from pg_proc p where p.pronamespace = ${FUNCTIONS}::regnamespace and has_function_privilege(${stranger}, p.oid, 'execute')
          union all select nspname from pg_namespace where nspname = ${FUNCTIONS} and has_schema_privilege(${stranger}, oid, 'usage')
          union all select c.relname from pg_class c where c.relnamespace = ${TABLES}::regnamespace and c.relkind = 'r'
            and has_any_column_privilege(${stranger}, c.oid, 'select, insert, update')`.execute(db)
        expect(open).to.deep.equal([])
        const asked = await db
          .transaction()
          .execute(async (trx) => {
            await sql`set local role ${sql.id(stranger)}`.execute(trx)
            await sql`select set_config('pachter.me', '{"id":"m-01"}', true)`.execute(trx)
            return sql.raw(`select ${FUNCTIONS}.me()`).execute(trx)
          })
          .catch(String)
        expect(asked).to.match(/permission denied/)
      }))

    it('is undone without a trace', async () => {
      await sql`revoke pachter_reader from current_user`.execute(db)
      await under({}, async () => undefined)
      const { rows: left } = await sql<{ what: string }>`
        select polname as what from pg_policy p join pg_class c on c.oid = p.polrelid where c.relnamespace = ${TABLES}::regnamespace
        union all select relname from pg_class where relnamespace = ${TABLES}::regnamespace and (relrowsecurity or relforcerowsecurity)
        union all select nspname from pg_namespace where nspname = ${FUNCTIONS}
        union all select 'member of ' || r.rolname from pg_auth_members m join pg_roles r on r.oid = m.roleid
          where r.rolname = 'pachter_reader' and m.member = current_user::regrole
        union all select 'usage of ' || nspname from pg_namespace where nspname = ${TABLES} and has_schema_privilege(${ROLE}, oid, 'usage')
        union all select 'reader uses ' || nspname from pg_namespace where nspname = ${TABLES} and has_schema_privilege('pachter_reader', oid, 'usage')
        union all select table_name from information_schema.role_table_grants where grantee = ${ROLE} and table_schema = ${TABLES}`.execute(
        db,
      )
      expect(left).to.deep.equal([])
    })

    it('does not take a half for the next whole number in a link', async () => {
      const tables = await engine.open(everyKind)
      await makeRole(tables)
      const from = { kind: 'field', of: 'record', path: ['integerA'], type: 'integer', optional: true }
      const to = { path: ['numberB'], type: 'number' }
      const of = { kind: 'presence', term: { kind: 'field', of: 1, path: ['textA'], type: 'text', optional: true }, present: true }
      const node = { kind: 'some', each: 1, over: { kind: 'records', type: 'thing', by: [{ to, from }] }, of } as unknown as ConditionNode
      const two = ([0.4, 1] as const).map((numberB, integerA) => ({ id: `t-${integerA}`, integerA, numberB, textA: 'a' }))
      await fill(tables, postgres, two as never, layoutOf(everyKind))
      const { up, down } = rowSecurity(readBy(node), options)
      await script(tables, up)
      const seen = await seenAs(tables, null, 0, async (trx) => keys(await trx.selectFrom('thing').select('id').execute()))
      await script(tables, down)
      expect(seen).to.deep.equal(['t-1'])
    })

    it('ignores values of the wrong type in a list of claims', async () => {
      const tables = await engine.open(everyKind)
      await makeRole(tables)
      const among = (list: string, type: string, field: string, of: string) => ({
        kind: 'compare',
        by: 'has',
        left: { kind: 'claim', path: [list], type, list: true, optional: true },
        right: { kind: 'field', of: 'record', path: [field], type: of, optional: true },
      })
      const node = { kind: 'anyOf', of: [among('integerList', 'integer', 'numberB', 'number'), among('textList', 'id', 'textA', 'text')] }
      const rows = [
        { id: 't-0', numberB: 2 ** 53, textA: ' ' },
        { id: 't-1', numberB: 0.5, textA: 'a' },
        { id: 't-2', numberB: 7, textA: 'b' },
        { id: 't-3', numberB: 8, textA: 'c' },
      ]
      await fill(tables, postgres, rows as never, layoutOf(everyKind))
      const { up, down } = rowSecurity(readBy(node as unknown as ConditionNode), options)
      await script(tables, up)
      const claims = '{"id":"m-1","integerList":[9007199254740992,0.5,1e400,"7",7],"textList":[" ",null,5,"c"]}'
      const seen = await seenAs(tables, null, 0, async (trx) => {
        await sql`select set_config('pachter.me', ${claims}, true)`.execute(trx)
        return keys(await trx.selectFrom('thing').select('id').orderBy('id').execute())
      }).finally(() => script(tables, down))
      expect(seen).to.deep.equal(['t-2', 't-3'])
    })

    it('reads the times of claims as rules do', async () => {
      const two = (most: number) =>
        fc.oneof(fc.integer({ min: 0, max: most }), fc.integer({ min: 0, max: 99 })).map((one) => String(one).padStart(2, '0'))
      const day = fc
        .tuple(
          fc.oneof(
            fc.constantFrom('0000', '0001', '1900', '2000', '2024', '2023', '9999'),
            fc.integer({ min: 0, max: 9999 }).map((one) => String(one).padStart(4, '0')),
          ),
          two(12),
          two(31),
        )
        .map((parts) => parts.join('-'))
      const zone = fc.oneof(
        fc.constantFrom('Z', 'z', '', '+', 'X'),
        fc.tuple(fc.constantFrom('+', '-'), two(23), two(59)).map(([sign, hours, minutes]) => `${sign}${hours}:${minutes}`),
      )
      const clock = fc
        .tuple(fc.constantFrom('T', 't', ' '), two(24), two(60), two(60), fc.constantFrom('', '.5', '.1239', '.000', '.'), zone)
        .map(([t, hours, minutes, seconds, fraction, offset]) => `${t}${hours}:${minutes}:${seconds}${fraction}${offset}`)
      const text = fc.oneof(
        { weight: 1, arbitrary: day },
        { weight: 4, arbitrary: fc.tuple(day, clock).map((parts) => parts.join('')) },
        { weight: 1, arbitrary: fc.string() },
      )
      const tables = await engine.open(everyKind)
      await makeRole(tables)
      const { up, down } = rowSecurity(readBy(TRUE), options)
      await script(tables, up)
      try {
        await fc.assert(
          fc.asyncProperty(fc.array(text, { minLength: 1, maxLength: 60 }), async (all) => {
            const texts = all.filter((one) => !one.includes('\u0000'))
            const claims = JSON.stringify({ at: texts })
            const one = sql.raw(`(extract(epoch from ${FUNCTIONS}.time_of(jsonb_build_object('t', e), '{t}')) * 1000)::bigint::text`)
            const { rows: found } = await sql<{
              at: string | null
            }>`select ${one} as at from jsonb_array_elements(${claims}::jsonb -> 'at') as e`.execute(tables)
            expect(found.map(({ at }, index) => [texts[index], at === null ? undefined : Number(at)])).to.deep.equal(
              texts.map((one) => [one, instant(one)]),
            )
            const listed = await sql<{ list: string[] }>`select ${sql.raw(FUNCTIONS)}.times_of(${claims}::jsonb, '{at}') as list`.execute(
              db,
            )
            expect(listed.rows[0]?.list).to.deep.equal(
              texts.flatMap((one) => instant(one) ?? []).map((time) => new Date(time).toISOString()),
            )
          }),
          { numRuns: tries(8, 60) },
        )
      } finally {
        await script(tables, down)
      }
    })

    it('takes times of lists of claims however they are written, on both sides', async () => {
      const tables = await engine.open(everyKind)
      await makeRole(tables)
      const list = { kind: 'claim', path: ['timeList'], type: 'time', list: true, optional: true }
      await fill(tables, postgres, [{ id: 't-0' }] as never, layoutOf(everyKind))
      const { up, down } = rowSecurity(
        readBy({ kind: 'compare', by: 'overlaps', left: list, right: list } as unknown as ConditionNode),
        options,
      )
      await script(tables, up)
      const seen = async (claims: object) =>
        seenAs(tables, null, 0, async (trx) => {
          await sql`select set_config('pachter.me', ${JSON.stringify(claims)}, true)`.execute(trx)
          return keys(await trx.selectFrom('thing').select('id').execute())
        })
      try {
        for (const time of ['2023-11-14', '2023-11-14t10:00:00.5+02:00', '0000-01-01', '9999-12-31T23:59:59Z'])
          expect(await seen({ id: 'm-1', timeList: [time] }), time).to.deep.equal(['t-0'])
        for (const none of ['2023-02-30', '2023-11-14T10:00:60Z', '', 7, null])
          expect(await seen({ id: 'm-1', timeList: [none] }), String(none)).to.deep.equal([])
      } finally {
        await script(tables, down)
      }
    })

    it('shows the rows on which random conditions hold', () => agreesInRowSecurity(engine, 60))
    it('in tables of other names and types, too', () => agreesInRowSecurity(engine, 60, undefined, true))
  })
