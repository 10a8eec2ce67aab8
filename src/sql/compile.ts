import { type RawBuilder, type SqlBool, sql } from 'kysely'
import {
  type AncestorsNode,
  absorbed,
  allOfNode,
  type ClaimNode,
  type Comparable,
  type CompareNode,
  type ConditionNode,
  compareNode,
  equality,
  type FieldNode,
  family,
  followsLinks,
  isList,
  isSelfContained,
  type JoinNode,
  joinsOf,
  type LinkNode,
  type ListChangeNode,
  lower,
  lowerAscii,
  notNode,
  PachterError,
  type PlaceNode,
  placeOf,
  pushNot,
  type RecordsNode,
  type Scalar,
  type SomeNode,
  scalarOf,
  simplify,
  type TermNode,
} from '../condition/index.js'
import { all, comparableOf, holds, isFound, joined, literalValues, mayBeEqual, NO, nothing, YES } from './asked.js'
import type { Column, Dialect, Fragment, Order, Test } from './dialect.js'
import { type Layout, LayoutError, type TablePlace } from './layout.js'

/** How a condition becomes SQL. */
export interface CompileOptions {
  readonly dialect: Dialect
  /** The instant of the operation, in milliseconds since 1970. */
  readonly now: number
  /** The table or alias that the columns are read from. Needed where the condition follows links: other tables may have the same columns. */
  readonly table?: string
  /** The record type that the condition is about. Needed beside a layout. */
  readonly type?: string
  /** Where the record types are kept. Default: tables and columns named as record types and fields are. */
  readonly layout?: Layout
  /** Whether it is to find rows, or a row that is named by its key besides: then links are looked up from that row. */
  readonly finds?: 'rows' | 'row'
  /** The key of the record type, where it is to find rows. */
  readonly key?: string
  /** What stands for things that are not known yet: for rules that the database itself asks of whoever comes. */
  readonly later?: Later
}

/** How SQL asks for what is known only when it runs. */
export interface Later {
  readonly now: Fragment
  /** A claim: its value, a list in the dialect's own form, or whether it is missing. */
  claim(claim: ClaimNode): Fragment
  claims(claim: ClaimNode): Fragment
  isMissing(claim: ClaimNode): Test
  /** Whether a value is among a list of claims. */
  isAmong(item: Fragment, type: Scalar, claims: ClaimNode): Test
  /** A column of the record that the condition is about, within what `ofRow` is given. */
  rowColumn(column: string): Fragment
  /** A test that reads other tables and speaks of the record, moved to where it may read them. */
  ofRow(test: Test): Test
}

/** A condition that follows links was to become SQL, and nobody said which table its own columns are of. */
export class UnnamedTableError extends PachterError {
  constructor() {
    super(
      'UNNAMED_TABLE',
      'the condition follows links to other tables: say which table or alias its own columns are read from, as { table }',
    )
  }
}

/** A condition that still asks about claims was to become SQL: it has to be specialised for a person first. */
export class UnspecialisedError extends PachterError {
  constructor(claim: string) {
    super('UNSPECIALISED', `the condition still asks for the claim "${claim}": take it from a viewpoint, book.for(person).condition(...)`)
  }
}

/**
 * A condition as a Kysely expression, true exactly where the condition holds and otherwise false or null.
 * Use it as it stands in WHERE; wrap it in `is true` where its complement is needed.
 *
 * @throws UnspecialisedError where claims are left in it, UnnamedTableError.
 */
export function compile(condition: ConditionNode, options: CompileOptions): RawBuilder<SqlBool> {
  return new Compiler(options).whole(pushNot(lower(absorbed(simplify(condition))))) as RawBuilder<SqlBool>
}

const LARGEST: { readonly [T in 'integer' | 'number']: number } = { integer: Number.MAX_SAFE_INTEGER, number: Number.MAX_VALUE }
const ORDERS = { isLessThan: '<', isMoreThan: '>', isAtMost: '<=', isAtLeast: '>=', isBefore: '<', isAfter: '>' } as const

/** How a column of a record is written, or what lies within it. */
interface Columns {
  readonly value: (path: readonly string[], type: Scalar | 'list') => Fragment
  readonly isNull: (path: readonly string[], type: Scalar | 'list' | 'other') => Test
}

class Compiler {
  readonly #dialect: Dialect
  readonly #now: number
  readonly #table: string | undefined
  readonly #type: string | undefined
  readonly #layout: Layout | undefined
  readonly #later: Later | undefined
  readonly #finds: CompileOptions['finds']
  readonly #keyField: string | undefined
  /** The records that the enclosing `some` look at, by their numbers; less than zero for helpers of our own. */
  readonly #looking = new Map<number, Columns>()
  /** The columns of the record that the condition is about. */
  #own: Columns | undefined
  /** The same within what `later` moves elsewhere. */
  #ofRow: Columns | undefined
  /** How deep within queries that read other tables, and whether these speak of the record. */
  #within = 0
  #inRow = false
  #aliases = 0

  constructor(options: CompileOptions) {
    this.#dialect = options.dialect
    this.#now = options.now
    this.#table = options.table
    this.#type = options.type
    this.#layout = options.layout
    this.#later = options.later
    this.#finds = options.finds
    this.#keyField = options.key
    if (options.layout !== undefined && options.type === undefined)
      throw new LayoutError('compile', 'a layout needs to be told which record type the condition is about, as { type }')
  }

  /** The whole condition, in a form by which rows are found. */
  whole(node: ConditionNode): Test {
    if (node.kind === 'allOf') return all(node.of.map((part) => this.whole(part)))
    const { unionOfKeys } = this.#dialect
    if (node.kind !== 'anyOf' || unionOfKeys === undefined || this.#finds !== 'rows' || this.#keyField === undefined) return this.test(node)
    if (!node.of.every(isFound) || !node.of.some(followsLinks)) return this.test(node)
    const queries = node.of.map((part) => this.#keysWhere(part))
    return unionOfKeys(this.#asHeld(this.#ownKey()), this.#alias('found'), queries)
  }

  /** Where a link leads to the key itself, the keys are those that the linked records hold. */
  #linkedKeys(node: SomeNode, over: RecordsNode): Fragment | undefined {
    const { by, rest } = joinsOf(node as SomeNode & { over: RecordsNode }, (from) => from.kind !== 'field')
    const open = by.filter(({ from }) => from.kind === 'field')
    const [only] = open
    if (only?.from.kind !== 'field' || open.length > 1 || only.from.path.join('.') !== this.#keyField || isList(only.from) || only.to.list)
      return undefined
    const known = by.filter((join) => join !== only).map((join) => equality(join, node.each))
    const alias = this.#lookAt(node.each, over.type)
    const key = this.#value(placeOf(only.to, node.each))
    if (this.#dialect.areAlike?.(this.#ownKey(), key) !== true) return undefined
    const tests = all([this.test(allOfNode([...known, rest])), ...this.#soundPair(only.to, only.from, node.each)])
    return sql`select ${this.#asHeld(key)} as k from ${this.#from(over.type, alias)} where ${tests}`
  }

  #asHeld(value: Fragment): Fragment {
    return this.#dialect.asHeld?.(value) ?? value
  }

  #ownKey(): Fragment {
    return this.#columns('record').value([this.#keyField as string], 'id')
  }

  /** The keys of the rows on which a condition holds. */
  #keysWhere(node: ConditionNode): Fragment {
    const linked = node.kind === 'some' && node.over.kind === 'records' ? this.#linkedKeys(node, node.over) : undefined
    if (linked !== undefined) return linked
    const alias = this.#alias('row')
    const type = this.#type as string
    const outer = this.#own
    this.#own = this.#columnsOf((name) => sql.id(alias, name), this.#layout?.tables[type])
    const query = sql`select ${this.#asHeld(this.#ownKey())} as k from ${this.#from(type, alias)} where ${this.test(node)}`
    this.#own = outer
    return query
  }

  test(node: ConditionNode): Test {
    switch (node.kind) {
      case 'constant':
        return node.value ? YES : NO
      case 'named':
        return this.test(node.of)
      case 'allOf':
        return joined(
          node.of.map((part) => this.test(part)),
          ' and ',
          YES,
        )
      case 'anyOf':
        return joined(
          node.of.map((part) => this.test(part)),
          ' or ',
          NO,
        )
      case 'not':
        // Only comparisons and `some` are left under a `not`. Null means that something is missing, so the comparison is false.
        return sql<SqlBool>`(${this.test(node.of)}) is not true`
      case 'presence': {
        const missing = this.#missing(node.term)
        return node.present ? sql<SqlBool>`(${missing}) is not true` : missing
      }
      case 'compare':
        return this.#compare(node)
      case 'listChange':
        return this.#change(node)
      case 'some':
        return this.#some(node)
    }
  }

  /**
   * The list as it is has every value as often as the list as it becomes says, one occurrence of the item apart. Where
   * nothing is about to change, nothing is added or removed.
   */
  #change({ by, list, from, item }: ListChangeNode): Test {
    if (list.kind !== 'literal' || !isList(list) || nothing(item)) return NO
    const type = scalarOf(from)
    const there = this.#list(from)
    const wanted = this.#value(item)
    const counts = new Map<Comparable, number>()
    for (const value of literalValues(list)) counts.set(value, (counts.get(value) ?? 0) + 1)
    const total = literalValues(list).length + (by === 'adds' ? -1 : 1)
    const sign = sql.raw(by === 'adds' ? '-' : '+')
    const isItem = (value: Fragment) => sql`case when ${this.#equal(wanted, value, type)} then 1 else 0 end`
    const known = [...counts].map(([value, count]) => {
      const one = this.#dialect.value(value, type)
      return sql<SqlBool>`${this.#dialect.countOf(this.#alias('element'), there, one, type)} = ${count} ${sign} ${isItem(one)}`
    })
    const among = this.#dialect.isAmong(wanted, [...counts.keys()], type)
    const own =
      by === 'adds'
        ? counts.size === 0
          ? NO
          : among
        : sql<SqlBool>`${this.#dialect.countOf(this.#alias('element'), there, wanted, type)} >= 1`
    return all([sql<SqlBool>`${this.#dialect.listLength(there)} = ${total}`, own, ...known, ...this.#sound(item)])
  }

  #some(node: SomeNode): Test {
    const { over, each } = node
    if (over.kind === 'ancestors') return this.#above(node, over)
    if (over.kind === 'records') return this.#linked(node, over)
    if (this.#later !== undefined && this.#within === 0 && followsLinks(node.of)) return this.#apart(() => this.#some(node))
    const alias = this.#alias('element')
    return this.#dialect.someObject(alias, this.#list(over.list), (value) => {
      this.#looking.set(each, {
        value: (path, type) => this.#dialect.inside(value, path, type),
        isNull: (path) => this.#dialect.isNullInside(value, path),
      })
      return this.test(node.of)
    })
  }

  /**
   * Records that are found by a set of keys, which does not depend on the row, or else one by one. The set comes first: an
   * OR of sets is answered through indexes, an OR of lookups row by row.
   */
  #linked(node: SomeNode, over: RecordsNode): Test {
    const { by, rest } = joinsOf(node as SomeNode & { over: RecordsNode }, (from) => from.kind !== 'field')
    const alias = this.#lookAt(node.each, over.type)
    const isKnown = ({ from }: JoinNode) => from.kind !== 'field'
    const known = by.filter(isKnown).map((join) => equality(join, node.each))
    const open = by.filter((join) => !isKnown(join))
    const fits = allOfNode([...known, rest])
    const from = this.#from(over.type, alias)
    const single = open.every((join) => !isList(join.from) && !join.to.list)
    const fromRow = this.#finds === 'row' && this.#within === 0
    if (open.length > 0 && single && !fromRow && isSelfContained(fits, node.each)) {
      const tests = this.#elsewhere(() => all([this.test(fits), ...open.flatMap(({ to, from }) => this.#soundPair(to, from, node.each))]))
      return this.#dialect.isInQuery(
        open.map(({ from }) => ({ value: this.#value(from), type: scalarOf(from) })),
        open.map(({ to }) => ({ value: this.#value(placeOf(to, node.each)), type: to.type })),
        (keys) => sql`select ${sql.join(keys)} from ${from} where ${tests}`,
      )
    }
    return this.#apart(() => {
      const tests = all([...open.map((join) => this.test(equality(join, node.each))), this.test(fits)])
      return sql<SqlBool>`exists (select 1 from ${from} where ${tests})`
    })
  }

  #elsewhere<T>(build: () => T): T {
    this.#within++
    const built = build()
    this.#within--
    return built
  }

  /** A test that reads other tables and speaks of the record. */
  #apart(build: () => Test): Test {
    if (this.#later === undefined || this.#within > 0) return build()
    this.#inRow = true
    const test = this.#elsewhere(build)
    this.#inRow = false
    return this.#later.ofRow(test)
  }

  /**
   * The chain above a record, from parent to parent; `union` ends it where it comes back to itself. Where the condition
   * asks of nothing but these records, the set of all that lie below one that fits comes first, for the sake of indexes.
   */
  #above(node: SomeNode, over: AncestorsNode): Test {
    const { type, by, link } = over
    const open = by.some(({ from }) => from.kind === 'field')
    const exact = this.#apart(() => (open && this.#dialect.closedRecursion ? this.#aboveAny(node, over) : this.#aboveOne(node, over)))
    const [only] = link.by
    if (only === undefined || link.by.length > 1 || only.from.list || by[0]?.from.kind !== 'field' || !isSelfContained(node.of, node.each))
      return exact
    return all([this.#below(node, type, only, by[0]), exact])
  }

  /** The chain that begins where the record leads to. */
  #aboveOne(node: SomeNode, over: AncestorsNode): Test {
    const chain = this.#alias('chain')
    const climbing = this.#climbing(over, chain, (first) => over.by.map((join) => equality(join, first)))
    const alias = this.#lookAt(node.each, over.type)
    const found = this.#reached(node, over, this.#keptKey(over, chain, 'k0', node.each))
    return sql<SqlBool>`exists (${climbing} select 1 from ${sql.ref(chain)}, ${this.#from(over.type, alias)} where ${found})`
  }

  /**
   * The same with the chains above every record of the type, each under the key of the one that it begins with: for
   * databases in which a recursive query stands alone.
   */
  #aboveAny(node: SomeNode, over: AncestorsNode): Test {
    const { type, by, key } = over
    const chain = this.#alias('chain')
    const climbing = this.#climbing(over, chain)
    const chains = this.#alias('chains')
    const begun = this.#helper()
    const entry = this.#lookAt(begun, type)
    const alias = this.#lookAt(node.each, type)
    const leads = [...by.map((join) => equality(join, begun)), equality({ to: key, from: this.#keptKey(over, chains, 's', begun) }, begun)]
    const found = all([...leads.map((one) => this.test(one)), this.#reached(node, over, this.#keptKey(over, chains, 'k0', node.each))])
    return sql<SqlBool>`exists (select 1 from ${this.#from(type, entry)}, (${climbing} select s, k0 from ${sql.ref(chain)}) as ${sql.ref(chains)}, ${this.#from(type, alias)} where ${found})`
  }

  /**
   * A recursive table of a chain: of each record its key as `k0`, and what the next step goes by as `k1` and on. It begins
   * where the conditions hold; without them with every record, whose key is then kept as `s`.
   */
  #climbing({ type, link, key }: AncestorsNode, chain: string, begin?: (first: number) => readonly ConditionNode[]): Fragment {
    const [first, further, above] = [this.#helper(), this.#helper(), this.#helper()]
    const start = this.#lookAt(first, type)
    const step = this.#lookAt(further, type)
    const kept = [key, ...link.by.map(({ from }) => from)]
    const names = kept.map((_, at) => `k${at}`)
    this.#looking.set(above, this.#keptIn(chain, new Map(kept.map((place, at) => [`k${at}`, this.#field(placeOf(place, further))]))))
    const columnsOf = (number: number) => kept.map((place) => this.#key(this.#field(placeOf(place, number)), place.type))
    const marked = begin === undefined
    const begun = all((begin?.(first) ?? []).map((one) => this.test(one)))
    const steps = link.by.map(({ to, from }, at) =>
      equality({ to, from: placeOf({ ...from, path: [names[at + 1] as string] }, above) }, further),
    )
    const columns = sql.join((marked ? ['s', ...names] : names).map((name) => sql.ref(name)))
    const from = sql.join([...(marked ? [this.#key(this.#field(placeOf(key, first)), key.type)] : []), ...columnsOf(first)])
    const on = sql.join([...(marked ? [sql.ref(`${chain}.s`)] : []), ...columnsOf(further)])
    const goesOn = all(steps.map((one) => this.test(one)))
    return sql`with recursive ${sql.ref(chain)}(${columns}) as (select ${from} from ${this.#from(type, start)} where ${begun} union select ${on} from ${this.#from(type, step)}, ${sql.ref(chain)} where ${goesOn})`
  }

  /** A key that a query made up on its way keeps; `like` is a record of the same type. */
  #keptKey({ key }: AncestorsNode, table: string, name: string, like: number): FieldNode {
    const kept = this.#helper()
    this.#looking.set(kept, this.#keptIn(table, new Map([[name, this.#field(placeOf(key, like))]])))
    return placeOf({ ...key, path: [name] }, kept)
  }

  /** The columns of a table that a query makes up on its way, from values such as these. */
  #keptIn(table: string, values: ReadonlyMap<string, Fragment>): Columns {
    const ref = ([name]: readonly string[]) => sql.id(table, name as string)
    const { kept } = this.#dialect
    return {
      value: (path) => kept?.(ref(path), values.get(path[0] as string) as Fragment) ?? ref(path),
      isNull: (path) => sql<SqlBool>`${ref(path)} is null`,
    }
  }

  /** Whether the record at hand is the one of that key in the chain, is not the one that the chain is of, and fits. */
  #reached(node: SomeNode, { key, self }: AncestorsNode, from: FieldNode): Test {
    const tests = [equality({ to: key, from }, node.each), notNode(equality({ to: key, from: self }, node.each)), node.of]
    return all(tests.map((one) => this.test(one)))
  }

  /** Whether the first step leads to a record that fits, or to one that lies below such a record. */
  #below(node: SomeNode, type: string, { to, from }: LinkNode['by'][number], first: JoinNode): Test {
    const set = this.#alias('below')
    const [next, reached] = [this.#helper(), this.#helper()]
    const top = this.#lookAt(node.each, type)
    const under = this.#lookAt(next, type)
    const key = this.#field(placeOf(to, node.each))
    this.#looking.set(reached, this.#keptIn(set, new Map([['k', key]])))
    const step = this.test(compareNode(placeOf(from, next), 'is', placeOf({ path: ['k'], type: to.type }, reached)))
    const further = this.#key(this.#field(placeOf(to, next)), to.type)
    const climbing = sql`with recursive ${sql.ref(set)}(k) as (select ${this.#key(key, to.type)} from ${this.#from(type, top)} where ${this.#elsewhere(() => this.test(node.of))} union select ${further} from ${this.#from(type, under)}, ${sql.ref(set)} where ${step})`
    const known = placeOf({ path: ['k'], type: to.type }, reached)
    return this.#dialect.isInQuery(
      [{ value: this.#value(first.from), type: scalarOf(first.from) }],
      [{ value: this.#value(known), type: to.type }],
      (keys) => sql`${climbing} select ${sql.join(keys)} from ${sql.ref(set)}`,
    )
  }

  #key(value: Fragment, type: Scalar): Fragment {
    return this.#dialect.key?.(value, type) ?? value
  }

  #helper(): number {
    this.#aliases += 1
    return -this.#aliases
  }

  /** Lets the number stand for a row of a record type's table, under a new alias. */
  #lookAt(number: number, type: string): string {
    const alias = this.#alias('linked')
    this.#looking.set(
      number,
      this.#columnsOf((name) => sql.id(alias, name), this.#layout?.tables[type]),
    )
    return alias
  }

  #columnsOf(ref: (column: string) => Fragment, place: TablePlace | undefined): Columns {
    // One column, one fragment: a dialect may keep what it knows of it.
    const seen = new Map<string, Column>()
    const column = (field: string) => {
      const there = seen.get(field)
      if (there !== undefined) return there
      const { name, as } = place?.columns[field] ?? { name: field }
      const made: Column = { ref: ref(name), ...(as === undefined ? {} : { as }) }
      seen.set(field, made)
      return made
    }
    return {
      value: ([field, ...inner], type) => this.#dialect.column(column(field as string), inner, type),
      isNull: ([field, ...inner], type) => this.#dialect.isNull(column(field as string), inner, type),
    }
  }

  #from(type: string, alias: string): Fragment {
    const { schema, name = type } = this.#layout?.tables[type] ?? {}
    return sql`${schema === undefined ? sql.id(name) : sql.id(schema, name)} as ${sql.id(alias)}`
  }

  #soundPair(to: PlaceNode, from: TermNode, each: number): Test[] {
    const value = this.#value(placeOf(to, each))
    const own = this.#soundValue(value, to.type)
    return scalarOf(from) === to.type ? own : [...own, ...this.#soundValue(value, scalarOf(from))]
  }

  #compare(node: CompareNode): Test {
    const { left, right, by } = node
    if (nothing(left) || nothing(right)) return NO
    const dialect = this.#dialect
    switch (by) {
      case 'is':
        return this.#same(left, right)
      case 'isOneOf':
        return this.#inList(left, right)
      case 'has':
        return this.#inList(right, left)
      case 'hasIgnoringCase': {
        const item = this.#text(right)
        return all([
          dialect.someElement(this.#alias('element'), this.#list(left), scalarOf(left), (element) =>
            dialect.sameIgnoringCase(element, item),
          ),
          ...this.#sound(right),
        ])
      }
      case 'overlaps':
        return this.#overlaps(left, right)
      case 'isLessThan':
      case 'isMoreThan':
      case 'isAtMost':
      case 'isAtLeast':
      case 'isBefore':
      case 'isAfter':
        return all([this.#inOrder(this.#value(left), ORDERS[by], this.#value(right)), ...this.#sound(left), ...this.#sound(right)])
      case 'startsWith':
        if (right.kind === 'literal') return all([dialect.startsWithKnown(this.#value(left), right.value as string), ...this.#sound(left)])
        return all([dialect.startsWith(this.#value(left), this.#value(right)), ...this.#sound(left), ...this.#sound(right)])
      case 'endsWith':
        return all([dialect.endsWith(this.#value(left), this.#value(right)), ...this.#sound(left), ...this.#sound(right)])
      case 'isIgnoringCase':
        return all([dialect.sameIgnoringCase(this.#text(left), this.#text(right)), ...this.#sound(left), ...this.#sound(right)])
    }
  }

  /** Equality. What equals a known value is sound by that; of two columns, one has to be looked at. */
  #same(left: TermNode, right: TermNode): Test {
    if (!mayBeEqual(left, right)) return NO
    const a = this.#value(left)
    const b = this.#value(right)
    const same = this.#equal(a, b, scalarOf(left))
    return left.kind === 'literal' || right.kind === 'literal' ? same : all([same, ...this.#sound(left), ...this.#sound(right)])
  }

  #equal(left: Fragment, right: Fragment, type: Scalar): Test {
    return family(type) === 'text' ? this.#dialect.sameText(left, right) : this.#inOrder(left, '=', right)
  }

  #inOrder(left: Fragment, order: Order, right: Fragment): Test {
    return this.#dialect.inOrder?.(left, order, right) ?? sql<SqlBool>`${left} ${sql.raw(order)} ${right}`
  }

  #inList(item: TermNode, list: TermNode): Test {
    if (list.kind === 'literal') {
      const values = literalValues(list).filter((value) => holds(item, value))
      return values.length === 0 ? NO : this.#dialect.isAmong(this.#value(item), values, list.type)
    }
    if (!mayBeEqual(item, list)) return NO
    const wanted = this.#value(item)
    const type = scalarOf(list)
    if (list.kind === 'claim') return all([this.#laterFor(list).isAmong(wanted, scalarOf(item), list), ...this.#sound(item)])
    if (item.kind === 'literal' && list.kind === 'field') {
      const known = this.#dialect.hasKnown?.(this.#list(list), comparableOf(item.value as Comparable, item.type), type)
      if (known !== undefined) return known
    }
    const found = this.#dialect.someElement(this.#alias('element'), this.#list(list), type, (element) => {
      const same = this.#equal(element, wanted, type)
      return item.kind === 'literal' || type === scalarOf(item) ? same : all([same, ...this.#soundValue(element, type)])
    })
    return all([found, ...(item.kind === 'literal' ? [] : this.#sound(item))])
  }

  #overlaps(left: TermNode, right: TermNode): Test {
    if ((left.kind === 'literal' && right.kind !== 'literal') || (left.kind === 'claim' && right.kind === 'field'))
      return this.#overlaps(right, left)
    const type = scalarOf(left)
    const dialect = this.#dialect
    const own = this.#list(left)
    if (right.kind === 'literal') {
      const values = literalValues(right).filter((value) => holds(left, value))
      if (values.length === 0) return NO
      const found = dialect.someElement(this.#alias('element'), own, type, (element) => dialect.isAmong(element, values, right.type))
      const may = dialect.mayOverlap?.(own, values, type)
      return may === undefined ? found : all([may, found])
    }
    if (right.kind === 'claim') {
      const among = (element: Fragment) => all([this.#laterFor(right).isAmong(element, type, right), ...this.#soundValue(element, type)])
      return dialect.someElement(this.#alias('element'), own, type, among)
    }
    return dialect.someElement(this.#alias('element'), own, type, (element) => {
      return dialect.someElement(this.#alias('element'), this.#list(right), scalarOf(right), (other) =>
        all([
          this.#equal(element, other, type),
          ...this.#soundValue(element, type),
          ...(type === scalarOf(right) ? [] : this.#soundValue(other, scalarOf(right))),
        ]),
      )
    })
  }

  /** What a column has to fulfil to equal or exceed anything at all: values that are improper equal nothing. */
  #sound(term: TermNode): Test[] {
    if (term.kind === 'field') return this.#soundValue(this.#value(term), term.type === 'other' ? 'text' : term.type)
    if (term.kind !== 'orElse') return []
    // Each of the two by its own type: a blank is a text and no id.
    const first = this.#sound(term.term)
    const otherwise = this.#sound(term.otherwise)
    if (first.length === 0 && otherwise.length === 0) return []
    const missing = this.#missing(term.term)
    const there = sql<SqlBool>`(${missing}) is not true`
    return [joined([all([missing, ...otherwise]), all([there, ...first])], ' or ', YES)]
  }

  #soundValue(value: Fragment, type: Scalar): Test[] {
    const { hasNul, isInstant } = this.#dialect
    const whole = hasNul === undefined ? [] : [sql<SqlBool>`not ${hasNul(value)}`]
    if (type === 'id') return [sql<SqlBool>`not ${this.#dialect.isBlank(value)}`, ...whole]
    if (type === 'text') return whole
    if (type === 'time') return isInstant === undefined ? [] : [isInstant(value)]
    if (type !== 'integer' && type !== 'number') return []
    const largest = LARGEST[type]
    return [sql<SqlBool>`${value} between ${this.#dialect.value(-largest, type)} and ${this.#dialect.value(largest, type)}`]
  }

  #missing(term: TermNode): Test {
    switch (term.kind) {
      case 'field': {
        const empty = this.#isNull(term)
        return term.type === 'id' && !term.list ? sql<SqlBool>`(${empty} or ${this.#dialect.isBlank(this.#field(term))})` : empty
      }
      case 'orElse':
        return all([this.#missing(term.term), this.#missing(term.otherwise)])
      case 'literal':
        return term.value === null ? YES : NO
      case 'now':
      case 'forever':
        return NO
      case 'claim':
        return this.#laterFor(term).isMissing(term)
    }
  }

  #laterFor(claim: ClaimNode): Later {
    if (this.#later === undefined) throw new UnspecialisedError(claim.path.join('.'))
    return this.#later
  }

  /** A text, in small letters already where it is known. */
  #text(term: TermNode): Fragment {
    if (term.kind !== 'literal') return this.#value(term)
    return this.#dialect.value(lowerAscii(term.value as string), 'text')
  }

  #value(term: TermNode): Fragment {
    switch (term.kind) {
      case 'field':
        return this.#field(term)
      case 'literal':
        return term.value === null ? sql`null` : this.#dialect.value(comparableOf(term.value as Comparable, term.type), term.type)
      case 'now':
        return this.#later?.now ?? this.#dialect.value(this.#now, 'time')
      case 'forever':
        return this.#dialect.forever()
      case 'orElse':
        return this.#orElse(term.term, this.#value(term.term), this.#value(term.otherwise))
      case 'claim':
        return this.#laterFor(term).claim(term)
    }
  }

  #list(term: TermNode): Fragment {
    switch (term.kind) {
      case 'field':
        return this.#columns(term.of).value(term.path, 'list')
      case 'literal':
        return term.value === null ? sql`null` : this.#dialect.listValue(literalValues(term), term.type)
      case 'orElse':
        return this.#orElse(term.term, this.#plain(term.term), this.#plain(term.otherwise))
      case 'claim':
        return this.#laterFor(term).claims(term)
      case 'now':
      case 'forever':
        return sql`null`
    }
  }

  #plain(term: TermNode): Fragment {
    const list = this.#list(term)
    return this.#dialect.plainList?.(list) ?? list
  }

  #orElse(term: TermNode, first: Fragment, otherwise: Fragment): Fragment {
    // A column is null where it is missing. A blank id is missing as well; and in JSON null is a value, and a value may be none.
    if (term.kind === 'field' && typeof term.of !== 'number' && term.path.length === 1 && !term.list && term.type !== 'id')
      return sql`coalesce(${first}, ${otherwise})`
    return sql`case when ${this.#missing(term)} then ${otherwise} else ${first} end`
  }

  #alias(of: string): string {
    this.#aliases += 1
    return `${of}${this.#aliases}`
  }

  #field({ of, path, type, list }: FieldNode): Fragment {
    const { value } = this.#columns(of)
    return value(path, list ? 'list' : type === 'other' ? 'text' : type)
  }

  #isNull({ of, path, type, list }: FieldNode): Test {
    return this.#columns(of).isNull(path, list ? 'list' : type)
  }

  // A field asked of the record as it would become is asked of the record as it is: nothing is about to change, or else
  // it has been filled in beforehand.
  #columns(of: FieldNode['of']): Columns {
    if (typeof of === 'number') return this.#looking.get(of) as Columns
    if (this.#table === undefined && this.#looking.size > 0) throw new UnnamedTableError()
    const later = this.#later
    const place = this.#type === undefined ? undefined : this.#layout?.tables[this.#type]
    if (this.#inRow && later !== undefined) {
      this.#ofRow ??= this.#columnsOf((name) => later.rowColumn(name), place)
      return this.#ofRow
    }
    this.#own ??= this.#columnsOf((name) => (this.#table === undefined ? sql.id(name) : sql.id(this.#table, name)), place)
    return this.#own
  }
}
