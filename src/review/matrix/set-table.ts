import { type Comparable, type ConditionNode, keysAt, type PlaceNode, type Row } from '../../condition/index.js'
import { add, type Bits, noBits } from './bits.js'

/** The numbers of the records with a value. */
export type Index = ReadonlyMap<Comparable, readonly number[]>

/** Indexes of record lists that were used before, so that no list is indexed twice. */
export type IndexCache = WeakMap<readonly Row[], Map<string, Index>>

/** The records of a type, with indexes that are built when first needed. */
export class SetTable {
  readonly type: string
  readonly rows: readonly Row[]
  /** Cached results by condition node. What does not depend on the person is the same node for all people. */
  readonly known = new WeakMap<ConditionNode, Bits>()
  /** Cached values of those records, in the places that the condition joins on. */
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

  /** The records with one of the keys in these places. */
  having(places: readonly PlaceNode[], keys: Iterable<Comparable>): Bits {
    const found = noBits(this.rows.length)
    const numbers = this.index(places)
    for (const key of keys) for (const at of numbers.get(key) ?? []) add(found, at)
    return found
  }
}
