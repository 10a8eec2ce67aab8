import { type Kysely, sql } from 'kysely'
import { type ConditionNode, followsLinks, shapeOf } from '../../condition/index.js'
import { keyPlaces } from '../../rulebook/index.js'
import { type Dialect, keyQueries } from '../../sql/index.js'
import type { Placed } from './tables-placed.js'

/** Which of the queries of keys of a condition find many rows. */
export type Broad = readonly boolean[]

const NONE: Broad = []
/** How long an answer is used again, in milliseconds. An old one costs time, and changes no result. */
const KEPT_FOR = 300_000
/** How many answers are kept. */
const MOST = 5_000
// Measured on MariaDB 10.11: a key in a union takes about 40 microseconds, a row in an OR about 2.
const SHARE = 1 / 20
const LEAST_KEYS = 200
const MOST_KEYS = 5_000

interface Kept<T> {
  readonly until: number
  readonly answer: Promise<T>
}

/**
 * Finds out how many rows the alternatives of a condition hold on, where the database would make a union of their keys. A union is the
 * fastest way to a few rows and the slowest to many, and the database does not choose.
 */
export class Breadth {
  readonly #dialect: Dialect
  readonly #answers = new Map<string, Kept<Broad>>()
  readonly #rows = new Map<string, Kept<number>>()

  constructor(dialect: Dialect) {
    this.#dialect = dialect
  }

  /** Asks the database, at most once for the same condition in some minutes. With `asks` false, only what is known already is told. */
  async of(db: Kysely<any>, place: Placed, where: ConditionNode, now: number, asks: boolean): Promise<Broad> {
    const { rowsAbout } = this.#dialect.expressions
    // Only a condition with links becomes a union of keys.
    if (rowsAbout === undefined || !followsLinks(where)) return NONE
    const { text, literals } = shapeOf(where)
    const key = JSON.stringify([place.table, text, literals.map(({ value }) => value)])
    const there = this.#answers.get(key)
    const isFresh = there !== undefined && there.until > Date.now()
    if (!isFresh && !asks) return NONE
    return isFresh ? there.answer : keep(this.#answers, key, () => this.#ask(db, place, where, now))
  }

  async #ask(db: Kysely<any>, place: Placed, where: ConditionNode, now: number): Promise<Broad> {
    const { model, layout } = place
    const options = {
      dialect: this.#dialect,
      now,
      layout,
      type: model.name,
      table: place.place.name,
      finds: 'rows',
      key: keyPlaces(model),
    } as const
    const queries = keyQueries(where, options)
    if (queries.length === 0) return NONE
    const rows = await this.#rowsOf(db, place)
    const most = Math.ceil(Math.min(MOST_KEYS, Math.max(LEAST_KEYS, rows * SHARE)))
    const counts = queries.map((query, at) =>
      sql<number>`(select count(*) from (${query} limit ${sql.lit(most + 1)}) as found)`.as(`keys_${at}`),
    )
    const [found] = await db.selectNoFrom(counts).execute()
    const broad = queries.map((_, at) => Number((found as Record<string, unknown>)[`keys_${at}`]) > most)
    return broad.includes(true) ? Object.freeze(broad) : NONE
  }

  #rowsOf(db: Kysely<any>, { table, place }: Placed): Promise<number> {
    const there = this.#rows.get(table)
    if (there !== undefined && there.until > Date.now()) return there.answer
    return keep(this.#rows, table, async () => {
      const { rowsAbout } = this.#dialect.expressions
      const [found] = await db.selectNoFrom(sql<number>`${rowsAbout?.(place)}`.as('about')).execute()
      return Number(found?.about ?? 0)
    })
  }
}

function keep<T>(kept: Map<string, Kept<T>>, key: string, ask: () => Promise<T>): Promise<T> {
  const answer = ask()
  for (const oldest of kept.keys()) {
    if (kept.size < MOST) break
    kept.delete(oldest)
  }
  // Deleted first, so that it is the youngest again.
  kept.delete(key)
  kept.set(key, { until: Date.now() + KEPT_FOR, answer })
  answer.catch(() => kept.delete(key))
  return answer
}
