import {
  type CompareNode,
  type ConditionNode,
  compareText,
  copied,
  type Env,
  instant,
  type Links,
  LinksError,
  linkedRecords,
  newContext,
  operatorOf,
  predicate,
  type Row,
  TRUE,
} from '../../condition/index.js'
import { type Field, type Key, keyOf, keysAreGiven, type Model, serverKey, type TypeModel, typeModel } from '../../rulebook/index.js'
import { DuplicateKeyError } from '../errors.js'
import { withGenerated } from '../generated-values.js'
import type { Backend, Found, PlaceValue, Selection, SortStep, Tables, Target } from '../tables.js'
import { asStored } from '../write/fit.js'
import { candidates } from './candidates.js'

/** Records by type, as arrays. */
export type Records = { readonly [type: string]: readonly object[] }

/**
 * Stores records in memory: for tests, demos and small fixed data. Records are copied on the way in and out.
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

/** Indexes are used for more records than these, and after so many scans without a write. */
const FEW = 20
const WORTH_AN_INDEX = 3

function put(held: Held, type: TypeModel, row: Row): void {
  const rows = held.get(type.name) as Map<Key, Row>
  const key = keyOf(type, row)
  if (rows.has(key)) throw new DuplicateKeyError(type.name, key)
  rows.set(key, copied(asStored(type, row)))
}

class MemoryTables implements Tables {
  readonly #model: Model
  #held: Held
  #hasEnded = false
  #links: Links | undefined
  /** How often records were looked for since the last write. */
  #scans = 0
  /** The keys of deleted records, if clients may choose keys. */
  #removed: ReadonlyMap<string, ReadonlySet<Key>>
  // Transactions run one after the other. Each works on copies of the tables, which replace the tables at its end or are dropped.
  #last: Promise<unknown> = Promise.resolve()

  constructor(model: Model, held: Held, removed: ReadonlyMap<string, ReadonlySet<Key>> = new Map()) {
    this.#model = model
    this.#held = held
    this.#removed = removed
  }

  async select(type: string, { where, key, now, sort, limit, after, places, flags = [] }: Selection): Promise<Found[]> {
    const test = predicate(where)
    const env = this.#env(now)
    const found: Row[] = []
    for (const row of this.#among(type, where, env, key)) if (test(row, env)) found.push(row)
    const sorted =
      sort === undefined ? found.map((row) => ({ row, values: [] })) : inOrder(found, sort, typeModel(this.#model, type).fields, env, after)
    const tests = flags.map((flag) => predicate(flag))
    return sorted.slice(0, limit).map(({ row, values }) => {
      const place = places && values.map((value) => value ?? null)
      return { row: copied(row), flags: tests.map((flag) => flag(row, env)), ...(place ? { place } : {}) }
    })
  }

  async count(type: string, { where, now }: Pick<Selection, 'where' | 'now'>): Promise<number> {
    const test = predicate(where)
    const env = this.#env(now)
    let count = 0
    for (const row of this.#among(type, where, env)) if (test(row, env)) count += 1
    return count
  }

  async countBy(type: string, name: string, selection: Pick<Selection, 'where' | 'now'>): Promise<{ value: unknown; count: number }[]> {
    const found = await this.select(type, { ...selection, sort: [{ field: name, descending: false }] })
    const field = typeModel(this.#model, type).fields[name]
    const counts = new Map<Sortable, { value: unknown; count: number }>()
    for (const { row } of found) {
      const group = counts.get(sortable(row[name], field)) ?? { value: row[name] ?? undefined, count: 0 }
      counts.set(sortable(row[name], field), { ...group, count: group.count + 1 })
    }
    return [...counts.values()]
  }

  async test(conditions: readonly ConditionNode[], now: number): Promise<boolean[]> {
    const env = this.#env(now)
    return conditions.map((condition) => predicate(condition)({}, env))
  }

  async insert(type: string, row: Row): Promise<Row> {
    this.#links = undefined
    const model = typeModel(this.#model, type)
    const whole = withGenerated(model, row, () => this.#rows(type).values())
    put(this.#held, model, whole)
    return copied(this.#rows(type).get(keyOf(model, whole)) as Row)
  }

  async update(type: string, changes: Row, target: Target): Promise<Row | undefined> {
    const row = this.#target(type, target)
    if (row === undefined) return undefined
    this.#links = undefined
    const changed = asStored(typeModel(this.#model, type), { ...row, ...copied(changes) })
    this.#rows(type).set(target.key, changed)
    return copied(changed)
  }

  async remove(type: string, target: Target): Promise<number> {
    if (this.#target(type, target) === undefined) return 0
    this.#links = undefined
    this.#rows(type).delete(target.key)
    if (keysAreGiven(typeModel(this.#model, type)))
      this.#removed = new Map(this.#removed).set(type, new Set(this.#removed.get(type)).add(target.key))
    return 1
  }

  async wasRemoved(type: string, key: Key): Promise<boolean> {
    return this.#removed.get(type)?.has(key) === true
  }

  transaction<T>(work: (tables: Tables) => Promise<T>): Promise<T> {
    const run = async () => {
      this.#checkOpen()
      const draft = new MemoryTables(this.#model, new Map([...this.#held].map(([type, rows]) => [type, new Map(rows)])), this.#removed)
      try {
        const result = await work(draft)
        this.#held = draft.#held
        this.#removed = draft.#removed
        this.#links = undefined
        return result
      } finally {
        // After the transaction has ended, further calls would read outdated data.
        draft.#hasEnded = true
      }
    }
    const mine = this.#last.then(run, run)
    this.#last = mine
    return mine
  }

  /** The data of one operation: indexes are kept until something is written. */
  #env(now: number): Env {
    if (this.#links === undefined) this.#scans = 0
    this.#links ??= linkedRecords(
      (type) => this.#rows(type).values(),
      (type) => {
        throw new LinksError(type)
      },
    )
    return { me: null, now, links: this.#links, context: newContext() }
  }

  #checkOpen(): void {
    if (this.#hasEnded) throw new Error('this store belongs to a transaction that has ended: use the store outside of it')
  }

  #rows(type: string): Map<Key, Row> {
    this.#checkOpen()
    return this.#held.get(typeModel(this.#model, type).name) as Map<Key, Row>
  }

  /** The records on which a condition may hold: those that it names by key, those with values that it needs, or all. */
  #among(type: string, where: ConditionNode, { links }: Env, key?: Key): Iterable<Row> {
    const rows = this.#rows(type)
    const field = serverKey(typeModel(this.#model, type))
    const keys = key !== undefined ? [key] : field === undefined ? undefined : keysNamed(where, field)
    if (keys !== undefined) return keys.map((key) => rows.get(key)).filter((row) => row !== undefined)
    // Building indexes takes longer than looking at all records once.
    this.#scans += 1
    const some = this.#scans > WORTH_AN_INDEX && rows.size > FEW ? candidates(where, type, this.#model, links as Links) : undefined
    return some ?? rows.values()
  }

  #target(type: string, { key, where, now }: Target): Row | undefined {
    const row = this.#rows(type).get(key)
    return row !== undefined && predicate(where)(row, this.#env(now)) ? row : undefined
  }
}

/** The keys of which a record must have one for a condition to hold; undefined if the condition does not limit them. */
function keysNamed(where: ConditionNode, field: string): readonly Key[] | undefined {
  switch (where.kind) {
    case 'allOf':
      for (const part of where.of) {
        const keys = keysNamed(part, field)
        if (keys !== undefined) return keys
      }
      return undefined
    case 'named':
      return keysNamed(where.of, field)
    case 'compare':
      return keysCompared(where, field)
    case 'constant':
    case 'anyOf':
    case 'not':
    case 'presence':
    case 'listChange':
    case 'some':
      return undefined
  }
}

function keysCompared({ by, left, right }: CompareNode, field: string): readonly Key[] | undefined {
  if (operatorOf(by).lookup !== 'equality') return undefined
  const isKey = left.kind === 'field' && left.of === 'record' && left.via === undefined && left.path.length === 1 && left.path[0] === field
  if (!isKey || right.kind !== 'literal') return undefined
  const values: readonly unknown[] = Array.isArray(right.value) ? right.value : [right.value]
  return [...new Set(values.filter((value): value is Key => typeof value === 'string' || typeof value === 'number'))]
}

/** Sorts rows by fields: missing and hidden last, text code point by code point, times by instant, false before true. */
function inOrder(
  rows: readonly Row[],
  steps: readonly SortStep[],
  fields: { readonly [name: string]: Field },
  env: Env,
  after?: readonly PlaceValue[],
): { readonly row: Row; readonly values: readonly Sortable[] }[] {
  const readers = steps.map(({ field, visible = TRUE }) => {
    const test = predicate(visible)
    return (row: Row) => (test(row, env) ? sortable(row[field], fields[field]) : undefined)
  })
  const keyed = rows.map((row) => ({ row, values: readers.map((read) => read(row)) }))
  const compared = (a: readonly Sortable[], b: readonly Sortable[]): number => {
    for (const [at, { descending }] of steps.entries()) {
      const left = a[at]
      const right = b[at]
      if (left === undefined || right === undefined) {
        if (left !== right) return left === undefined ? 1 : -1
        continue
      }
      const by = typeof left === 'string' ? compareText(left, right as string) : left - (right as number)
      if (by !== 0) return descending ? -by : by
    }
    return 0
  }
  keyed.sort((a, b) => compared(a.values, b.values))
  const place = after?.map((value) => (value === null ? undefined : typeof value === 'boolean' ? Number(value) : value))
  return place === undefined ? keyed : keyed.filter(({ values }) => compared(values, place) > 0)
}

type Sortable = string | number | undefined

function sortable(value: unknown, field: Field | undefined): string | number | undefined {
  if (value === null || value === undefined) return undefined
  if (field?.type === 'time') return instant(value)
  return typeof value === 'boolean' ? Number(value) : (value as string | number)
}
