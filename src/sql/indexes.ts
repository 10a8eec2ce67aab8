import { type Kysely, sql } from 'kysely'
import {
  anyLeaf,
  type CompareNode,
  type ConditionNode,
  eachNode,
  type FieldNode,
  isSelfContained,
  joinsOf,
  lower,
  operatorOf,
  type PlaceNode,
  partsOfTerm,
  pushNot,
  type RecordsNode,
  type SomeNode,
  simplify,
  type TermNode,
} from '../condition/index.js'
import { conditionsOfType, type Field, fieldOf, type Model, type TypeModel, typeModel } from '../rulebook/index.js'
import type { Dialect } from './dialect.js'
import { layoutOf } from './layout.js'
import type { FoundIndex, Layout, TablePlace, WantedIndex } from './places.js'

/**
 * The columns that rules search by: in lists, those compared with claims and those that links join on; when a write is judged, those that
 * lead from the record to linked ones. Comparisons with constants, such as a state, are left out, because most rows have one of a few
 * values.
 */
export function wantedIndexes({ types }: Pick<Model, 'types'>): WantedIndex[] {
  const found = new Map<string, WantedIndex & { readonly rules: string[] }>()
  for (const type of Object.values(types)) {
    for (const [rule, condition] of conditionsOf(type)) {
      const want = (of: string, { path, list }: PlaceNode, how: WantedIndex['for']) => {
        const [field] = path
        // The index of the key serves its first field too.
        if (field === undefined || path.length > 1 || (types[of] as TypeModel).keys[0] === field) return
        // No database has an index on the elements of a list without regard to case.
        if (list && how === 'equality ignoring case') return
        const use = list ? 'elements' : how
        const id = `${of}.${field} ${use}`
        const there = found.get(id) ?? { type: of, field, for: use, rules: [] }
        found.set(id, there)
        if (!there.rules.includes(rule)) there.rules.push(rule)
      }
      const node = pushNot(lower(simplify(condition)))
      if (!rule.startsWith('create ')) look(node, new Map([['record', type.name]]), want)
      if (!rule.startsWith('read '))
        eachNode(node, (part) => {
          if (part.kind === 'some' && part.over.kind !== 'elements') for (const { to } of part.over.by) want(part.over.type, to, 'equality')
        })
    }
  }
  // The same index serves both.
  return [...found.values()].filter((one) => one.for !== 'time' || !found.has(`${one.type}.${one.field} equality`))
}

/** The conditions that clauses search rows by, each with the clause that contains it. */
function conditionsOf(type: TypeModel): [rule: string, ConditionNode][] {
  return conditionsOfType({}, type, { roles: ['clause', 'afterwards'] }).map(({ condition, action, clause }) => [
    `${action} of ${type.name}: ${clause?.title}`,
    condition,
  ])
}

type Want = (type: string, place: PlaceNode, how: WantedIndex['for']) => void

/** Collects what an index could serve. `looking` returns the type of a record. */
function look(node: ConditionNode, looking: ReadonlyMap<FieldNode['of'], string>, want: Want): void {
  switch (node.kind) {
    case 'allOf':
    case 'anyOf':
      for (const part of node.of) look(part, looking, want)
      return
    case 'named':
      return look(node.of, looking, want)
    case 'compare':
      return lookAtComparison(node, looking, want)
    case 'some':
      return lookAtSome(node, looking, want)
    // An index cannot find rows by a negation.
    case 'not':
    case 'constant':
    case 'presence':
    case 'listChange':
      return
  }
}

function lookAtComparison({ left, by, right }: CompareNode, looking: ReadonlyMap<FieldNode['of'], string>, want: Want): void {
  for (const [field, other, first] of [
    [left, right, true],
    [right, left, false],
  ] as const) {
    const type = field.kind === 'field' ? looking.get(field.of) : undefined
    if (field.kind !== 'field' || type === undefined) continue
    const { lookup } = operatorOf(by)
    // A link that ignores case is a comparison with a field of the record that it leads from.
    if (!hasClaim(other) && !(lookup === 'equalityIgnoringCase' && isOfOther(other, field))) continue
    const place: PlaceNode = { path: field.path, type: field.type as PlaceNode['type'], ...(field.list ? { list: true } : {}) }
    if (lookup === 'equalityIgnoringCase') want(type, place, 'equality ignoring case')
    if (lookup === 'equality') want(type, place, 'equality')
    if (lookup === 'start' && first) want(type, place, 'start')
  }
  // As time passes, live lists look for the records whose times have come.
  if (right.kind === 'now' || left.kind === 'now') for (const term of [left, right]) wantTimes(term, looking, want)
}

function isOfOther(term: TermNode, field: FieldNode): boolean {
  return term.kind === 'field' && term.of !== field.of
}

function wantTimes(term: TermNode, looking: ReadonlyMap<FieldNode['of'], string>, want: Want): void {
  for (const part of partsOfTerm(term)) {
    const type = part.kind === 'field' && !part.list ? looking.get(part.of) : undefined
    if (part.kind === 'field' && type !== undefined) want(type, { path: part.path, type: 'time' }, 'time')
  }
}

function lookAtSome(node: SomeNode, looking: ReadonlyMap<FieldNode['of'], string>, want: Want): void {
  const { over, each } = node
  switch (over.kind) {
    case 'elements':
      return
    case 'records':
      return lookAtRecords(node, over, looking, want)
    case 'ancestors':
      for (const { from } of over.link.by) want(over.type, from, 'equality')
      return look(node.of, new Map(looking).set(each, over.type), want)
  }
}

function lookAtRecords(node: SomeNode, over: RecordsNode, looking: ReadonlyMap<FieldNode['of'], string>, want: Want): void {
  const { each } = node
  const inner = new Map(looking).set(each, over.type)
  const { by, rest } = joinsOf(node, over)
  const alone = isSelfContained(rest, each)
  for (const { to, from } of by) {
    const type = from.kind === 'field' ? looking.get(from.of) : undefined
    // If the keys are found first, they lead to the rows; otherwise each row is asked for what leads to it.
    if (from.kind === 'field' && alone && type !== undefined) want(type, { ...from, type: from.type as PlaceNode['type'] }, 'equality')
    if (hasClaim(from) || (from.kind === 'field' && !alone)) want(over.type, to, 'equality')
  }
  look(rest, inner, want)
}

function hasClaim(term: TermNode): boolean {
  return partsOfTerm(term).some(({ kind }) => kind === 'claim')
}

/** An order in which an application lists the records of a type, as lists take it. */
export interface ListOrder {
  readonly type: string
  readonly sort: readonly string[]
}

/**
 * The indexes that lists in an order could use: the order within each value that rules look for, and the order alone if some people see
 * records whatever is in them. An index is read in both directions.
 */
function forOrders({ types }: Pick<Model, 'types'>, wanted: readonly WantedIndex[], orders: readonly ListOrder[]): WantedIndex[] {
  return orders.flatMap(({ type: name, sort }) => {
    const type = typeModel({ types }, name)
    const fields = sort.map((one) => one.replace(/^-/, ''))
    for (const field of fields) fieldOf(type, field)
    const [first, ...following] = fields
    if (first === undefined) return []
    const inLists = (rule: string) => rule.startsWith(`read of ${name}: `)
    const within = wanted.filter((one) => one.type === name && one.for === 'equality' && one.rules.some(inLists) && one.field !== first)
    const alone = conditionsOf(type).filter(([rule, condition]) => inLists(rule) && !readsRecord(condition))
    return [
      ...within.map((one): WantedIndex => ({ ...one, for: 'order', following: fields })),
      ...(alone.length === 0 ? [] : [{ type: name, field: first, for: 'order' as const, following, rules: alone.map(([rule]) => rule) }]),
    ]
  })
}

function readsRecord(condition: ConditionNode): boolean {
  return anyLeaf(condition, (leaf) => leaf.kind === 'field' && leaf.of === 'record')
}

/** An index that rules could use and that does not exist. */
export interface MissingIndex extends WantedIndex {
  /** The statement that creates it; undefined if the database has no such index. */
  readonly statement: string | undefined
  /** The conditions of partial indexes on the column: they serve only queries that say the same. */
  readonly partial?: readonly string[]
}

/**
 * Compares the columns that rules search by with the indexes of a database; with `orders`, also the orders of lists.
 * @example
 * for (const { statement, rules } of (await missingIndexes(db, postgres, book)).missing) console.log(statement, rules)
 */
export async function missingIndexes(
  db: Kysely<any>,
  dialect: Dialect,
  book: { readonly model: Model },
  layout: Layout = layoutOf(book),
  orders: readonly ListOrder[] = [],
): Promise<{ readonly wanted: number; readonly missing: readonly MissingIndex[] }> {
  const { rows } = await sql<FoundIndex>`${dialect.catalog.indexes()}`.execute(db)
  // A view has no indexes.
  const searched = wantedIndexes(book.model)
  const wanted = [...searched, ...forOrders(book.model, searched, orders)].filter(({ type }) => layout.tables[type]?.isView !== true)
  const missing = wanted.flatMap((one): MissingIndex[] => {
    const place = layout.tables[one.type] as TablePlace
    const column = place.columns[one.field]?.name
    const there = rows.filter((row) => row.table === place.name && row.schema === (place.schema ?? ''))
    const second = one.following?.map((field) => place.columns[field]?.name)[0]
    const field = (book.model.types[one.type] as TypeModel).fields[one.field] as Field
    const statement = dialect.catalog.createIndex(place, [one.field, ...(one.following ?? [])], field, one.for)
    const expression = dialect.catalog.ignoringCase?.(column as string)
    const isOnIt = (row: FoundIndex) =>
      one.for === 'equality ignoring case' && expression !== undefined
        ? isOn(expression, row.expression)
        : row.column === column && serves(row, one)
    const serving = there.filter((row) => isOnIt(row) && (second === undefined || row.second === second))
    if (serving.some(({ partial }) => !partial)) return []
    const partial = serving.flatMap((row) => row.partial ?? [])
    return [{ ...one, statement, ...(partial.length > 0 ? { partial } : {}) }]
  })
  // An index with an order also serves the search for its first column.
  const isServed = (one: MissingIndex) =>
    one.for === 'equality' && missing.some((other) => other.for === 'order' && other.type === one.type && other.field === one.field)
  const served = missing.filter(isServed)
  return { wanted: wanted.length - served.length, missing: missing.filter((one) => !served.includes(one)) }
}

/** Whether an index is on an expression, however the database writes it. */
function isOn(expression: string, written: string | null | undefined): boolean {
  const plain = (text: string) => text.toLowerCase().replaceAll(/::text|[\s"`]/g, '')
  return written ? plain(written).includes(plain(expression)) : false
}

function serves({ method, starts }: FoundIndex, { for: use }: WantedIndex): boolean {
  if (use === 'elements') return method === 'gin'
  return method !== 'gin' && (use !== 'start' || starts === undefined || starts === null || Boolean(Number(starts)))
}
