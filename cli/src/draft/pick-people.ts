// Example people for a draft, picked from the database: one for each role, one for each tenant, and those with the most and the fewest records.
import { type Kysely, sql } from 'kysely'
import { RESERVED } from '../load.js'
import type { DraftType } from './draft.js'
import type { Guesses } from './guesses.js'
import { columnOf, tableOf } from './sql-names.js'
import { EMAIL } from './words.js'
import { sessionTenantOf } from './write-records.js'

/** A person of the configuration. */
export interface DraftPerson {
  readonly name: string
  readonly claims: { readonly [claim: string]: string | number }
  /** Why this one was picked. */
  readonly why: string
}

const MOST_ROLES = 8
const MOST_TENANTS = 3
const MOST_READ = 500
const LONGEST_TENANT = 12

type Value = string | number
interface Found {
  readonly id: Value
  readonly tenant?: Value | null
}

/** Picks people. Reads only: a few rows, and counts of one table. */
export async function pickPeople(db: Kysely<any>, types: readonly DraftType[], guesses: Guesses): Promise<DraftPerson[]> {
  const { people } = guesses
  if (people === undefined) return []
  const picker = new Picker(db, people, guesses)
  await picker.byRole()
  await picker.byTenant()
  // A person with records of one type may have none of another: the first type with records will do.
  for (const owner of guesses.all.filter((one) => one.kind === 'owner' && one.by === 'key')) {
    const owned = types.find(({ name }) => name === owner.type)
    if (owned !== undefined && (await picker.byCount(owned, owner.field as string))) break
  }
  if (picker.picked.length === 0) await picker.first()
  return picker.picked
}

class Picker {
  readonly picked: DraftPerson[] = []
  readonly #db: Kysely<any>
  readonly #people: DraftType
  readonly #guesses: Guesses
  readonly #tenant: string | undefined

  constructor(db: Kysely<any>, people: DraftType, guesses: Guesses) {
    this.#db = db
    this.#people = people
    this.#guesses = guesses
    this.#tenant = sessionTenantOf(guesses)
  }

  /** One person for each role, with its tenant. */
  async byRole(): Promise<void> {
    const { membership, all } = this.#guesses
    const roles = all.find(({ kind, type, field }) => kind === 'roles' && type === this.#people.name && !isFlag(this.#people, field))
    const type = membership?.type ?? this.#people
    const role = membership?.role ?? roles?.field
    if (role === undefined) return this.#byRoleList()
    for (const label of await this.#values(type, role, MOST_ROLES))
      await this.#firstWhere(type, role, label, String(label), `has the role ${label}`)
  }

  /** The same where people have lists of roles. */
  async #byRoleList(): Promise<void> {
    const field = this.#guesses.all.find(({ kind, type }) => kind === 'roles' && type === this.#people.name)?.field
    if (field === undefined || this.#people.fields.find(({ name }) => name === field)?.column.list !== true) return
    const { rows } = await sql<Found & { roles: unknown }>`select ${this.#key()} as id, ${columnOf(this.#people, field)} as roles
      from ${tableOf(this.#people.table)} order by 1 limit ${sql.lit(MOST_READ)}`.execute(this.#db)
    const seen = new Set<string>()
    for (const row of rows) {
      const roles = (typeof row.roles === 'string' ? JSON.parse(row.roles) : row.roles) as readonly unknown[] | null
      for (const role of roles ?? []) {
        if (seen.has(String(role)) || seen.size >= MOST_ROLES) continue
        seen.add(String(role))
        await this.#add([row], String(role), `has the role ${role}`)
      }
    }
  }

  /** One person for each of the first tenants. */
  async byTenant(): Promise<void> {
    const { tenant, membership } = this.#guesses
    const type = membership?.type ?? (tenant?.isOfPerson ? this.#people : undefined)
    if (tenant === undefined || type === undefined || !type.fields.some(({ name }) => name === tenant.field)) return
    for (const [at, key] of (await this.#values(type, tenant.field, MOST_TENANTS)).entries()) {
      const short = typeof key === 'string' && key.length <= LONGEST_TENANT ? key : `${tenant.type}-${at + 1}`
      await this.#firstWhere(type, tenant.field, key, `in-${short}`, `belongs to the ${tenant.type} ${key}`)
    }
  }

  /** The people with the most and the fewest records of a type, and one without any. False if there are no records. */
  async byCount(owned: DraftType, field: string): Promise<boolean> {
    const owner = columnOf(owned, field)
    const tenant = this.#tenantIn(owned)
    for (const [how, name] of [
      ['desc', 'most'],
      ['asc', 'fewest'],
    ] as const) {
      const { rows } = await sql<Found>`select ${owner} as id, ${tenant} as tenant from ${tableOf(owned.table)}
        where ${owner} is not null group by 1, 2 order by count(*) ${sql.raw(how)}, ${owner} limit 1`.execute(this.#db)
      if (rows.length === 0) return false
      await this.#add(rows, `${name}-${owned.name}`, `has the ${name} records in ${owned.table.name}`)
    }
    const { rows } = await sql<Found>`select ${this.#key()} as id from ${tableOf(this.#people.table)} where not exists
      (select 1 from ${tableOf(owned.table)} where ${owner} = ${this.#key()}) order by 1 limit 1`.execute(this.#db)
    await this.#add(rows, `no-${owned.name}`, `has no record in ${owned.table.name}`)
    return true
  }

  /** Anyone at all. */
  async first(): Promise<void> {
    const { rows } = await sql<Found>`select ${this.#key()} as id from ${tableOf(this.#people.table)} order by 1 limit 1`.execute(this.#db)
    await this.#add(rows, 'someone', `is the first in ${this.#people.table.name}`)
  }

  #key() {
    return columnOf(this.#people, this.#people.key[0] as string)
  }

  /** The tenant in a row of a type; null if such rows have none, or if the session does not name it. */
  #tenantIn(type: DraftType) {
    const isThere = this.#tenant !== undefined && type.fields.some(({ name }) => name === this.#tenant)
    return isThere ? columnOf(type, this.#tenant as string) : sql`null`
  }

  async #values(type: DraftType, field: string, most: number): Promise<readonly Value[]> {
    const { rows } = await sql<{ value: Value }>`select distinct ${columnOf(type, field)} as value from ${tableOf(type.table)}
      where ${columnOf(type, field)} is not null order by 1 limit ${sql.lit(most)}`.execute(this.#db)
    return rows.map(({ value }) => value)
  }

  /** The first person of a row with that value: of a membership, or of the people themselves. */
  async #firstWhere(type: DraftType, field: string, value: Value, name: string, why: string): Promise<void> {
    const { membership } = this.#guesses
    const person = type === this.#people ? (this.#people.key[0] as string) : (membership?.person as string)
    const { rows } = await sql<Found>`select ${columnOf(type, person)} as id, ${this.#tenantIn(type)} as tenant
      from ${tableOf(type.table)} where ${columnOf(type, field)} = ${value} order by 1 limit 1`.execute(this.#db)
    await this.#add(rows, name, why)
  }

  async #add([row]: readonly Found[], name: string, why: string): Promise<void> {
    if (row?.id === null || row?.id === undefined) return
    const claims = { id: asClaim(this.#people, this.#people.key[0], row.id), ...(await this.#tenantClaim(row)) }
    const same = this.picked.find((one) => JSON.stringify(one.claims) === JSON.stringify(claims))
    if (same !== undefined || (this.#tenant !== undefined && !(this.#tenant in claims))) return
    const label = await this.#label(row.id)
    const slug = slugOf(label === undefined ? name : `${name}-${label}`) || `person-${this.picked.length + 1}`
    const taken = this.picked.some((one) => one.name === slug) || RESERVED.includes(slug)
    this.picked.push({ name: taken ? `${slug}-${this.picked.length + 1}` : slug, claims, why })
  }

  async #tenantClaim(row: Found): Promise<{ [claim: string]: Value }> {
    const field = this.#tenant
    if (field === undefined) return {}
    if (row.tenant !== undefined && row.tenant !== null) return { [field]: row.tenant }
    const { membership } = this.#guesses
    if (membership === undefined || !membership.type.fields.some(({ name }) => name === field)) return {}
    const { type, person } = membership
    const { rows } = await sql<{
      tenant: Value | null
    }>`select ${columnOf(type, field)} as tenant from ${tableOf(type.table)} where ${columnOf(type, person)} = ${row.id} order by 1 limit 1`.execute(
      this.#db,
    )
    const tenant = rows[0]?.tenant
    return tenant === null || tenant === undefined ? {} : { [field]: tenant }
  }

  /** The first name of the person, or what is before the @ of their address. */
  async #label(id: Value): Promise<string | undefined> {
    const { fields } = this.#people
    const named =
      fields.find(({ name }) => /^(first|given|display|full|user)?name$|^login$/i.test(name)) ?? fields.find(({ name }) => EMAIL.test(name))
    if (named === undefined) return undefined
    const { rows } = await sql<{
      label: unknown
    }>`select ${columnOf(this.#people, named.name)} as label from ${tableOf(this.#people.table)} where ${this.#key()} = ${id}`.execute(
      this.#db,
    )
    return typeof rows[0]?.label === 'string' ? rows[0].label.split(/[@\s]/)[0] : undefined
  }
}

// Drivers return large whole numbers as text.
function asClaim({ fields }: DraftType, name: string | undefined, value: Value): Value {
  return fields.find((one) => one.name === name)?.column.kind === 'integer' ? Number(value) : value
}

function isFlag({ fields }: DraftType, name: string | undefined): boolean {
  const column = fields.find((one) => one.name === name)?.column
  return column?.kind === 'boolean' || column?.list === true
}

function slugOf(text: string): string {
  return text
    .normalize('NFKD')
    .replace(/\p{M}/gu, '')
    .toLowerCase()
    .replace(/[^a-z\d]+/g, '-')
    .replace(/^[^a-z]+|-+$/g, '')
    .slice(0, 40)
}
