import { type Kysely, sql } from 'kysely'
import { type ConditionNode, newContext, type Predicate, predicate, type Row, simplify, TRUE } from '../../condition/index.js'
import { type Key, keyOf, type Model, type TypeModel, typeModel } from '../../rulebook/index.js'
import { type ColumnPlace, type Dialect, heldRules, type Layout, layoutOf, postgres, type TablePlace } from '../../sql/index.js'
import { claimsAlone, readClaims } from '../../viewpoint/index.js'
import { person } from '../asker.js'
import type { PlaceValue, SortStep, Tables } from '../tables.js'
import { BatchLinks } from './batch-links.js'
import { overKysely } from './over-kysely.js'

/** What to compare, and how. */
export interface VerifyOptions {
  /** The people: claims by name; null is a visitor. */
  readonly people: { readonly [name: string]: Row | null }
  /** The record types. Default: all. */
  readonly types?: readonly string[]
  readonly layout?: Layout
  /** The time at which everything is judged. Default: the start of the run. */
  readonly now?: Date
  /** The number of records in memory at once, besides linked records. Default: 1,000. */
  readonly batch?: number
  /** PostgreSQL: the role of the row security policies. Default: row security is not compared. */
  readonly role?: string
  /** The fields that row security withholds from everyone, as passed to `rowSecurity`. */
  readonly withhold?: readonly string[]
  /** Called with the progress. */
  readonly progress?: (type: string, done: number, all: number) => void
}

/** The number of rows on which a person may do an action: by SQL, in memory, and by row security. */
export interface Compared {
  readonly type: string
  readonly person: string
  readonly action: string
  readonly sql: number
  readonly memory: number
  /** Only for read, if row security is compared: what it shows, and what it should show. */
  readonly rowSecurity?: { readonly shown: number; readonly meant: number }
}

/** A record with different results. */
export interface Difference {
  readonly type: string
  readonly person: string
  readonly action: string
  readonly key: Key
  readonly sql: boolean
  readonly memory: boolean
  readonly rowSecurity?: { readonly shown: boolean; readonly meant: boolean }
}

/** The result of a comparison. */
export interface Verified {
  readonly compared: readonly Compared[]
  readonly differences: readonly Difference[]
  /** The number of compared records, by type. */
  readonly records: { readonly [type: string]: number }
}

/**
 * Compares, on your own database, for each person, record type and action: the rows that SQL selects, the rows for which the in-memory
 * evaluator says that the rule holds, and the rows that row security shows. It uses one read-only transaction, so that nothing changes
 * meanwhile, and works in batches.
 * @example
 * const { differences } = await verify(book, db, postgres, { people: { ines: { id: 'm-01' }, visitor: null } })
 */
export async function verify(
  book: { readonly model: Model },
  db: Kysely<any>,
  dialect: Dialect,
  options: VerifyOptions,
): Promise<Verified> {
  const begun = db.transaction()
  const apart = dialect.transactions.lock === undefined ? begun : begun.setIsolationLevel('repeatable read').setAccessMode('read only')
  return apart.execute(async (trx) => {
    const verifier = new Verifier(book.model, trx, dialect, options)
    for (const type of options.types ?? Object.keys(book.model.types)) await verifier.compare(typeModel(book.model, type))
    return verifier.verified()
  })
}

/** One person and action: the result of SQL so far, and the evaluator in memory. */
interface Question {
  readonly person: string
  readonly action: string
  readonly claims: Row | null
  readonly when: ConditionNode
  readonly test: Predicate
  readonly bySql: Keys
  readonly meant?: Predicate
  readonly shown?: Keys
  readonly counts: { sql: number; memory: number; shown: number; meant: number }
}

class Verifier {
  readonly #model: Model
  readonly #db: Kysely<any>
  readonly #options: VerifyOptions
  readonly #tables: Tables
  readonly #now: number
  readonly #batch: number
  readonly #compared: Compared[] = []
  readonly #differences: Difference[] = []
  readonly #records: Record<string, number> = {}

  constructor(model: Model, db: Kysely<any>, dialect: Dialect, options: VerifyOptions) {
    this.#model = model
    this.#db = db
    this.#options = options
    this.#tables = overKysely(db, dialect, options.layout === undefined ? {} : { layout: options.layout })(model)
    this.#now = (options.now ?? new Date()).getTime()
    this.#batch = options.batch ?? 1000
  }

  verified(): Verified {
    return { compared: this.#compared, differences: this.#differences, records: this.#records }
  }

  async compare(type: TypeModel): Promise<void> {
    const questions = await this.#questions(type)
    const all = await this.#tables.count(type.name, { where: TRUE, now: this.#now })
    let done = 0
    const sort = type.keys.map((field) => ({ field, descending: false }))
    for (let after: readonly PlaceValue[] | undefined; ; ) {
      const rows = (
        await this.#tables.select(type.name, { where: TRUE, now: this.#now, sort, limit: this.#batch, ...(after ? { after } : {}) })
      ).map(({ row }) => row)
      await this.#judge(type, questions, rows)
      done += rows.length
      this.#options.progress?.(type.name, done, all)
      if (rows.length < this.#batch) break
      after = type.keys.map((name) => rows.at(-1)?.[name] as PlaceValue)
    }
    this.#records[type.name] = done
    for (const { person, action, counts, shown } of questions) {
      const rowSecurity = shown === undefined ? {} : { rowSecurity: { shown: counts.shown, meant: counts.meant } }
      this.#compared.push({ type: type.name, person, action, sql: counts.sql, memory: counts.memory, ...rowSecurity })
    }
  }

  async #questions(type: TypeModel): Promise<Question[]> {
    const questions: Question[] = []
    const { role, withhold = [] } = this.#options
    const withheld = withhold.filter((name) => name.startsWith(`${type.name}.`)).map((name) => name.slice(type.name.length + 1))
    const held = role === undefined ? undefined : heldRules(this.#model, type, withheld)
    for (const [name, given] of Object.entries(this.#options.people)) {
      const claims = readClaims(this.#model.me, given) as Row | null
      const asker = await person(this.#model, claims, new Date(this.#now)).now(this.#tables, [type.name])
      const viewpoint = asker.viewpoint as NonNullable<typeof asker.viewpoint>
      for (const action of type.actions) {
        // A record that is to be created is not a row yet.
        if (action === 'create') continue
        const { when } = viewpoint.rules(type.name, action)
        const bySql = new Keys(type, this.#batch, (page) => this.#tables.select(type.name, { ...page, where: when, now: this.#now }))
        const security =
          held !== undefined && action === 'read' ? this.#security(type, claims, simplify(held.read, viewpoint.me as Row | null)) : {}
        questions.push({
          person: name,
          action,
          claims,
          when,
          test: predicate(when),
          bySql,
          ...security,
          counts: { sql: 0, memory: 0, shown: 0, meant: 0 },
        })
      }
    }
    return questions
  }

  /** What row security shows, queried as the role with the claims set. */
  #security(type: TypeModel, claims: Row | null, meant: ConditionNode): Pick<Question, 'shown' | 'meant'> {
    const place = (this.#options.layout ?? layoutOf({ model: this.#model })).tables[type.name] as TablePlace
    const parts = type.keys.map((name) => {
      const { name: column, as } = place.columns[name] as ColumnPlace
      const held = { ref: sql.id(place.name, column), ...(as ? { as } : {}) }
      return { name, column, ref: held.ref, value: postgres.expressions.column(held, [], (type.fields[name] as { type: never }).type) }
    })
    const table = place.schema === undefined ? place.name : `${place.schema}.${place.name}`
    const shown = new Keys(type, this.#batch, async ({ after, limit }) => {
      // Selecting what the role has no grant for would be an error and end the transaction.
      const allowed = sql<boolean>`${sql.join(
        parts.map(
          ({ column }) => sql`has_column_privilege(${this.#options.role}, ${sql.lit(tableName(place))}::regclass, ${column}, 'select')`,
        ),
        sql` and `,
      )}`
      if ((await this.#db.selectNoFrom(allowed.as('may')).executeTakeFirst())?.may !== true) return []
      const me = claims === null ? '' : JSON.stringify(claimsAlone(this.#model, claims))
      await sql`set local role ${sql.id(this.#options.role as string)}`.execute(this.#db)
      await sql`select set_config('pachter.me', ${me}, true), set_config('pachter.now', ${new Date(this.#now).toISOString()}, true)`.execute(
        this.#db,
      )
      try {
        let query = this.#db.selectFrom(table).select(parts.map(({ name, value }) => sql<PlaceValue>`${value}`.as(name)))
        for (const { ref } of parts) query = query.orderBy(ref)
        // Row by row in the order of the key.
        const refs = sql.join(parts.map(({ ref }) => ref))
        if (after !== undefined) query = query.where(sql<never>`(${refs}) > (${sql.join(after)})`)
        return (await query.limit(limit).execute()).map((row) => ({ row: row as Row }))
      } finally {
        await sql`reset role`.execute(this.#db)
      }
    })
    return { shown, meant: predicate(meant) }
  }

  async #judge(type: TypeModel, questions: readonly Question[], rows: readonly Row[]): Promise<void> {
    const keys = rows.map((row) => keyOf(type, row))
    const isLast = rows.length < this.#batch
    const links = new BatchLinks(this.#tables, this.#now)
    const env = () => ({ me: null, now: this.#now, links, context: newContext() })
    for (const question of questions) {
      const selected = await question.bySql.among(keys, isLast)
      const shown = await question.shown?.among(keys, isLast)
      const held = await links.answered(rows, (row) => question.test(row, env()))
      const meant = question.meant && (await links.answered(rows, (row) => question.meant?.(row, env()) === true))
      for (const [at, row] of rows.entries()) {
        const key = keyOf(type, row)
        this.#note(type, question, key, {
          sql: selected.delete(key),
          memory: held[at] === true,
          ...(shown && meant ? { rowSecurity: { shown: shown.delete(key), meant: meant[at] === true } } : {}),
        })
      }
      // A selected row that does not exist: impossible within one transaction.
      for (const key of [...selected, ...(shown ?? [])]) this.#note(type, question, key, { sql: selected.has(key), memory: false })
    }
  }

  #note(type: TypeModel, { person, action, counts }: Question, key: Key, found: Pick<Difference, 'sql' | 'memory' | 'rowSecurity'>): void {
    counts.sql += Number(found.sql)
    counts.memory += Number(found.memory)
    counts.shown += Number(found.rowSecurity?.shown ?? false)
    counts.meant += Number(found.rowSecurity?.meant ?? false)
    const same = found.sql === found.memory && found.rowSecurity?.shown === found.rowSecurity?.meant
    if (!same) this.#differences.push({ type: type.name, person, action, key, ...found })
  }
}

/** Which keys to read: the first ones after a key. */
type KeyPage = { readonly sort: SortStep[]; readonly limit: number; readonly after?: readonly PlaceValue[] }

/** Some of the keys of a table, read page by page in the order of the database. */
class Keys {
  readonly #read: (page: KeyPage) => Promise<readonly { readonly row: Row }[]>
  readonly #type: TypeModel
  readonly #limit: number
  #ahead: Key[] = []
  #last: Row | undefined
  #ended = false

  constructor(type: TypeModel, limit: number, read: (page: KeyPage) => Promise<readonly { readonly row: Row }[]>) {
    this.#type = type
    this.#limit = limit
    this.#read = read
  }

  /** Those among the next keys of the table, which are in the same order. After the last ones, also those that are in no row. */
  async among(keys: readonly Key[], isLast: boolean): Promise<Set<Key>> {
    const found = new Set<Key>()
    for (const key of keys) {
      await this.#fill()
      if (this.#ahead[0] === key) found.add(this.#ahead.shift() as Key)
    }
    while (isLast && (await this.#fill())) found.add(this.#ahead.shift() as Key)
    return found
  }

  async #fill(): Promise<boolean> {
    if (this.#ahead.length === 0 && !this.#ended) {
      const { keys } = this.#type
      const after = this.#last === undefined ? {} : { after: keys.map((name) => this.#last?.[name] as PlaceValue) }
      const page = await this.#read({ sort: keys.map((field) => ({ field, descending: false })), limit: this.#limit, ...after })
      this.#ahead = page.map(({ row }) => keyOf(this.#type, row))
      this.#last = page.at(-1)?.row ?? this.#last
      this.#ended = page.length < this.#limit
    }
    return this.#ahead.length > 0
  }
}

function tableName({ schema, name }: TablePlace): string {
  return [schema, name].flatMap((one) => (one === undefined ? [] : [`"${one.replaceAll('"', '""')}"`])).join('.')
}
