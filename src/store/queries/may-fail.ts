import { NEVER_FAIL } from './functions.js'
import { nameOf, type PlainNode, partsOf } from './plain-nodes.js'
import type { Names, SeenColumn } from './sources.js'

/** Comparisons of a column with a value that fits its type. */
const COMPARISONS: ReadonlySet<unknown> = new Set(['=', '==', '!=', '<>', '<', '<=', '>', '>=', 'in', 'not in', 'between'])

/** Comparisons that are only true where the column has a value. */
const STRICT: ReadonlySet<unknown> = new Set(['=', '<', '<=', '>', '>=', 'in', 'between'])

/** Nodes that only hold others. */
const HOLDERS: ReadonlySet<string> = new Set(
  `AliasNode AndNode ColumnNode FromNode GroupByItemNode GroupByNode HavingNode IdentifierNode JoinNode LimitNode ListNode OffsetNode
  OnNode OperatorNode OrNode OrderByItemNode OrderByNode OverNode ParensNode PartitionByItemNode PartitionByNode PrimitiveValueListNode
  ReferenceNode SchemableIdentifierNode SelectAllNode SelectModifierNode SelectionNode
  SimpleReferenceExpressionNode TableNode TupleNode ValueListNode ValueNode WhenNode WhereNode`.split(/\s+/),
)

/** Whether a query may fail, apart from the queries inside it. */
export function queryMayFail(node: PlainNode, names: Names): boolean {
  return partsOf(node).some((part) => mayFail(part, names))
}

/**
 * Whether some value of a column could make this expression fail. A database may evaluate it on rows before it asks whether they are visible,
 * so that a failure would tell something of hidden rows. What is not known to be safe may fail.
 */
function mayFail(node: PlainNode, names: Names): boolean {
  switch (node.kind) {
    case 'BinaryOperationNode':
      return comparisonMayFail(node, names)
    case 'UnaryOperationNode':
      return (node.operator as PlainNode).operator === '-' || mayFail(node.operand as PlainNode, names)
    case 'FunctionNode':
    case 'AggregateFunctionNode':
      if (String(node.func).toLowerCase() === 'coalesce' && !areAlike(partsOf(node))) return true
      return !NEVER_FAIL.has(String(node.func).toLowerCase()) || partsOf(node).some((part) => mayFail(part, names))
    case 'CaseNode':
      // Results of different types are converted.
      return (
        partsOf(node).some((part) => mayFail(part, names)) ||
        !areAlike([...((node.when as readonly PlainNode[] | undefined) ?? []).map(({ result }) => result), node.else])
      )
    case 'SelectQueryNode':
    case 'WithNode':
      // Judged by themselves, with their own names.
      return false
    case 'RawNode':
      // The direction of an order.
      return !/^\s*(?:asc|desc)\s*$/i.test((node.sqlFragments as readonly string[]).join('\0'))
    default:
      return !HOLDERS.has(node.kind) || partsOf(node).some((part) => mayFail(part, names))
  }
}

/** Whether all of these but one are values, which take its type. */
function areAlike(nodes: readonly unknown[]): boolean {
  return nodes.filter((node) => node !== undefined && (node as PlainNode).kind !== 'ValueNode').length <= 1
}

function comparisonMayFail(node: PlainNode, names: Names): boolean {
  const [left, right] = [node.leftOperand as PlainNode, node.rightOperand as PlainNode]
  const { operator } = node.operator as PlainNode
  if (operator === 'is' || operator === 'is not') return right.kind !== 'ValueNode' || mayFail(left, names)
  if (!COMPARISONS.has(operator)) return true
  if (isColumn(left) && isValues(right)) return false
  if ([left, right].some((side) => mayFail(side, names))) return true
  const [a, b] = [columnOf(left, names), columnOf(right, names)]
  // Numbers and times of different types are converted to be compared. Texts are not.
  if ([a, b].some((column) => column !== undefined && /^(?:text|boolean) /.test(column.kind))) return false
  return a === undefined || a.kind !== b?.kind
}

/** A condition on one column that can be asked of the table itself, besides where it stands. */
export interface Restriction {
  readonly alias: string
  readonly column: string
  readonly test: PlainNode
}

/** The conditions of a WHERE that every row of the result fulfils, and that compare one column with values. */
export function restrictionsIn(where: PlainNode, names: Names): readonly Restriction[] {
  if (where.kind === 'AndNode') return [where.left, where.right].flatMap((part) => restrictionsIn(part as PlainNode, names))
  if (where.kind === 'ParensNode') return restrictionsIn(where.node as PlainNode, names)
  if (where.kind !== 'BinaryOperationNode') return []
  const [left, right] = [where.leftOperand as PlainNode, where.rightOperand as PlainNode]
  if (!STRICT.has((where.operator as PlainNode).operator) || !isColumn(left) || !isValues(right)) return []
  const column = nameOf((left.column as PlainNode).column)
  const source = sourceOf(left, names)
  if (source?.columns?.get(column)?.isWhole !== true || !names.sources.includes(source)) return []
  return [{ alias: source.alias, column, test: where }]
}

function isColumn(node: PlainNode): boolean {
  return node.kind === 'ReferenceNode' && (node.column as PlainNode).kind === 'ColumnNode'
}

function isValues(node: PlainNode): boolean {
  switch (node.kind) {
    case 'ValueNode':
    case 'PrimitiveValueListNode':
      return true
    case 'ValueListNode':
    case 'AndNode':
    case 'ParensNode':
      return partsOf(node).every(isValues)
    default:
      return false
  }
}

function sourceOf(reference: PlainNode, names: Names) {
  const column = nameOf((reference.column as PlainNode).column)
  const { table } = reference
  return table === undefined ? names.owner(column) : names.source(tableName(table as PlainNode), column)
}

/** The column that an expression is, if it is one of a table. */
function columnOf(node: PlainNode, names: Names): SeenColumn | undefined {
  return isColumn(node) ? sourceOf(node, names)?.columns?.get(nameOf((node.column as PlainNode).column)) : undefined
}

/** The name of a table, with its schema if it has one. */
export function tableName({ table }: PlainNode): string {
  const { schema, identifier } = table as PlainNode
  return schema === undefined ? nameOf(identifier) : `${nameOf(schema)}.${nameOf(identifier)}`
}
