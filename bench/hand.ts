// The same rules in hand-written SQL: tuned for each person, and in the plain form that people write first.
import { type Kysely, sql } from 'kysely'
import { type Dialect, postgres } from 'pachter/sql'

type Claims = { readonly id: string; readonly member?: { readonly roles: readonly string[]; readonly siteIds: readonly string[] } } | null
type Where = { readonly text: string; readonly values: readonly unknown[] }

const isTreasurer = (me: Claims) => me?.member?.roles.includes('treasurer') === true
const sitesOf = (me: Claims) => (me?.member?.roles.includes('warden') ? me.member.siteIds : [])

/** Tuned for each person: their roles are read before the query is built. */
const HAND: { readonly [dialect: string]: (me: Claims, now: Date) => Where } = {
  postgres(me, now) {
    if (isTreasurer(me)) return { text: 'true', values: [] }
    if (me === null) return { text: `state = 'vacant'`, values: [] }
    const helped = `id = any(array(select "plotId" from share where "memberId" = $1 and (until is null or until > $2::timestamptz)))`
    const sites = sitesOf(me)
    const own = `"holderId" = $1 or ${helped} or state = 'vacant'`
    return sites.length === 0
      ? { text: `(${own})`, values: [me.id, now.toISOString()] }
      : { text: `(${own} or "siteId" = any($3::text[]))`, values: [me.id, now.toISOString(), sites] }
  },
  mariadb(me, now) {
    if (isTreasurer(me)) return { text: 'true', values: [] }
    if (me === null) return { text: `state = 'vacant'`, values: [] }
    const time = now.toISOString().replace('T', ' ').slice(0, -1)
    const sites = sitesOf(me)
    const sets = [
      'select id from plot where holderId = ?',
      'select plotId from share where memberId = ? and (until is null or until > ?)',
      `select id from plot where state = 'vacant'`,
      ...(sites.length === 0 ? [] : [`select id from plot where siteId in (?)`]),
    ]
    return {
      text: `id in (select id from (${sets.join(' union ')}) as mine)`,
      values: [me.id, me.id, time, ...(sites.length === 0 ? [] : [sites])],
    }
  },
}

/** Tuned for each person, for a row that is named by its key: links are followed from that row. */
const HAND_ONE: { readonly [dialect: string]: (me: Claims, now: Date) => Where } = {
  postgres(me, now) {
    const sites = sitesOf(me)
    if (isTreasurer(me) || me === null) return HAND.postgres?.(me, now) as Where
    const helped = `exists (select from share where "plotId" = plot.id and "memberId" = $1 and (until is null or until > $2::timestamptz))`
    const own = `"holderId" = $1 or state = 'vacant' or ${helped}`
    return sites.length === 0
      ? { text: `(${own})`, values: [me.id, now.toISOString()] }
      : { text: `("siteId" = any($3::text[]) or ${own})`, values: [me.id, now.toISOString(), sites] }
  },
  mariadb(me, now) {
    const sites = sitesOf(me)
    if (isTreasurer(me) || me === null) return HAND.mariadb?.(me, now) as Where
    const helped = 'exists (select 1 from share where plotId = plot.id and memberId = ? and (until is null or until > ?))'
    const time = now.toISOString().replace('T', ' ').slice(0, -1)
    return sites.length === 0
      ? { text: `(holderId = ? or state = 'vacant' or ${helped})`, values: [me.id, me.id, time] }
      : { text: `(siteId in (?) or holderId = ? or state = 'vacant' or ${helped})`, values: [sites, me.id, me.id, time] }
  },
}

/** One query for all people, as people write it first: every branch is evaluated for every person. */
const PLAIN: { readonly [dialect: string]: (me: Claims, now: Date) => Where } = {
  postgres: (me, now) => ({
    text: `("holderId" = $1 or state = 'vacant' or exists (select from share where share."plotId" = plot.id and share."memberId" = $1 and (share.until is null or share.until > $2::timestamptz))
      or exists (select from member where member.id = $1 and (member.roles ? 'treasurer' or (member.roles ? 'warden' and member."siteIds" ? plot."siteId"))))`,
    values: [me?.id ?? null, now.toISOString()],
  }),
  mariadb: (me, now) => ({
    text: `(holderId = ? or state = 'vacant' or exists (select 1 from share where share.plotId = plot.id and share.memberId = ? and (share.until is null or share.until > ?))
      or exists (select 1 from member where member.id = ? and (json_contains(member.roles, '"treasurer"') or (json_contains(member.roles, '"warden"') and json_contains(member.siteIds, json_quote(plot.siteId))))))`,
    values: [me?.id ?? null, me?.id ?? null, now.toISOString().replace('T', ' ').slice(0, -1), me?.id ?? null],
  }),
}

/** The statements for a database and a person. */
export function handOf({ name }: Dialect, me: Claims, now: Date) {
  const [hand, one, plain] = [HAND[name], HAND_ONE[name], PLAIN[name]]
  if (hand === undefined || one === undefined || plain === undefined) throw new Error(`nobody tuned anything for ${name}`)
  return { HAND: hand(me, now), HAND_ONE: one(me, now), PLAIN: plain(me, now), update: updateBy(name, me, now) }
}

/** An update without races: locks the row, then the share that allows the change, and checks after that. */
function updateBy(name: string, me: Claims, now: Date) {
  const time = name === postgres.name ? now.toISOString() : now.toISOString().replace('T', ' ').slice(0, -1)
  const column = (one: string) => sql.id(one)
  const share = name === postgres.name ? sql`for share` : sql`lock in share mode`
  return async (connection: Kysely<any>, id: string, planting: string) => {
    await connection
      .transaction()
      .setIsolationLevel('read committed')
      .execute(async (trx) => {
        const { rows: members } = await sql<{ id: string }>`select * from member where id = ${me?.id} ${share}`.execute(trx)
        const { rows: found } = await sql<{ holderId: string; siteId: string }>`select * from plot where id = ${id} for update`.execute(trx)
        const [plot] = found
        let may = plot?.holderId === me?.id || (plot !== undefined && sitesOf(me).includes(plot.siteId))
        if (!may) {
          const shares =
            await sql`select * from share where ${column('plotId')} = ${id} and ${column('memberId')} = ${me?.id} and (until is null or until > ${time}) ${share}`.execute(
              trx,
            )
          may = shares.rows.length > 0
        }
        if (!may || members.length !== 1) throw new Error('refused')
        await sql`update plot set planting = ${planting} where id = ${id}`.execute(trx)
      })
  }
}
