import { type SqlBool, sql } from 'kysely'
import {
  type AncestorsNode,
  allOfNode,
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
  type TermNode,
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
    const found = this.#reached(node, over, this.#keptKeys(over, chain, 'k', node.each))
    const rows = sql`${sql.ref(chain)}, ${this.#scope.from(over.type, alias)} where ${found}`
    if (node.least === undefined) return sql<SqlBool>`exists (${climbing} select 1 from ${rows})`
    return sql<SqlBool>`(${climbing} ${this.#countOf(over, chain, rows)}) >= ${sql.lit(node.least)}`
  }

  /**
   * The chains above all records of the type, each with the key of its start: for databases where a recursive query cannot refer to an
   * outer row.
   */
  #aboveAny(node: SomeNode, over: AncestorsNode): Test {
    const { type, by, keys } = over
    const chain = this.#scope.alias('chain')
    const climbing = this.#climbing(over, chain)
    const chains = this.#scope.alias('chains')
    const begun = this.#scope.helper()
    const entry = this.#scope.lookAt(begun, type)
    const alias = this.#scope.lookAt(node.each, type)
    const starts = this.#keptKeys(over, chains, 's', begun)
    const leads = [
      ...by.map((join) => equality(join, begun)),
      ...keys.map((to, at) => equality({ to, from: starts[at] as FieldNode }, begun)),
    ]
    const found = all([...leads.map((one) => this.#test(one)), this.#reached(node, over, this.#keptKeys(over, chains, 'k', node.each))])
    const columns = sql.join(keys.flatMap((_, at) => [sql.ref(`s${at}`), sql.ref(`k${at}`)]))
    const rows = sql`${this.#scope.from(type, entry)}, (${climbing} select ${columns} from ${sql.ref(chain)}) as ${sql.ref(chains)}, ${this.#scope.from(type, alias)} where ${found}`
    if (node.least === undefined) return sql<SqlBool>`exists (select 1 from ${rows})`
    return sql<SqlBool>`(${this.#countOf(over, chains, rows)}) >= ${sql.lit(node.least)}`
  }

  /** How many different records of a chain there are. Not every database counts combinations of columns. */
  #countOf({ keys }: AncestorsNode, table: string, rows: Fragment): Fragment {
    const columns = sql.join(keys.map((_, at) => sql.id(table, `k${at}`)))
    if (keys.length === 1 || this.#expressions.closedRecursion) return sql`select count(distinct ${columns}) from ${rows}`
    return sql`select count(*) from (select distinct ${columns} from ${rows}) as ${sql.ref(this.#scope.alias('different'))}`
  }

  /**
   * A recursive table of a chain: the key of each record from `k0`, and after it the values that the next step joins on. It starts with the
   * records on which the conditions hold. Without conditions it starts with every record and keeps its key from `s0`.
   */
  #climbing({ type, link, keys }: AncestorsNode, chain: string, begin?: (first: number) => readonly ConditionNode[]): Fragment {
    const [first, further, above] = [this.#scope.helper(), this.#scope.helper(), this.#scope.helper()]
    const start = this.#scope.lookAt(first, type)
    const step = this.#scope.lookAt(further, type)
    const kept = [...keys, ...link.by.map(({ from }) => from)]
    const names = kept.map((_, at) => `k${at}`)
    this.#scope.look(above, this.#keptIn(chain, new Map(kept.map((place, at) => [`k${at}`, this.#terms.field(placeOf(place, further))]))))
    const columnsOf = (number: number) => kept.map((place) => this.#terms.key(this.#terms.field(placeOf(place, number)), place.type))
    const marked = begin === undefined
    const begun = all([...(begin?.(first) ?? []), onLinked(link, first, TRUE)].map((one) => this.#test(one)))
    const steps = link.by.map(({ to, from }, at) =>
      equality({ to, from: placeOf({ ...from, path: [names[at + keys.length] as string] }, above) }, further),
    )
    const marks = marked ? keys.map((_, at) => `s${at}`) : []
    const columns = sql.join([...marks, ...names].map((name) => sql.ref(name)))
    const from = sql.join([...columnsOf(first).slice(0, marks.length), ...columnsOf(first)])
    const on = sql.join([...marks.map((name) => sql.ref(`${chain}.${name}`)), ...columnsOf(further)])
    const goesOn = all([...steps, onLinked(link, further, TRUE)].map((one) => this.#test(one)))
    return sql`with recursive ${sql.ref(chain)}(${columns}) as (select ${from} from ${this.#scope.from(type, start)} where ${begun} union select ${on} from ${this.#scope.from(type, step)}, ${sql.ref(chain)} where ${goesOn})`
  }

  /** A key that a query selected from another, part by part; `like` is a record of the same type. */
  #keptKeys({ keys }: AncestorsNode, table: string, name: 's' | 'k', like: number): readonly FieldNode[] {
    const kept = this.#scope.helper()
    this.#scope.look(kept, this.#keptIn(table, new Map(keys.map((place, at) => [`${name}${at}`, this.#terms.field(placeOf(place, like))]))))
    return keys.map((place, at) => placeOf({ ...place, path: [`${name}${at}`] }, kept))
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
  #reached(node: SomeNode, { keys, self }: AncestorsNode, from: readonly FieldNode[]): Test {
    const holds = (key: readonly TermNode[]) => keys.map((to, at) => equality({ to, from: key[at] as TermNode }, node.each))
    const tests = [...holds(from), notNode(allOfNode(holds(self))), node.of]
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
