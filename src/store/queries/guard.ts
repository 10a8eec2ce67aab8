import { queryMayFail, type Restriction, restrictionsIn, tableName } from './may-fail.js'
import { nestedJson } from './nested-json.js'
import { isCastType } from './node-kinds.js'
import { nameOf, type PlainNode, withParts } from './plain-nodes.js'
import { randomName } from './random-name.js'
import { checkRawText } from './raw-text.js'
import { OwnQueryError } from './refused.js'
import { onTable, type SeenTable, type SeenTables } from './seen-tables.js'
import { type NamedPart, Names, type Source } from './sources.js'

/** A query over what a person sees. */
export interface GuardedQuery {
  readonly node: PlainNode
  /** The record types that it reads. */
  readonly types: readonly string[]
  /** Whether a rule in it depends on the time. */
  readonly usesTime: boolean
}

/** What a query becomes, and the columns of its result. */
interface Selected {
  readonly node: PlainNode
  readonly columns: Source['columns']
}

/** A source with what is needed to write it. */
interface Written extends Source {
  readonly write: (tests: readonly PlainNode[]) => PlainNode
}

/**
 * Puts what a person sees in the place of every table of a query. The query is a copy made by `plainCopy`.
 * @throws OwnQueryError for whatever cannot be guarded
 */
export function guarded(query: PlainNode, tables: SeenTables, isFunction: (name: string) => boolean): GuardedQuery {
  const first = new Guard(tables, isFunction, false)
  const { node } = first.query(query)
  // Where something could fail on a row that the person does not see, the visible rows are found before.
  const safe = first.mayFail ? new Guard(tables, isFunction, true).query(query).node : node
  return { node: safe, types: [...first.types], usesTime: tables.usesTime }
}

class Guard {
  readonly #tables: SeenTables
  readonly #isFunction: (name: string) => boolean
  readonly #apart: boolean
  readonly types = new Set<string>()
  mayFail = false

  constructor(tables: SeenTables, isFunction: (name: string) => boolean, apart: boolean) {
    this.#tables = tables
    this.#isFunction = isFunction
    this.#apart = apart
  }

  query(node: PlainNode, around?: Names): Selected {
    if (node.kind !== 'SelectQueryNode') throw new OwnQueryError('only SELECT is asked here')
    const parts = new Names(around)
    const withNode = node.with === undefined ? {} : { with: this.#with(node.with as PlainNode, parts) }
    const names = new Names(parts)
    const froms = ((node.from as PlainNode | undefined)?.froms ?? []) as readonly PlainNode[]
    const joins = (node.joins ?? []) as readonly PlainNode[]
    const sources = [...froms, ...joins.map(({ table }) => table as PlainNode)].map((one) => this.#source(one, names))
    for (const name of givenNames(node)) names.addGiven(name)
    const restrictions = node.where === undefined ? [] : restrictionsIn((node.where as PlainNode).where as PlainNode, names)
    if (queryMayFail(node, names)) this.mayFail = true
    const on = joins.map((join) => (join.on === undefined ? {} : { on: this.#expression(join.on as PlainNode, names) }))
    const { with: _with, from: _from, joins: _joins, setOperations, ...rest } = node
    const others = withParts(rest as PlainNode, (part) => this.#expression(part, names))
    const along = ((setOperations ?? []) as readonly PlainNode[]).map((one) => withParts(one, (part) => this.#operand(part, parts)))
    const columns = resultOf(node, names)
    // Last, because only the columns that the query reads are in it.
    const written = sources.map((source) => source.write(testsOf(source, restrictions)))
    const from = node.from === undefined ? {} : { from: { kind: 'FromNode', froms: written.slice(0, froms.length) } }
    const joined = joins.map((join, at) => ({ ...join, table: written[froms.length + at], ...on[at] }))
    const whole = {
      ...others,
      ...withNode,
      ...from,
      ...(joins.length === 0 ? {} : { joins: joined }),
      ...(along.length === 0 ? {} : { setOperations: along }),
    }
    return { node: whole as PlainNode, columns }
  }

  /** The other query of a UNION and the like. */
  #operand(node: PlainNode, around: Names): PlainNode {
    if (node.kind === 'ParensNode') return withParts(node, (part) => this.#operand(part, around))
    return this.query(node, around).node
  }

  #with(node: PlainNode, names: Names): PlainNode {
    const expressions = (node.expressions as readonly PlainNode[]).map((part) => {
      const given = (part.name as PlainNode).table as PlainNode
      const name = tableName(given)
      if (this.#tables.has(name)) throw new OwnQueryError(`a part of WITH is called "${name}", as a table is: call it something else`)
      // A name that no other query can mean.
      const called = randomName()
      const listed = (part.name as PlainNode).columns as readonly PlainNode[] | undefined
      const columns = listed && new Map(listed.map((one) => [nameOf(one.column), undefined] as const))
      if (node.recursive === true) names.addPart(name, { name: called, columns })
      const { node: expression, columns: found } = this.query(part.expression as PlainNode, names)
      names.addPart(name, { name: called, columns: columns ?? found })
      return { ...part, name: { ...(part.name as PlainNode), table: tableNode(called) }, expression }
    })
    return { ...node, expressions }
  }

  /** What is selected from. */
  #source(node: PlainNode, names: Names): Written {
    const isNamed = node.kind === 'AliasNode'
    const inner = isNamed ? (node.node as PlainNode) : node
    const alias = isNamed ? aliasOf(node) : undefined
    const source = inner.kind === 'TableNode' ? this.#table(inner, alias, names) : this.#subquery(inner, alias, names)
    names.addSource(source)
    return source
  }

  #table(node: PlainNode, alias: string | undefined, names: Names): Written {
    const name = tableName(node)
    const part = names.parts.get(name)
    if (part !== undefined) return partSource(part, alias ?? name)
    const table = this.#tables.find(name)
    this.types.add(table.type)
    return tableSource(table, alias, this.#apart)
  }

  #subquery(node: PlainNode, alias: string | undefined, names: Names): Written {
    if (node.kind !== 'SelectQueryNode')
      throw new OwnQueryError('select from tables, subqueries and parts of WITH: no SQL text, no functions and no values stand there')
    if (alias === undefined) throw new OwnQueryError("a subquery needs a name: add .as('name')")
    const { node: made, columns } = this.query(node, names)
    return { alias, columns, used: new Set(), write: () => aliased(made, alias) }
  }

  #expression(node: PlainNode, names: Names): PlainNode {
    switch (node.kind) {
      case 'SelectQueryNode':
        return this.query(node, names).node
      case 'TableNode':
        throw new OwnQueryError(`the table "${tableName(node)}" stands where a value does: name tables in selectFrom and joins`)
      case 'ReferenceNode':
        return reference(node, names)
      case 'FunctionNode':
      case 'AggregateFunctionNode':
        if (!this.#isFunction(String(node.func)))
          throw new OwnQueryError(
            `the function "${node.func}" is not known to read only its arguments. If it does, pass queries({ functions: ['${node.func}'] })`,
          )
        return withParts(node, (part) => this.#expression(part, names))
      case 'AliasNode':
        aliasOf(node)
        return { ...node, node: this.#expression(node.node as PlainNode, names) }
      case 'UnaryOperationNode': {
        const made = withParts(node, (part) => this.#expression(part, names))
        // Two signs in a row begin a comment.
        return (node.operator as PlainNode).operator === '-' ? parens({ ...made, operand: parens(made.operand as PlainNode) }) : made
      }
      case 'CastNode':
        return {
          ...node,
          expression: this.#expression(node.expression as PlainNode, names),
          dataType: castType(node.dataType as PlainNode),
        }
      case 'RawNode':
        return this.#raw(node, names)
      default:
        return withParts(node, (part) => this.#expression(part, names))
    }
  }

  #raw(node: PlainNode, names: Names): PlainNode {
    const { sqlFragments, parameters } = flattened(node)
    const nested = nestedJson(sqlFragments, parameters)
    if (nested !== undefined) {
      const { node: query, columns } = this.query(parameters.at(-1) as PlainNode, names)
      const within = new Names(names)
      within.addSource({ alias: nested, columns, used: new Set() })
      const others = parameters.slice(0, -1).map((one) => this.#expression(one, within))
      return { kind: 'RawNode', sqlFragments, parameters: [...others, query] }
    }
    checkRawText(sqlFragments, this.#isFunction)
    return {
      kind: 'RawNode',
      sqlFragments,
      parameters: parameters.map((one) => {
        if (one.kind === 'IdentifierNode' || one.kind === 'SchemableIdentifierNode')
          throw new OwnQueryError("SQL text names something with sql.id or sql.table: pass columns as sql.ref('table.column')")
        return this.#expression(one, names)
      }),
    }
  }
}

/** A type that values can be cast to; as SQL text, too, since databases have types that Kysely does not know. */
function castType(node: PlainNode): PlainNode {
  const text = node.kind === 'RawNode' ? (node.sqlFragments as readonly string[]).join('?') : node.dataType
  if (!isCastType(text)) throw new OwnQueryError(`no cast to ${text}: cast to text, numbers, dates and times, uuid or json`)
  return node
}

/** SQL text with all the text that is in its parameters. */
function flattened(node: PlainNode): { readonly sqlFragments: readonly string[]; readonly parameters: readonly PlainNode[] } {
  const [first = '', ...fragments] = node.sqlFragments as readonly string[]
  const sqlFragments = [first]
  const parameters: PlainNode[] = []
  for (const [at, fragment] of fragments.entries()) {
    const parameter = (node.parameters as readonly PlainNode[])[at]
    const before = sqlFragments.pop() as string
    if (parameter?.kind === 'RawNode') {
      const inner = flattened(parameter)
      const texts = [...inner.sqlFragments]
      texts[0] = before + texts[0]
      texts.push(`${texts.pop()}${fragment}`)
      sqlFragments.push(...texts)
      parameters.push(...inner.parameters)
    } else if (parameter === undefined) sqlFragments.push(before + fragment)
    else {
      sqlFragments.push(before, fragment)
      parameters.push(parameter)
    }
  }
  return { sqlFragments, parameters }
}

function reference(node: PlainNode, names: Names): PlainNode {
  const column = node.column as PlainNode
  const name = column.kind === 'SelectAllNode' ? undefined : nameOf(column.column)
  if (node.table !== undefined) {
    const { alias } = names.source(tableName(node.table as PlainNode), name)
    return { ...node, table: tableNode(alias) }
  }
  if (name !== undefined) names.owner(name)
  return node
}

/** Conditions on the columns of a table itself: an index of the table serves these, wherever the visible rows are found before. */
function testsOf({ alias }: Source, restrictions: readonly Restriction[]): readonly PlainNode[] {
  return restrictions.filter((one) => one.alias === alias).map(({ test }) => onTable(test))
}

function tableSource(table: SeenTable, alias: string | undefined, apart: boolean): Written {
  const called = alias ?? table.name
  const used = new Set<string>()
  return {
    used,
    alias: called,
    columns: table.columns,
    ...(alias === undefined ? { qualified: table.qualified } : {}),
    write: (tests) => aliased(table.written(used, apart ? tests : [], apart).toOperationNode() as unknown as PlainNode, called),
  }
}

function partSource({ name, columns }: NamedPart, alias: string): Written {
  return { alias, columns, used: new Set(), write: () => aliased(tableNode(name), alias) }
}

/** The names that a query gives to its results. */
function givenNames(node: PlainNode): readonly string[] {
  return ((node.selections ?? []) as readonly PlainNode[]).flatMap(({ selection }) => {
    const one = selection as PlainNode
    return one.kind === 'AliasNode' ? [aliasOf(one)] : []
  })
}

/** The columns of a result; undefined if they are not known. */
function resultOf(node: PlainNode, names: Names): Source['columns'] {
  const all = ((node.selections ?? []) as readonly PlainNode[]).map(({ selection }) => resultNames(selection as PlainNode, names))
  if (all.includes(undefined)) return undefined
  return new Map(all.flatMap((some) => (some as readonly string[]).map((name) => [name, undefined] as const)))
}

/** The names of what is selected; undefined if they are not known. */
function resultNames(selected: PlainNode, names: Names): readonly string[] | undefined {
  if (selected.kind === 'AliasNode') return [aliasOf(selected)]
  const column = selected.kind === 'ReferenceNode' ? (selected.column as PlainNode) : selected
  if (column.kind === 'ColumnNode') return [nameOf(column.column)]
  if (column.kind !== 'SelectAllNode') return undefined
  if (selected.table === undefined) names.useAll()
  const of = selected.table === undefined ? names.sources : [names.source(tableName(selected.table as PlainNode), undefined)]
  return of.some(({ columns }) => columns === undefined) ? undefined : of.flatMap(({ columns }) => [...(columns?.keys() ?? [])])
}

function aliasOf(node: PlainNode): string {
  const alias = node.alias as PlainNode
  if (alias.kind !== 'IdentifierNode') throw new OwnQueryError("a name in SQL text cannot be guarded: use .as('name')")
  return nameOf(alias)
}

function aliased(node: PlainNode, alias: string): PlainNode {
  return { kind: 'AliasNode', node, alias: identifier(alias) }
}

function tableNode(name: string): PlainNode {
  return { kind: 'TableNode', table: { kind: 'SchemableIdentifierNode', identifier: identifier(name) } }
}

function identifier(name: string): PlainNode {
  return { kind: 'IdentifierNode', name }
}

function parens(node: PlainNode): PlainNode {
  return { kind: 'ParensNode', node }
}
