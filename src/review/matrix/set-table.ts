import { type Comparable, type ConditionNode, keysAt, type PlaceNode, type Row } from '../../condition/index.js'
import { add, type Bits, noBits } from './bits.js'

/** Numbers of the records that have a value. */
export type Index = ReadonlyMap<Comparable, readonly number[]>

/** Indexes of record lists that were used before: they are not built twice for the same list. */
export type IndexCache = WeakMap<readonly Row[], Map<string, Index>>

/** The records of a type, with indexes that are made when they are first needed. */
export class SetTable {
  readonly type: string
  readonly rows: readonly Row[]
  /** What was found out already, by the condition itself: what does not depend on the person is the same node for everybody. */
  readonly known = new WeakMap<ConditionNode, Bits>()
  /** The same for the values that those records are joined on, in the places that the condition always uses. */
  readonly keys = new WeakMap<ConditionNode, ReadonlySet<Comparable>>()
  readonly #indexes: Map<string, Index>

  constructor(type: string, rows: readonly Row[], cache: IndexCache | undefined) {
    this.type = type
    this.rows = rows
    this.#indexes = cache?.get(rows) ?? new Map<string, Index>()
    cache?.set(rows, this.#indexes)
  }

  index(places: readonly PlaceNode[]): Index {
    const name = places.map(({ path, type, list }) => `${path.join('.')} ${type}${list ? ' list' : ''}`).join('\n')
    const there = this.#indexes.get(name)
    if (there !== undefined) return there
    const made = new Map<Comparable, number[]>()
    for (let at = 0; at < this.rows.length; at++) {
      for (const key of keysAt(this.rows[at] as Row, places)) {
        const numbers = made.get(key)
        if (numbers === undefined) made.set(key, [at])
        else numbers.push(at)
      }
    }
    this.#indexes.set(name, made)
    return made
  }

  /** The records that have one of the keys in these places. */
  having(places: readonly PlaceNode[], keys: Iterable<Comparable>): Bits {
    const found = noBits(this.rows.length)
    const numbers = this.index(places)
    for (const key of keys) for (const at of numbers.get(key) ?? []) add(found, at)
    return found
  }
}
