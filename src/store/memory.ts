import { compareText, instant, predicate, type Row, TRUE } from '../condition/index.js'
import { type Field, type Key, type Model, type TypeModel, typeModel } from '../rulebook/index.js'
import { DuplicateKeyError } from './errors.js'
import { asStored } from './fit.js'
import type { Backend, Selection, SortStep, Tables, Target } from './tables.js'

/** Records by type, as arrays. */
export type Records = { readonly [type: string]: readonly object[] }

/**
 * Keeps records in memory: for tests, demonstrations and small fixed data. What goes in and what comes out are copies.
 *
 * @example
 * const store = openStore(book, inMemory({ plot: [{ id: 'p-01', holderId: 'm-01' }] }))
 * @throws UnknownNameError for a record type that the rulebook does not know, DuplicateKeyError for a key that is there twice.
 */
export function inMemory(records: Records = {}): Backend {
  return (model) => {
    const held: Held = new Map(Object.keys(model.types).map((type) => [type, new Map<Key, Row>()]))
    for (const [type, rows] of Object.entries(records)) {
      const known = typeModel(model, type)
      for (const row of rows) put(held, known, row as Row)
    }
    return new MemoryTables(model, held)
  }
}

type Held = Map<string, Map<Key, Row>>

function put(held: Held, type: TypeModel, row: Row): void {
  const rows = held.get(type.name) as Map<Key, Row>
  const key = row[type.key] as Key
  if (rows.has(key)) throw new DuplicateKeyError(type.name, key)
  rows.set(key, structuredClone(asStored(type, row)))
}

class MemoryTables implements Tables {
  readonly #model: Model
  #held: Held
  // Transactions run one after the other; each works on copies of the tables, which are kept at its end or dropped.
  #last: Promise<unknown> = Promise.resolve()

  constructor(model: Model, held: Held) {
    this.#model = model
    this.#held = held
  }

  async select(type: string, { where, now, sort, limit }: Selection): Promise<Row[]> {
    const test = predicate(where)
    const env = { me: null, now }
    const found: Row[] = []
    for (const row of this.#rows(type).values()) if (test(row, env)) found.push(row)
    if (sort !== undefined) found.sort(order(sort, typeModel(this.#model, type).fields, now))
    return found.slice(0, limit).map((row) => structuredClone(row))
  }

  async insert(type: string, row: Row): Promise<void> {
    put(this.#held, typeModel(this.#model, type), row)
  }

  async update(type: string, changes: Row, target: Target): Promise<number> {
    const row = this.#target(type, target)
    if (row === undefined) return 0
    const changed = { ...row, ...structuredClone(changes) }
    this.#rows(type).set(target.key, asStored(typeModel(this.#model, type), changed))
    return 1
  }

  async remove(type: string, target: Target): Promise<number> {
    if (this.#target(type, target) === undefined) return 0
    this.#rows(type).delete(target.key)
    return 1
  }

  transaction<T>(work: (tables: Tables) => Promise<T>): Promise<T> {
    const run = async () => {
      const draft = new MemoryTables(this.#model, new Map([...this.#held].map(([type, rows]) => [type, new Map(rows)])))
      const result = await work(draft)
      this.#held = draft.#held
      return result
    }
    const mine = this.#last.then(run, run)
    this.#last = mine
    return mine
  }

  #rows(type: string): Map<Key, Row> {
    return this.#held.get(typeModel(this.#model, type).name) as Map<Key, Row>
  }

  #target(type: string, { key, where, now }: Target): Row | undefined {
    const row = this.#rows(type).get(key)
    return row !== undefined && predicate(where)(row, { me: null, now }) ? row : undefined
  }
}

/** Orders rows by fields: missing and hidden last, text code point by code point, times by instant, false before true. */
function order(steps: readonly SortStep[], fields: { readonly [name: string]: Field }, now: number): (a: Row, b: Row) => number {
  const sorted = steps.map(({ field, descending, visible = TRUE }) => {
    const test = predicate(visible)
    return { descending, value: (row: Row) => (test(row, { me: null, now }) ? sortable(row[field], fields[field]) : undefined) }
  })
  return (a, b) => {
    for (const { descending, value } of sorted) {
      const left = value(a)
      const right = value(b)
      if (left === undefined || right === undefined) {
        if (left !== right) return left === undefined ? 1 : -1
        continue
      }
      const by = typeof left === 'string' ? compareText(left, right as string) : left - (right as number)
      if (by !== 0) return descending ? -by : by
    }
    return 0
  }
}

function sortable(value: unknown, field: Field | undefined): string | number | undefined {
  if (value === null || value === undefined) return undefined
  if (field?.type === 'time') return instant(value)
  return typeof value === 'boolean' ? Number(value) : (value as string | number)
}
