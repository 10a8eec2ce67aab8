// Tables as applications have them: text in collations under which different texts are the same.
import { expect } from 'chai'
import { type Kysely, sql } from 'kysely'
import { rulebook, toMany, toOne } from 'pachter'
import { overKysely } from 'pachter/kysely'
import { postgres } from 'pachter/sql'
import { openStore } from 'pachter/store'
import { z } from 'zod'
import { agreesInCollations } from '../support/collations.js'
import { type Engine, engines } from '../support/engines.js'
import { agreesInCollatedRulebooks } from '../support/rulebooks.js'
import { tries } from '../support/tries.js'

const id = z.string()
const Doc = z.object({ id, ownerId: id, team: id, level: z.int() })
const Grant = z.object({ id, docId: id, memberId: id })
const bare = rulebook({
  me: { shape: z.object({ id }), key: 'id' },
  records: {
    doc: {
      shape: Doc,
      key: 'id',
      links: { grants: toMany('grant', 'docId'), seats: toMany('seat', { team: 'team' }) },
    },
    grant: { shape: Grant, key: 'id' },
    seat: { shape: z.object({ id, team: id, memberId: id, level: z.int() }), key: 'id' },
  },
}).standings({
  doc: (doc, { me }) => ({
    owner: doc.ownerId.is(me.id),
    granted: doc.grants.some((grant) => grant.memberId.is(me.id)),
    seated: doc.seats.some((seat) => seat.memberId.is(me.id).and(seat.level.isAtLeast(doc.level))),
  }),
})

const book = bare.rules({ doc: (_, { standing: { owner, granted, seated } }) => ({ may: { read: [owner, granted, seated] } }) })

const vetoed = bare.rules({
  doc: (_, { standing: { owner, granted, seated }, signedIn }) => ({
    may: { read: [signedIn] },
    vetoes: [{ actions: ['read'], provided: signedIn.and(owner.or(granted, seated)), message: 'Not this one.' }],
  }),
})

/** Whoever is signed in does anything, and grants go with their document. */
const cascading = rulebook({
  me: { shape: z.object({ id }), key: 'id' },
  records: {
    doc: { shape: Doc, key: 'id' },
    grant: { shape: Grant, key: 'id', links: { doc: toOne('doc', 'docId', { onDelete: 'delete' }) } },
  },
}).rules({
  doc: (_, { signedIn }) => ({ may: { read: [signedIn], update: [signedIn], delete: [signedIn] } }),
  grant: (_, { signedIn }) => ({ may: { read: [signedIn], create: [signedIn], delete: [signedIn] } }),
})

/** What a collation takes for the same, each a team of its own. */
const TEAMS = ['red', 'RED', 'réd', 'red ', 'ｒｅｄ']

async function fill(db: Kysely<any>, type: string): Promise<void> {
  await sql`create table doc (id ${sql.raw(type)} primary key, ${sql.ref('ownerId')} ${sql.raw(type)} not null, team ${sql.raw(type)} not null, level bigint not null)`.execute(
    db,
  )
  await sql`create table ${sql.ref('grant')} (id ${sql.raw(type)} primary key, ${sql.ref('docId')} ${sql.raw(type)} not null, ${sql.ref('memberId')} ${sql.raw(type)} not null)`.execute(
    db,
  )
  await sql`create table seat (id ${sql.raw(type)} primary key, team ${sql.raw(type)} not null, ${sql.ref('memberId')} ${sql.raw(type)} not null, level bigint not null)`.execute(
    db,
  )
  await sql`create index doc_team on doc (team)`.execute(db)
  await sql`create index seat_member on seat (${sql.ref('memberId')})`.execute(db)
  const docs = TEAMS.flatMap((team, at) => [1, 2].map((copy) => ({ id: `d${at}${copy}`, ownerId: 'somebody', team, level: 1 })))
  await db.insertInto('doc').values(docs).execute()
  await db
    .insertInto('doc')
    .values([
      { id: 'd4', ownerId: 'x', team: 'none', level: 1 },
      { id: 'd1', ownerId: 'x', team: 'none', level: 1 },
      { id: 'd5', ownerId: 'Kim', team: 'none', level: 1 },
      { id: 'd6', ownerId: 'kim', team: 'none', level: 1 },
    ])
    .execute()
  // Each leads to a document only if its key is read loosely.
  await db
    .insertInto('grant')
    .values([
      { id: 'g1', docId: 'D4', memberId: 'kim' },
      { id: 'g2', docId: 'd1 ', memberId: 'kim' },
      { id: 'g3', docId: 'd4', memberId: 'Kim' },
    ])
    .execute()
  await db
    .insertInto('seat')
    .values([
      { id: 's1', team: 'RED', memberId: 'kim', level: 5 },
      { id: 's2', team: 'réd', memberId: 'KIM', level: 5 },
      { id: 's3', team: 'red ', memberId: 'lou', level: 0 },
    ])
    .execute()
}

/** What each of them sees, whatever the collation. */
const SEEN = { kim: ['d11', 'd12', 'd6'], Kim: ['d4', 'd5'], KIM: ['d21', 'd22'], lou: [] as string[], Lou: [] as string[] }

const COLLATIONS: { readonly [name: string]: readonly string[] } = {
  mariadb: [
    'varchar(60)',
    ...['general_ci', 'unicode_520_ci', 'unicode_nopad_ci', 'uca1400_swedish_ai_ci'].map(
      (one) => `varchar(60) character set utf8mb4 collate ${one.startsWith('uca') ? one : `utf8mb4_${one}`}`,
    ),
  ],
  postgres: ['text', 'text collate "en-US-x-icu"', 'text collate pachter_level1'],
  sqlite: ['text', 'text collate nocase'],
}

describe('tables in collations under which different texts are the same', () => {
  for (const engine of engines.filter(({ name }) => name !== 'PGlite')) {
    for (const type of COLLATIONS[engine.dialect.name] ?? [])
      it(`in ${engine.name}, ${type}: lists, counts and vetoes compare code point by code point`, async () => {
        await inTables(engine, type, async (db) => {
          const store = openStore(book, overKysely(db, engine.dialect))
          const hidden = openStore(vetoed, overKysely(db, engine.dialect))
          const all = (await store.asSystem('look').list('doc')).map((doc) => doc.id)
          const system = store.asSystem('look')
          const described = await system.list('doc', { include: { grants: true } })
          const asked = async (id: string, team: string) => [
            (await system.list('doc', { where: (doc) => doc.id.is(id) })).length,
            await system.count('doc', { where: (doc) => doc.team.is(team) }),
          ]
          for (const { id, team, grants } of described) {
            expect(
              grants.map((grant) => grant.docId),
              `along with ${id}`,
            ).to.deep.equal(grants.map(() => id))
            const alike = described.filter((doc) => doc.team === team).length
            expect(await asked(id, team)).to.deep.equal([1, alike])
            expect(await asked(id.toUpperCase(), `${team} `)).to.deep.equal([0, described.filter((doc) => doc.team === `${team} `).length])
          }
          expect(described.flatMap((doc) => doc.grants.map((grant) => grant.id))).to.have.members(['g3'])
          const teams = new Map<string, number>()
          for (const { team } of described) teams.set(team, (teams.get(team) ?? 0) + 1)
          expect((await system.countBy('doc', 'team')).map(({ value, count }) => [value, count])).to.have.deep.members([...teams])
          for (const [who, seen] of Object.entries(SEEN)) {
            const mine = store.for({ id: who })
            expect(
              (await mine.list('doc')).map((doc) => doc.id),
              who,
            ).to.deep.equal(seen)
            expect(await mine.count('doc'), who).to.equal(seen.length)
            const gotten = await Promise.all(all.map((key) => mine.verdict('read', 'doc', key)))
            expect(
              all.filter((_, at) => gotten[at]?.allowed),
              `${who}, one by one`,
            ).to.deep.equal(seen)
            expect(
              (await hidden.for({ id: who }).list('doc')).map((doc) => doc.id),
              `withheld from ${who}`,
            ).to.deep.equal(all.filter((key) => !seen.includes(key)))
            const pages: string[] = []
            for (let after: string | undefined; ; ) {
              const page = await hidden.for({ id: who }).page('doc', { sort: ['team'], size: 3, ...(after === undefined ? {} : { after }) })
              pages.push(...page.records.map((doc) => doc.id))
              if (page.next === undefined) break
              after = page.next
            }
            expect(pages.sort(), `by pages, withheld from ${who}`).to.deep.equal(all.filter((key) => !seen.includes(key)))
          }
        })
      })
    for (const type of COLLATIONS[engine.dialect.name]?.slice(0, 3) ?? [])
      it(`in ${engine.name}, ${type}: writes are of the record of exactly that key, and what goes along with it`, async () => {
        await inTables(engine, type, async (db) => {
          const store = openStore(cascading, overKysely(db, engine.dialect))
          const system = store.asSystem('look')
          const grants = async () => (await system.list('grant')).map((grant) => grant.id)
          const mine = store.for({ id: 'kim' })
          for (const key of ['D4', 'd4 ', 'd４']) {
            expect((await mine.verdict('delete', 'doc', key)).outcome, key).to.equal('not found')
            expect(await mine.delete('doc', key).catch((error: { code: string }) => error.code), key).to.equal('NOT_FOUND')
            expect(await mine.update('doc', key, { level: 9 }).catch((error: { code: string }) => error.code), key).to.equal('NOT_FOUND')
          }
          await mine.update('doc', 'd4', { level: 7 })
          expect((await system.list('doc', { where: (doc) => doc.level.is(7) })).map((doc) => doc.id)).to.deep.equal(['d4'])
          const unseen = await mine.create('grant', { docId: 'D4', memberId: 'kim' }).catch((error: { code: string }) => error.code)
          expect(unseen, 'a grant on a key that no document has').to.equal('INVALID')
          await mine.updateMany('doc', { where: (doc) => doc.team.is('RED') }, { level: 3 })
          expect((await system.list('doc', { where: (doc) => doc.level.is(3) })).every((doc) => doc.team === 'RED')).to.equal(true)
          await mine.delete('doc', 'd1')
          expect(await grants(), 'a grant on "d1 " is none on "d1"').to.have.members(['g1', 'g2', 'g3'])
          await mine.delete('doc', 'd4')
          expect(await grants(), 'a grant on "D4" is none on "d4"').to.have.members(['g1', 'g2'])
        })
      })
    it(`in ${engine.name}: random conditions find the same rows on each path`, () => agreesInCollations(engine, tries(8, 24)))
    it(`in ${engine.name}: random rulebooks show the same rows`, () => agreesInCollatedRulebooks(engine, 24))
  }
})

async function inTables(engine: Engine, type: string, work: (db: Kysely<any>) => Promise<void>): Promise<void> {
  const none = rulebook({ me: { shape: z.object({ id }), key: 'id' }, records: {} })
  const db = await engine.open(none, {
    before: async (one) => {
      if (engine.dialect === postgres)
        await sql`create collation if not exists pachter_level1 (provider = icu, locale = 'und-u-ks-level1', deterministic = false)`.execute(
          one,
        )
    },
  })
  for (const table of ['doc', 'grant', 'seat']) await sql`drop table if exists ${sql.ref(table)}`.execute(db)
  await fill(db, type)
  try {
    await work(db)
  } finally {
    for (const table of ['doc', 'grant', 'seat']) await sql`drop table if exists ${sql.ref(table)}`.execute(db)
  }
}
