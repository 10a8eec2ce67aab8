import { allOfNode, type Comparable, type Links, type PlaceNode, type Row, waysAt } from '../../condition/index.js'
import { placeIsOneOf } from '../read/key-conditions.js'
import type { Tables } from '../tables.js'

/** Linked records that were requested and not read yet. */
interface Wanted {
  readonly type: string
  readonly places: readonly PlaceNode[]
  readonly ways: Map<string, readonly Comparable[]>
}

const UNREAD = Symbol('unread')

/** The linked records of a batch. Those that the first evaluation asks for are read together, then those that these lead to. */
export class BatchLinks implements Links {
  readonly #tables: Tables
  readonly #now: number
  readonly #lock: 'share' | undefined
  readonly #known = new Map<string, readonly Row[]>()
  #wanted = new Map<string, Wanted>()

  constructor(tables: Tables, now: number, lock?: 'share') {
    this.#tables = tables
    this.#now = now
    this.#lock = lock
  }

  find(type: string, places: readonly PlaceNode[], values: readonly Comparable[]): readonly Row[] {
    const place = placesName(type, places)
    const way = JSON.stringify(values)
    const rows = this.#known.get(`${place} ${way}`)
    if (rows !== undefined) return rows
    const wanted = this.#wanted.get(place) ?? { type, places, ways: new Map() }
    this.#wanted.set(place, wanted)
    wanted.ways.set(way, values)
    throw UNREAD
  }

  /** The result for each row. */
  async answered<T>(rows: readonly Row[], test: (row: Row) => T): Promise<T[]> {
    const answers: (T | undefined)[] = rows.map(() => undefined)
    for (;;) {
      for (const [at, row] of rows.entries()) {
        if (answers[at] !== undefined) continue
        try {
          answers[at] = test(row)
        } catch (reason) {
          if (reason !== UNREAD) throw reason
        }
      }
      if (this.#wanted.size === 0) return answers as T[]
      const wanted = [...this.#wanted.values()]
      this.#wanted = new Map()
      for (const one of wanted) await this.#read(one)
    }
  }

  async #read({ type, places, ways }: Wanted): Promise<void> {
    const name = placesName(type, places)
    const all = [...ways.values()]
    // Records with one of the values at each place. With several places, this may find more than was requested.
    const where = allOfNode(places.map((place, at) => placeIsOneOf(place, [...new Set(all.map((values) => values[at] as Comparable))])))
    const found = new Map<string, Row[]>(all.map((values) => [JSON.stringify(values), []]))
    for (const { row } of await this.#tables.select(type, { where, now: this.#now, ...(this.#lock ? { lock: this.#lock } : {}) }))
      for (const way of new Set(waysAt(row, places).map((values) => JSON.stringify(values)))) found.get(way)?.push(row)
    for (const [way, rows] of found) this.#known.set(`${name} ${way}`, rows)
  }
}

function placesName(type: string, places: readonly PlaceNode[]): string {
  return JSON.stringify([type, places])
}
