import { type RawBuilder, type SqlBool, sql } from 'kysely'
import {
  type AnyOfNode,
  absorbed,
  allOfNode,
  type ConditionNode,
  type ElementsNode,
  equality,
  followsLinks,
  isList,
  isSelfContained,
  type JoinNode,
  joinsOf,
  lower,
  type PlaceNode,
  placeOf,
  pushNot,
  type RecordsNode,
  type SomeNode,
  scalarOf,
  simplify,
  type TermNode,
} from '../condition/index.js'
import { Chains } from './chains.js'
import type { Expressions, Fragment, Side, Test } from './expressions.js'
import { Comparisons } from './operators.js'
import { all, forEachRow, isFound, joined, NO, YES } from './predicates.js'
import { Scope, type ScopeOptions } from './scope.js'
import { Terms } from './terms.js'

/** How a condition becomes SQL. */
export interface CompileOptions extends ScopeOptions {
  /** Whether the query searches for rows. Otherwise it names one row by its key, and links are followed from that row. */
  readonly finds?: 'rows' | 'row'
  /** The fields of the key of the record type, if the query searches for rows. */
  readonly key?: readonly PlaceNode[]
  /** Which of the `keyQueries` find so many rows that a union of keys is slow. Default: none. It changes how rows are found, and not which. */
  readonly broad?: readonly boolean[]
}

/**
 * A condition as a Kysely expression, true exactly where the condition holds and otherwise false or null.
 * Use it as it stands in WHERE; wrap it in `is true` where its complement is needed.
 *
 * @throws UnspecialisedError where claims are left in it, UnnamedTableError.
 */
export function compile(condition: ConditionNode, options: CompileOptions): RawBuilder<SqlBool> {
  return new Compiler(options).whole(normal(condition)) as RawBuilder<SqlBool>
}

/**
 * The queries of keys that a compiled condition finds its rows by, always in the same order. None if the database needs no union of keys.
 * @throws UnspecialisedError where claims are left in it, UnnamedTableError.
 */
export function keyQueries(condition: ConditionNode, options: CompileOptions): readonly Fragment[] {
  const found: Fragment[] = []
  new Compiler(options, found).whole(normal(condition))
  return found
}

function normal(condition: ConditionNode): ConditionNode {
  return pushNot(lower(absorbed(simplify(condition))))
}

class Compiler {
  readonly #expressions: Expressions
  readonly #finds: CompileOptions['finds']
  readonly #key: readonly PlaceNode[] | undefined
  readonly #broad: readonly boolean[]
  /** The queries of keys, in the order in which they were made. */
  readonly #keyQueries: Fragment[]
  readonly #scope: Scope
  readonly #terms: Terms
  readonly #comparisons: Comparisons
  readonly #chains: Chains

  constructor(options: CompileOptions, keyQueries: Fragment[] = []) {
    this.#broad = options.broad ?? []
    this.#keyQueries = keyQueries
    this.#expressions = options.dialect.expressions
    this.#finds = options.finds
    this.#key = options.key
    this.#scope = new Scope(options)
    this.#terms = new Terms(this.#scope)
    this.#comparisons = new Comparisons(this.#scope, this.#terms)
    this.#chains = new Chains(this.#scope, this.#terms, (node) => this.test(node))
  }

  /** The whole condition, in a form that lets the database find rows by indexes. */
  whole(node: ConditionNode): Test {
    switch (node.kind) {
      case 'allOf':
        return all(node.of.map((part) => this.whole(part)))
      case 'anyOf':
        return this.#anyOf(node)
      case 'constant':
      case 'not':
      case 'named':
      case 'compare':
      case 'presence':
      case 'listChange':
      case 'some':
        return this.test(node)
    }
  }

  #anyOf(node: AnyOfNode): Test {
    const { unionOfKeys } = this.#expressions
    if (unionOfKeys === undefined || this.#finds !== 'rows' || this.#key === undefined) return this.test(node)
    if (!node.of.every(isFound) || !node.of.some(followsLinks)) return this.test(node)
    const parts = node.of.map((part) => {
      const isBroad = this.#broad[this.#keyQueries.length] === true
      const query = this.#keysWhere(part)
      this.#keyQueries.push(query)
      return { part, query, isBroad }
    })
    const broad = parts.filter(({ isBroad }) => isBroad)
    const narrow = parts.filter(({ isBroad }) => !isBroad)
    const [only] = narrow
    const found =
      broad.length > 0 && narrow.length < 2
        ? only && this.test(only.part)
        : unionOfKeys(
            this.#ownKey(),
            this.#scope.alias('found'),
            narrow.map(({ query }) => query),
          )
    const tests = [...broad.map(({ part }) => this.test(part)), ...(found ? [found] : [])]
    return joined(tests, ' or ', NO)
  }

  /** If a link leads to the key itself, with all of its fields, the keys are the ones that the linked records hold. */
  #linkedKeys(node: SomeNode, over: RecordsNode): Fragment | undefined {
    const { by, rest } = joinsOf(node, over, (from) => from.kind !== 'field')
    const open = by.filter(({ from }) => from.kind === 'field')
    const ordered = (this.#key ?? []).map(({ path }) => open.find(({ from }) => from.kind === 'field' && from.path.join('.') === path[0]))
    if (open.length !== ordered.length || !ordered.every((join) => join !== undefined && !isList(join.from) && !join.to.list))
      return undefined
    const joins = ordered as readonly JoinNode[]
    const known = by.filter((join) => !joins.includes(join)).map((join) => equality(join, node.each))
    const alias = this.#scope.lookAt(node.each, over.type)
    const key = joins.map(({ to }) => this.#terms.value(placeOf(to, node.each)))
    const own = this.#ownKey()
    if (!key.every((part, at) => this.#expressions.areAlike?.(own[at] as Fragment, part) === true)) return undefined
    const sound = joins.flatMap(({ to, from }) => this.#terms.soundPair(to, from, node.each))
    const tests = all([this.test(allOfNode([...known, rest])), ...sound])
    return sql`select ${this.#keyColumns(key)} from ${this.#scope.from(over.type, alias)} where ${tests}`
  }

  #keyColumns(key: readonly Fragment[]): Fragment {
    return this.#expressions.keyColumns?.(key) ?? sql.join(key)
  }

  #ownKey(): readonly Fragment[] {
    return (this.#key ?? []).map(({ path, type }) => this.#scope.columns('record').value(path, type))
  }

  /** The keys of the rows on which a condition holds. */
  #keysWhere(node: ConditionNode): Fragment {
    const linked =
      node.kind === 'some' && node.least === undefined && node.over.kind === 'records' ? this.#linkedKeys(node, node.over) : undefined
    if (linked !== undefined) return linked
    const alias = this.#scope.alias('row')
    const from = this.#scope.from(this.#scope.type as string, alias)
    return this.#scope.asRow(alias, () => sql`select ${this.#keyColumns(this.#ownKey())} from ${from} where ${this.test(node)}`)
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
        // Only comparisons and `some` remain under a `not`. Null means that something is missing, so the comparison is false.
        return sql<SqlBool>`(${this.test(node.of)}) is not true`
      case 'presence': {
        const missing = this.#terms.missing(node.term)
        return node.present ? sql<SqlBool>`(${missing}) is not true` : missing
      }
      case 'compare':
        return this.#comparisons.compare(node)
      case 'listChange':
        return this.#comparisons.change(node)
      case 'some':
        return this.#some(node)
    }
  }

  #some(node: SomeNode): Test {
    switch (node.over.kind) {
      case 'ancestors':
        return this.#chains.above(node, node.over)
      case 'records':
        return this.#linked(node, node.over)
      case 'elements':
        return this.#element(node, node.over)
    }
  }

  #element(node: SomeNode, over: ElementsNode): Test {
    const { each } = node
    if (this.#scope.later !== undefined && !this.#scope.isWithin && followsLinks(node.of)) return this.#scope.apart(() => this.#some(node))
    const alias = this.#scope.alias('element')
    return this.#expressions.someObject(alias, this.#terms.list(over.list), (value) => {
      this.#scope.look(each, {
        value: (path, type) => this.#expressions.inside(value, path, type),
        isNull: (path) => this.#expressions.isNullInside(value, path),
      })
      return this.test(node.of)
    })
  }

  /** The values of a record that links join on, and the keys that they lead to. */
  #sides(joins: readonly JoinNode[], each: number): readonly [Side[], Side[]] {
    return [joins.map(({ from }) => this.#side(from)), joins.map(({ to }) => this.#side(placeOf(to, each)))]
  }

  #side(term: TermNode): Side {
    return { value: this.#terms.value(term), type: scalarOf(term) }
  }

  /**
   * Linked records are found by a set of keys that does not depend on the row, or else row by row. The set is preferred: the database
   * answers an OR of sets through indexes, but an OR of lookups row by row.
   */
  #linked(node: SomeNode, over: RecordsNode): Test {
    const { by, rest } = joinsOf(node, over, (from) => from.kind !== 'field')
    const alias = this.#scope.lookAt(node.each, over.type)
    const isKnown = ({ from }: JoinNode) => from.kind !== 'field'
    const known = by.filter(isKnown).map((join) => equality(join, node.each))
    const open = by.filter((join) => !isKnown(join))
    const fits = allOfNode([...known, rest])
    const from = this.#scope.from(over.type, alias)
    if (node.least !== undefined) {
      // Counted for each row by exact comparisons: groups of a collation could contain the records of two keys.
      return this.#scope.apart(() => {
        const tests = [...open.map((join) => this.test(equality(join, node.each))), this.test(fits), ...forEachRow(this.#expressions)]
        return sql<SqlBool>`(select count(*) from ${from} where ${all(tests)}) >= ${sql.lit(node.least)}`
      })
    }
    const single = open.every((join) => !isList(join.from) && !join.to.list)
    const fromRow = this.#finds === 'row' && !this.#scope.isWithin
    if (open.length > 0 && single && !fromRow && isSelfContained(fits, node.each)) {
      const tests = this.#scope.elsewhere(() =>
        all([this.test(fits), ...open.flatMap(({ to, from }) => this.#terms.soundPair(to, from, node.each))]),
      )
      return this.#expressions.isInQuery(
        ...this.#sides(open, node.each),
        (keys) => sql`select ${sql.join(keys)} from ${from} where ${tests}`,
      )
    }
    return this.#scope.apart(() => {
      const { findsForRow } = this.#expressions
      const joins = single ? open : []
      if (findsForRow !== undefined) {
        const rest = single ? [] : open.map((join) => this.test(equality(join, node.each)))
        const sound = joins.flatMap(({ to, from }) => this.#terms.soundPair(to, from, node.each))
        const tests = all([...rest, this.test(fits), ...sound, ...forEachRow(this.#expressions)])
        return findsForRow(...this.#sides(joins, node.each), (keys) => sql`select ${sql.join(keys)} from ${from} where ${tests}`)
      }
      const tests = all([...open.map((join) => this.test(equality(join, node.each))), this.test(fits)])
      return sql<SqlBool>`exists (select 1 from ${from} where ${tests})`
    })
  }
}
