import { type SqlBool, sql } from 'kysely'
import {
  type AncestorsNode,
  type ConditionNode,
  compareNode,
  equality,
  type FieldNode,
  isSelfContained,
  type JoinNode,
  type LinkNode,
  notNode,
  onLinked,
  placeOf,
  type SomeNode,
  scalarOf,
  TRUE,
} from '../condition/index.js'
import type { Expressions, Fragment, Test } from './expressions.js'
import { all, forEachRow } from './predicates.js'
import type { Columns, Scope } from './scope.js'
import type { Terms } from './terms.js'

/** Chains of records above one, as recursive queries. */
export class Chains {
  readonly #scope: Scope
  readonly #terms: Terms
  readonly #expressions: Expressions
  readonly #test: (node: ConditionNode) => Test

  constructor(scope: Scope, terms: Terms, test: (node: ConditionNode) => Test) {
    this.#scope = scope
    this.#terms = terms
    this.#expressions = scope.dialect.expressions
    this.#test = test
  }

  /**
   * The chain above a record, from parent to parent; `union` ends it in a cycle. If the condition reads only the records of the chain, the
   * query starts from the set of all records below a matching one, because indexes serve that.
   */
  above(node: SomeNode, over: AncestorsNode): Test {
    const { type, by, link } = over
    const open = by.some(({ from }) => from.kind === 'field')
    const exact = this.#scope.apart(() =>
      open && this.#expressions.closedRecursion ? this.#aboveAny(node, over) : this.#aboveOne(node, over),
    )
    const [only] = link.by
    if (only === undefined || link.by.length > 1 || only.from.list || by[0]?.from.kind !== 'field' || !isSelfContained(node.of, node.each))
      return exact
    return all([this.#below(node, type, only, by[0]), exact])
  }

  /** The chain that starts where the record leads to. */
  #aboveOne(node: SomeNode, over: AncestorsNode): Test {
    const chain = this.#scope.alias('chain')
    const climbing = this.#climbing(over, chain, (first) => over.by.map((join) => equality(join, first)))
    const alias = this.#scope.lookAt(node.each, over.type)
    const found = this.#reached(node, over, this.#keptKey(over, chain, 'k0', node.each))
    const rows = sql`${sql.ref(chain)}, ${this.#scope.from(over.type, alias)} where ${found}`
    if (node.least === undefined) return sql<SqlBool>`exists (${climbing} select 1 from ${rows})`
    return sql<SqlBool>`(${climbing} select count(distinct ${sql.id(chain, 'k0')}) from ${rows}) >= ${sql.lit(node.least)}`
  }

  /**
   * The chains above all records of the type, each with the key of its start: for databases where a recursive query cannot refer to an
   * outer row.
   */
  #aboveAny(node: SomeNode, over: AncestorsNode): Test {
    const { type, by, key } = over
    const chain = this.#scope.alias('chain')
    const climbing = this.#climbing(over, chain)
    const chains = this.#scope.alias('chains')
    const begun = this.#scope.helper()
    const entry = this.#scope.lookAt(begun, type)
    const alias = this.#scope.lookAt(node.each, type)
    const leads = [...by.map((join) => equality(join, begun)), equality({ to: key, from: this.#keptKey(over, chains, 's', begun) }, begun)]
    const found = all([...leads.map((one) => this.#test(one)), this.#reached(node, over, this.#keptKey(over, chains, 'k0', node.each))])
    const rows = sql`${this.#scope.from(type, entry)}, (${climbing} select s, k0 from ${sql.ref(chain)}) as ${sql.ref(chains)}, ${this.#scope.from(type, alias)} where ${found}`
    if (node.least === undefined) return sql<SqlBool>`exists (select 1 from ${rows})`
    return sql<SqlBool>`(select count(distinct ${sql.id(chains, 'k0')}) from ${rows}) >= ${sql.lit(node.least)}`
  }

  /**
   * A recursive table of a chain: the key of each record as `k0`, and the values that the next step joins on from `k1`. It starts with the
   * records on which the conditions hold. Without conditions it starts with every record and keeps its key as `s`.
   */
  #climbing({ type, link, key }: AncestorsNode, chain: string, begin?: (first: number) => readonly ConditionNode[]): Fragment {
    const [first, further, above] = [this.#scope.helper(), this.#scope.helper(), this.#scope.helper()]
    const start = this.#scope.lookAt(first, type)
    const step = this.#scope.lookAt(further, type)
    const kept = [key, ...link.by.map(({ from }) => from)]
    const names = kept.map((_, at) => `k${at}`)
    this.#scope.look(above, this.#keptIn(chain, new Map(kept.map((place, at) => [`k${at}`, this.#terms.field(placeOf(place, further))]))))
    const columnsOf = (number: number) => kept.map((place) => this.#terms.key(this.#terms.field(placeOf(place, number)), place.type))
    const marked = begin === undefined
    const begun = all([...(begin?.(first) ?? []), onLinked(link, first, TRUE)].map((one) => this.#test(one)))
    const steps = link.by.map(({ to, from }, at) =>
      equality({ to, from: placeOf({ ...from, path: [names[at + 1] as string] }, above) }, further),
    )
    const columns = sql.join((marked ? ['s', ...names] : names).map((name) => sql.ref(name)))
    const from = sql.join([...(marked ? [this.#terms.key(this.#terms.field(placeOf(key, first)), key.type)] : []), ...columnsOf(first)])
    const on = sql.join([...(marked ? [sql.ref(`${chain}.s`)] : []), ...columnsOf(further)])
    const goesOn = all([...steps, onLinked(link, further, TRUE)].map((one) => this.#test(one)))
    return sql`with recursive ${sql.ref(chain)}(${columns}) as (select ${from} from ${this.#scope.from(type, start)} where ${begun} union select ${on} from ${this.#scope.from(type, step)}, ${sql.ref(chain)} where ${goesOn})`
  }

  /** A key that a query selected from another; `like` is a record of the same type. */
  #keptKey({ key }: AncestorsNode, table: string, name: string, like: number): FieldNode {
    const kept = this.#scope.helper()
    this.#scope.look(kept, this.#keptIn(table, new Map([[name, this.#terms.field(placeOf(key, like))]])))
    return placeOf({ ...key, path: [name] }, kept)
  }

  /** The columns of a derived table with such values. */
  #keptIn(table: string, values: ReadonlyMap<string, Fragment>): Columns {
    const ref = ([name]: readonly string[]) => sql.id(table, name as string)
    const { kept } = this.#expressions
    return {
      value: (path) => kept?.(ref(path), values.get(path[0] as string) as Fragment) ?? ref(path),
      isNull: (path) => sql<SqlBool>`${ref(path)} is null`,
    }
  }

  /** Whether the current record has that key in the chain, is not the record that the chain belongs to, and matches. */
  #reached(node: SomeNode, { key, self }: AncestorsNode, from: FieldNode): Test {
    const tests = [equality({ to: key, from }, node.each), notNode(equality({ to: key, from: self }, node.each)), node.of]
    return all([...tests.map((one) => this.#test(one)), ...forEachRow(this.#expressions)])
  }

  /** Whether the first step leads to a matching record, or to one below such a record. */
  #below(node: SomeNode, type: string, { to, from }: LinkNode['by'][number], first: JoinNode): Test {
    const set = this.#scope.alias('below')
    const [next, reached] = [this.#scope.helper(), this.#scope.helper()]
    const top = this.#scope.lookAt(node.each, type)
    const under = this.#scope.lookAt(next, type)
    const key = this.#terms.field(placeOf(to, node.each))
    this.#scope.look(reached, this.#keptIn(set, new Map([['k', key]])))
    const step = this.#test(compareNode(placeOf(from, next), 'is', placeOf({ path: ['k'], type: to.type }, reached)))
    const further = this.#terms.key(this.#terms.field(placeOf(to, next)), to.type)
    const climbing = sql`with recursive ${sql.ref(set)}(k) as (select ${this.#terms.key(key, to.type)} from ${this.#scope.from(type, top)} where ${this.#scope.elsewhere(() => this.#test(node.of))} union select ${further} from ${this.#scope.from(type, under)}, ${sql.ref(set)} where ${step})`
    const known = placeOf({ path: ['k'], type: to.type }, reached)
    return this.#expressions.isInQuery(
      [{ value: this.#terms.value(first.from), type: scalarOf(first.from) }],
      [{ value: this.#terms.value(known), type: to.type }],
      (keys) => sql`${climbing} select ${sql.join(keys)} from ${sql.ref(set)}`,
    )
  }
}
