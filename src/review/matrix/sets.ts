import {
  type AncestorsNode,
  allOfNode,
  asRecord,
  type Comparable,
  type CompareNode,
  type ConditionNode,
  equality,
  type FieldNode,
  instant,
  isList,
  isSelfContained,
  type JoinNode,
  joinsOf,
  keysAt,
  LinksError,
  type LiteralNode,
  linkedRecords,
  lower,
  newContext,
  operatorOf,
  type PlaceNode,
  predicate,
  proper,
  type RecordsNode,
  type Row,
  type SomeNode,
  valuesAt,
} from '../../condition/index.js'
import { typesIn } from '../required-types.js'
import { add, allBits, type Bits, complementOf, count, each, has, intersection, noBits, union } from './bits.js'

/** Records of several types, of which conditions select sets. */
export interface RecordSets {
  /** The records of a type, by the numbers of which sets are. */
  rows(type: string): readonly Row[]
  /** The records of the type on which a condition holds, which has to be specialised for a person. */
  where(type: string, condition: ConditionNode): Bits
  /** What those records go by in an index of these places, which are always the same for a condition. */
  keysWhere(type: string, condition: ConditionNode, places: readonly PlaceNode[]): ReadonlySet<Comparable>
}

/** Numbers of the records that have a value. */
type Index = ReadonlyMap<Comparable, readonly number[]>

interface Table {
  readonly type: string
  readonly rows: readonly Row[]
  /** What was found out already, by the condition itself: what does not depend on the person is the same node for everybody. */
  readonly known: WeakMap<ConditionNode, Bits>
  /** The same for what those records go by, in the places by which that condition is always asked. */
  readonly keys: WeakMap<ConditionNode, ReadonlySet<Comparable>>
  readonly indexes: Map<string, Index>
}

/** Indexes that were made, for record lists that come again: of a list that is the same, they are not made anew. */
export type IndexCache = WeakMap<readonly Row[], Map<string, Index>>

/** Sets over other records, some types of which are the same. */
export interface LikeSets {
  readonly sets: RecordSets
  isSame(type: string): boolean
}

/**
 * Answers conditions by sets of records, not record by record: equality, membership and links go through indexes, made when
 * they are first needed, and `and`, `or` and `not` through sets of bits. Whatever else a condition asks is evaluated on those
 * records only for which it still matters. The records must stay as they are.
 */
export function recordSets(
  records: { readonly [type: string]: readonly Row[] | undefined },
  now: number,
  cache?: IndexCache,
  like?: LikeSets,
): RecordSets {
  const missing = (type: string): never => {
    throw new LinksError(type)
  }
  const links = linkedRecords((type) => records[type], missing)
  const tables = new Map<string, Table>()

  function table(type: string): Table {
    let found = tables.get(type)
    if (found === undefined) {
      const rows = records[type] ?? missing(type)
      const indexes = cache?.get(rows) ?? new Map<string, Index>()
      cache?.set(rows, indexes)
      found = { type, rows, known: new WeakMap(), keys: new WeakMap(), indexes }
      tables.set(type, found)
    }
    return found
  }

  /** Whether everything that a condition reads is as it is for the other sets. */
  const isLike = (of: Table, node: ConditionNode) => like?.isSame(of.type) === true && typesIn(node).every(like.isSame)

  function where(of: Table, node: ConditionNode): Bits {
    const known = of.known.get(node)
    if (known !== undefined) return known
    const found = isLike(of, node) ? (like as LikeSets).sets.where(of.type, node) : select(of, node)
    of.known.set(node, found)
    return found
  }

  function select(of: Table, node: ConditionNode): Bits {
    const { length } = of.rows
    switch (node.kind) {
      case 'constant':
        return node.value ? allBits(length) : noBits(length)
      case 'named':
        return where(of, node.of)
      case 'not':
        return complementOf(where(of, node.of))
      case 'anyOf': {
        const direct = node.of.filter(isDirect)
        const found = union(
          length,
          direct.map((part) => where(of, part)),
        )
        const rest = node.of.filter((part) => !isDirect(part))
        // What is found by an index needs no look at the record.
        return rest.length === 0 ? found : union(length, [found, asked(of, node, rest, 'anyOf', complementOf(found))])
      }
      case 'allOf': {
        const direct = node.of.filter(isDirect)
        const found = intersection(
          length,
          direct.map((part) => where(of, part)),
        )
        const rest = node.of.filter((part) => !isDirect(part))
        return rest.length === 0 ? found : asked(of, node, rest, 'allOf', found)
      }
      case 'compare':
        return (isDirect(node) ? compared(of, node) : undefined) ?? tested(of, node)
      case 'some':
        return reached(of, node) ?? tested(of, node)
      case 'presence':
      case 'listChange':
        return tested(of, node)
    }
  }

  function reached(of: Table, node: SomeNode): Bits | undefined {
    switch (node.over.kind) {
      case 'records':
        return linked(of, node, node.over)
      case 'ancestors':
        return above(of, node, node.over)
      case 'elements':
        return undefined
    }
  }

  /** What is left of an `allOf` or `anyOf`. A part that was answered for everybody is not asked again. */
  function asked(of: Table, whole: ConditionNode, rest: readonly ConditionNode[], kind: 'allOf' | 'anyOf', among: Bits): Bits {
    const { length } = of.rows
    const few = count(among) * rest.length < length
    if (few) return tested(of, rest.length === 1 ? (rest[0] as ConditionNode) : ({ ...whole, of: rest } as ConditionNode), among)
    const sets = rest.map((part) => where(of, part))
    return intersection(length, [among, kind === 'allOf' ? intersection(length, sets) : union(length, sets)])
  }

  /** Record by record. */
  function tested({ rows }: Table, node: ConditionNode, among?: Bits): Bits {
    const test = predicate(node)
    const env = { me: null, now, links, context: newContext() }
    const found = noBits(rows.length)
    const ask = (at: number) => {
      if (test(rows[at] as Row, env)) add(found, at)
    }
    if (among !== undefined) each(among, ask)
    else for (let at = 0; at < rows.length; at++) ask(at)
    return found
  }

  function index(of: Table, places: readonly PlaceNode[]): Index {
    const name = places.map(({ path, type, list }) => `${path.join('.')} ${type}${list ? ' list' : ''}`).join('\n')
    const there = of.indexes.get(name)
    if (there !== undefined) return there
    const made = new Map<Comparable, number[]>()
    for (let at = 0; at < of.rows.length; at++) {
      for (const key of keysAt(of.rows[at] as Row, places)) {
        const numbers = made.get(key)
        if (numbers === undefined) made.set(key, [at])
        else numbers.push(at)
      }
    }
    of.indexes.set(name, made)
    return made
  }

  function having(of: Table, places: readonly PlaceNode[], keys: Iterable<Comparable>): Bits {
    const found = noBits(of.rows.length)
    const numbers = index(of, places)
    for (const key of keys) for (const at of numbers.get(key) ?? []) add(found, at)
    return found
  }

  function compared(of: Table, node: CompareNode): Bits {
    const { field, literal } = sides(node) as Sides
    const given = literal.list ? (literal.value as readonly Comparable[]) : [literal.value as Comparable | null]
    const keys = given.flatMap((value) => {
      const one = literal.type === 'time' ? instant(value) : proper(value, literal.type)
      return one === undefined ? [] : [one]
    })
    return having(of, [placeOfField(field)], keys)
  }

  /** The records from which a link leads to any that fits. */
  function linked(of: Table, node: SomeNode, over: RecordsNode): Bits | undefined {
    const bare = lower(node)
    if (bare !== node) return where(of, bare)
    const plan = planOf(node, over)
    if (plan === undefined) return undefined
    const { from, to, fits } = plan
    if (from.length > 0) return having(of, from, keysWhere(table(over.type), fits, to))
    return count(where(table(over.type), fits)) > 0 ? allBits(of.rows.length) : noBits(of.rows.length)
  }

  /** What the records go by, in these places, on which a condition holds. */
  function keysWhere(of: Table, node: ConditionNode, places: readonly PlaceNode[]): ReadonlySet<Comparable> {
    const known = of.keys.get(node)
    if (known !== undefined) return known
    if (isLike(of, node)) return (like as LikeSets).sets.keysWhere(of.type, node, places)
    const keys = new Set<Comparable>()
    each(where(of, node), (at) => {
      for (const key of keysAt(of.rows[at] as Row, places)) keys.add(key)
    })
    of.keys.set(node, keys)
    return keys
  }

  /**
   * The records below any that fits: from those that fit down to those that lead to them, until there are no more. No record
   * is above itself; those that may be, in a ring, are asked one by one.
   */
  function above(of: Table, node: SomeNode, over: AncestorsNode): Bits | undefined {
    if (lower(node) !== node || !isSelfContained(node.of, node.each) || !over.by.every(isOwn)) return undefined
    const chain = table(over.type)
    const fits = where(chain, asRecord(node.of, node.each))
    const reached = noBits(chain.rows.length)
    const [steps, targets] = [over.link.by.map(({ from }) => from), over.link.by.map(({ to }) => to)]
    const below = index(chain, steps)
    let ahead: number[] = []
    each(fits, (at) => ahead.push(at))
    while (ahead.length > 0) {
      const next: number[] = []
      for (const at of ahead) {
        for (const key of keysAt(chain.rows[at] as Row, targets))
          for (const child of below.get(key) ?? []) {
            if (has(reached, child)) continue
            add(reached, child)
            next.push(child)
          }
      }
      ahead = next
    }
    const keys = new Set<Comparable>()
    const first = over.by.map(({ to }) => to)
    each(union(chain.rows.length, [fits, reached]), (at) => {
      for (const key of keysAt(chain.rows[at] as Row, first)) keys.add(key)
    })
    const found = having(
      of,
      over.by.map(({ from }) => placeOfField(from as FieldNode)),
      keys,
    )
    // Where a record has the key of one that fits, that one may be itself.
    if (over.self.kind !== 'field' || over.self.via !== undefined) return tested(of, node, found)
    const own = new Set<Comparable>()
    each(fits, (at) => {
      for (const key of valuesAt(chain.rows[at] as Row, over.key)) own.add(key)
    })
    const doubtful = intersection(of.rows.length, [found, having(of, [placeOfField(over.self)], own)])
    if (count(doubtful) === 0) return found
    return union(of.rows.length, [intersection(of.rows.length, [found, complementOf(doubtful)]), tested(of, node, doubtful)])
  }

  return {
    rows: (type) => table(type).rows,
    where: (type, condition) => where(table(type), condition),
    keysWhere: (type, condition, places) => keysWhere(table(type), condition, places),
  }
}

/** How a link is followed by indexes: from these places of a record to those of the others, on which the rest has to hold. */
interface LinkPlan {
  readonly from: readonly PlaceNode[]
  readonly to: readonly PlaceNode[]
  readonly fits: ConditionNode
}

const plans = new WeakMap<SomeNode, LinkPlan | false>()

/** Undefined where indexes do not answer it. */
function planOf(node: SomeNode, over: RecordsNode): LinkPlan | undefined {
  const known = plans.get(node)
  if (known !== undefined) return known || undefined
  const { by, rest } = joinsOf(node, over, (from) => from.kind !== 'field')
  const open = by.filter(({ from }) => from.kind === 'field')
  const bound = by.filter(({ from }) => from.kind !== 'field').map((join) => equality(join, node.each))
  const fits = allOfNode([...bound, rest])
  const plan = isSelfContained(fits, node.each) &&
    open.every(isOwn) && {
      from: open.map(({ from }) => placeOfField(from as FieldNode)),
      to: open.map(({ to }) => to),
      fits: asRecord(fits, node.each),
    }
  plans.set(node, plan)
  return plan || undefined
}

interface Sides {
  readonly field: FieldNode
  readonly literal: LiteralNode
}

/** A field of the record itself beside a known value, where an index answers. */
function sides({ by, left, right }: CompareNode): Sides | undefined {
  if (operatorOf(by).lookup !== 'equality') return undefined
  const [field, literal] = left.kind === 'field' ? [left, right] : [right, left]
  if (field.kind !== 'field' || literal.kind !== 'literal' || !isOwnField(field)) return undefined
  return field === right && isList(field) && !isList(literal) ? undefined : { field, literal }
}

function isOwnField(term: FieldNode): boolean {
  return term.of === 'record' && term.via === undefined && term.type !== 'other'
}

function isOwn({ from }: JoinNode): boolean {
  return from.kind === 'field' && isOwnField(from)
}

/** Whether sets answer a condition, without a look at each record. */
function isDirect(node: ConditionNode): boolean {
  switch (node.kind) {
    case 'constant':
      return true
    case 'named':
    case 'not':
      return isDirect(node.of)
    case 'allOf':
    case 'anyOf':
      return node.of.every(isDirect)
    case 'compare':
      return sides(node) !== undefined
    case 'some':
      return node.over.kind !== 'elements' && isSelfContained(node.of, node.each)
    case 'presence':
    case 'listChange':
      return false
  }
}

function placeOfField({ path, type, list }: FieldNode): PlaceNode {
  return { path, type: type as PlaceNode['type'], ...(list ? { list } : {}) }
}
