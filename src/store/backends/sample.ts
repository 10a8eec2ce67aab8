import type { Kysely } from 'kysely'
import { allOfNode, type Comparable, type ConditionNode, type LinkNode, linkValues, type Row, TRUE } from '../../condition/index.js'
import { type Key, keyOf, type Model, typeModel } from '../../rulebook/index.js'
import { type Dialect, type Layout, readLayout } from '../../sql/index.js'
import { placeIs, placeIsOneOf } from '../read/key-conditions.js'
import type { Tables } from '../tables.js'
import type { Records } from './memory.js'
import { overKysely } from './over-kysely.js'

/** How many records to read, and how. */
export interface SampleOptions {
  /** The records of each type, by the lowest keys. */
  readonly of: number
  /** Default: read from the database. */
  readonly layout?: Layout
}

// More values in one query are read in several.
const MOST_VALUES = 500

/**
 * Reads a connected sample of a database at one moment: so many records of each type, and every record that these lead to by links to one.
 * @example
 * const records = await sample(book, db, postgres, { of: 50 })
 * @throws LayoutError where a table or column is not there, RowError where a row does not fit its record type
 */
export async function sample(
  book: { readonly model: Model },
  db: Kysely<any>,
  dialect: Dialect,
  { of, layout }: SampleOptions,
): Promise<Records> {
  const begun = db.transaction()
  const apart = dialect.transactions.lock === undefined ? begun : begun.setIsolationLevel('repeatable read').setAccessMode('read only')
  return apart.execute(async (trx) => {
    const tables = overKysely(trx, dialect, { layout: layout ?? (await readLayout(trx, dialect, book)) })(book.model)
    return new Sample(book.model, tables).read(of)
  })
}

class Sample {
  readonly #model: Model
  readonly #tables: Tables
  readonly #now = Date.now()
  readonly #found: ReadonlyMap<string, Map<Key, Row>>

  constructor(model: Model, tables: Tables) {
    this.#model = model
    this.#tables = tables
    this.#found = new Map(Object.keys(model.types).map((name) => [name, new Map<Key, Row>()]))
  }

  async read(of: number): Promise<Records> {
    for (const { name, keys } of Object.values(this.#model.types)) {
      const sort = keys.map((field) => ({ field, descending: false }))
      const first = await this.#tables.select(name, { where: TRUE, now: this.#now, sort, limit: of })
      await this.#add(
        name,
        first.map(({ row }) => row),
      )
    }
    return Object.fromEntries([...this.#found].map(([name, rows]) => [name, [...rows.values()]]))
  }

  /** Adds records, and those that they lead to. */
  async #add(name: string, rows: readonly Row[]): Promise<void> {
    const type = typeModel(this.#model, name)
    const there = this.#found.get(name) as Map<Key, Row>
    const fresh = rows.filter((row) => !there.has(keyOf(type, row)))
    for (const row of fresh) there.set(keyOf(type, row), row)
    for (const link of Object.values(type.links)) if (!link.many && fresh.length > 0) await this.#follow(link, fresh)
  }

  async #follow(link: LinkNode, rows: readonly Row[]): Promise<void> {
    const ways = new Map(
      rows.flatMap((row) => [linkValues(link.by, row) ?? []].filter(({ length }) => length > 0)).map((way) => [way.join('\0'), way]),
    )
    const all = [...ways.values()]
    for (let at = 0; at < all.length; at += MOST_VALUES) {
      const where = leadingTo(link, all.slice(at, at + MOST_VALUES))
      const found = await this.#tables.select(link.to, { where, now: this.#now })
      await this.#add(
        link.to,
        found.map(({ row }) => row),
      )
    }
  }
}

/** The condition for the records that a link leads to with any of these values. Several pairs may find a few more. */
function leadingTo({ by }: LinkNode, ways: readonly (readonly Comparable[])[]): ConditionNode {
  const tests = by.map(({ to }, at) => {
    const values = [...new Set(ways.map((way) => way[at] as Comparable))]
    return values.length === 1 ? placeIs(to, values[0] as Comparable) : placeIsOneOf(to, values)
  })
  return allOfNode(tests)
}
