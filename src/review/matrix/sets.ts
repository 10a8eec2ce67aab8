import {
  type AncestorsNode,
  asRecord,
  type Comparable,
  type CompareNode,
  type ConditionNode,
  type FieldNode,
  instant,
  isReached,
  isSelfContained,
  keysAt,
  type Links,
  LinksError,
  linkedRecords,
  lower,
  newContext,
  onLinked,
  type PlaceNode,
  predicate,
  type RecordsNode,
  type Row,
  type SomeNode,
  toComparable,
  valuesAt,
} from '../../condition/index.js'
import { typesIn } from '../required-types.js'
import { add, allBits, type Bits, complementOf, count, each, has, intersection, noBits, union } from './bits.js'
import { isDirect, isOwn, placeOfField, planOf, type Sides, sides } from './set-plans.js'
import { type IndexCache, SetTable } from './set-table.js'

/** Records of several types, from which conditions select sets. */
export interface RecordSets {
  /** The records of a type, by number. */
  rows(type: string): readonly Row[]
  /** The records of the type on which a condition holds. The condition must be specialised for a person. */
  where(type: string, condition: ConditionNode): Bits
  /** The values of those records in an index of these places, which are always the same for one condition. */
  keysWhere(type: string, condition: ConditionNode, places: readonly PlaceNode[]): ReadonlySet<Comparable>
}

/** Sets over other records, of which some types may be unchanged. */
export interface LikeSets {
  readonly sets: RecordSets
  isSame(type: string): boolean
}

/**
 * Answers conditions by sets of records instead of record by record. Equality, membership and links use indexes, built when first needed;
 * `and`, `or` and `not` use bit sets. Other conditions are evaluated only on records where they can still matter. The records must not
 * change.
 */
export function recordSets(
  records: { readonly [type: string]: readonly Row[] | undefined },
  now: number,
  cache?: IndexCache,
  like?: LikeSets,
): RecordSets {
  return new Sets(records, now, cache, like)
}

class Sets implements RecordSets {
  readonly #records: { readonly [type: string]: readonly Row[] | undefined }
  readonly #now: number
  readonly #cache: IndexCache | undefined
  readonly #like: LikeSets | undefined
  readonly #links: Links
  readonly #tables = new Map<string, SetTable>()

  constructor(
    records: { readonly [type: string]: readonly Row[] | undefined },
    now: number,
    cache: IndexCache | undefined,
    like: LikeSets | undefined,
  ) {
    this.#records = records
    this.#now = now
    this.#cache = cache
    this.#like = like
    this.#links = linkedRecords((type) => records[type], missing)
  }

  rows(type: string): readonly Row[] {
    return this.#table(type).rows
  }

  where(type: string, condition: ConditionNode): Bits {
    return this.#where(this.#table(type), condition)
  }

  keysWhere(type: string, condition: ConditionNode, places: readonly PlaceNode[]): ReadonlySet<Comparable> {
    return this.#keysWhere(this.#table(type), condition, places)
  }

  #table(type: string): SetTable {
    let found = this.#tables.get(type)
    if (found === undefined) {
      found = new SetTable(type, this.#records[type] ?? missing(type), this.#cache)
      this.#tables.set(type, found)
    }
    return found
  }

  /** The other sets, if all records that the condition reads are the same there. */
  #likeFor(of: SetTable, node: ConditionNode): RecordSets | undefined {
    const like = this.#like
    return like?.isSame(of.type) === true && typesIn(node).every(like.isSame) ? like.sets : undefined
  }

  #where(of: SetTable, node: ConditionNode): Bits {
    const known = of.known.get(node)
    if (known !== undefined) return known
    const found = this.#likeFor(of, node)?.where(of.type, node) ?? this.#select(of, node)
    of.known.set(node, found)
    return found
  }

  #select(of: SetTable, node: ConditionNode): Bits {
    const { length } = of.rows
    switch (node.kind) {
      case 'constant':
        return node.value ? allBits(length) : noBits(length)
      case 'named':
        return this.#where(of, node.of)
      case 'not':
        return complementOf(this.#where(of, node.of))
      case 'anyOf': {
        const [direct, rest] = [node.of.filter(isDirect), node.of.filter((part) => !isDirect(part))]
        const sets = direct.map((part) => this.#where(of, part))
        const found = union(length, sets)
        // An index finds the records without evaluating each.
        return rest.length === 0 ? found : union(length, [found, this.#asked(of, node, rest, 'anyOf', complementOf(found))])
      }
      case 'allOf': {
        const [direct, rest] = [node.of.filter(isDirect), node.of.filter((part) => !isDirect(part))]
        const sets = direct.map((part) => this.#where(of, part))
        const found = intersection(length, sets)
        return rest.length === 0 ? found : this.#asked(of, node, rest, 'allOf', found)
      }
      case 'compare':
        return isDirect(node) ? this.#compared(of, node) : this.#tested(of, node)
      case 'some':
        return this.#reached(of, node) ?? this.#tested(of, node)
      case 'presence':
      case 'listChange':
        return this.#tested(of, node)
    }
  }

  #reached(of: SetTable, node: SomeNode): Bits | undefined {
    if (node.least !== undefined) return undefined
    switch (node.over.kind) {
      case 'records':
        return this.#linked(of, node, node.over)
      case 'ancestors':
        return this.#above(of, node, node.over)
      case 'elements':
        return undefined
    }
  }

  /** The rest of an `allOf` or `anyOf`. A part that was answered for all people is not evaluated again. */
  #asked(of: SetTable, whole: ConditionNode, rest: readonly ConditionNode[], kind: 'allOf' | 'anyOf', among: Bits): Bits {
    const { length } = of.rows
    const few = count(among) * rest.length < length
    if (few) return this.#tested(of, rest.length === 1 ? (rest[0] as ConditionNode) : ({ ...whole, of: rest } as ConditionNode), among)
    const sets = rest.map((part) => this.#where(of, part))
    return intersection(length, [among, kind === 'allOf' ? intersection(length, sets) : union(length, sets)])
  }

  /** Evaluate record by record. */
  #tested({ rows }: SetTable, node: ConditionNode, among?: Bits): Bits {
    const test = predicate(node)
    const env = { me: null, now: this.#now, links: this.#links, context: newContext() }
    const found = noBits(rows.length)
    const ask = (at: number) => {
      if (test(rows[at] as Row, env)) add(found, at)
    }
    if (among !== undefined) each(among, ask)
    else for (let at = 0; at < rows.length; at++) ask(at)
    return found
  }

  #compared(of: SetTable, node: CompareNode): Bits {
    const { field, literal } = sides(node) as Sides
    const given = literal.list ? (literal.value as readonly Comparable[]) : [literal.value as Comparable | null]
    const keys = given.flatMap((value) => {
      const one = literal.type === 'time' ? instant(value) : toComparable(value, literal.type)
      return one === undefined ? [] : [one]
    })
    return of.having([placeOfField(field)], keys)
  }

  /** The records whose link leads to a matching record. */
  #linked(of: SetTable, node: SomeNode, over: RecordsNode): Bits | undefined {
    const bare = lower(node)
    if (bare !== node) return this.#where(of, bare)
    const plan = planOf(node, over)
    if (plan === undefined) return undefined
    const { from, to, fits } = plan
    if (from.length > 0) return of.having(from, this.#keysWhere(this.#table(over.type), fits, to))
    return count(this.#where(this.#table(over.type), fits)) > 0 ? allBits(of.rows.length) : noBits(of.rows.length)
  }

  /** The values, in these places, of the records on which a condition holds. */
  #keysWhere(of: SetTable, node: ConditionNode, places: readonly PlaceNode[]): ReadonlySet<Comparable> {
    const known = of.keys.get(node)
    if (known !== undefined) return known
    const like = this.#likeFor(of, node)
    if (like !== undefined) return like.keysWhere(of.type, node, places)
    const keys = keysOf(of, this.#where(of, node), places)
    of.keys.set(node, keys)
    return keys
  }

  /**
   * The records below any matching record: from the matching ones down, step by step. No record is above itself; in a cycle, records are
   * evaluated one by one.
   */
  #above(of: SetTable, node: SomeNode, over: AncestorsNode): Bits | undefined {
    if (lower(node) !== node || !isSelfContained(node.of, node.each) || !over.by.every(isOwn)) return undefined
    const chain = this.#table(over.type)
    const { length } = of.rows
    const fits = this.#where(chain, asRecord(onLinked(over.link, node.each, node.of), node.each))
    const reached = below(chain, fits, over)
    const first = over.by.map(({ to }) => to)
    const keys = keysOf(chain, union(chain.rows.length, [fits, reached]), first)
    const own = over.by.map(({ from }) => placeOfField(from as FieldNode))
    const found = of.having(own, keys)
    // A record that has the key of a matching one may be that record itself.
    const [place, self] = [over.keys[0], over.self[0]]
    if (over.keys.length > 1 || place === undefined || self?.kind !== 'field' || self.via !== undefined)
      return this.#tested(of, node, found)
    const fitting = new Set<Comparable>()
    each(fits, (at) => {
      for (const key of valuesAt(chain.rows[at] as Row, place)) fitting.add(key)
    })
    const doubtful = intersection(length, [found, of.having([placeOfField(self)], fitting)])
    if (count(doubtful) === 0) return found
    return union(length, [intersection(length, [found, complementOf(doubtful)]), this.#tested(of, node, doubtful)])
  }
}

function missing(type: string): never {
  throw new LinksError(type)
}

/** The values of some records, in these places. */
function keysOf({ rows }: SetTable, some: Bits, places: readonly PlaceNode[]): Set<Comparable> {
  const keys = new Set<Comparable>()
  each(some, (at) => {
    for (const key of keysAt(rows[at] as Row, places)) keys.add(key)
  })
  return keys
}

/** The records that lead to some records by any number of steps of a chain. */
function below(chain: SetTable, some: Bits, { link }: AncestorsNode): Bits {
  const reached = noBits(chain.rows.length)
  const targets = link.by.map(({ to }) => to)
  const children = chain.index(link.by.map(({ from }) => from))
  const ahead: number[] = []
  const goOn = (at: number) => {
    for (const key of keysAt(chain.rows[at] as Row, targets))
      for (const child of children.get(key) ?? []) if (!has(reached, child)) ahead.push(child)
  }
  each(some, goOn)
  for (let at = ahead.pop(); at !== undefined; at = ahead.pop()) {
    if (has(reached, at) || !isReached(link, chain.rows[at] as Row)) continue
    add(reached, at)
    goOn(at)
  }
  return reached
}
