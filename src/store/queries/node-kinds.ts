/** What a node of a query may have: other nodes, lists of nodes, and plain values with what they may be. Everything else is refused. */
export interface NodeKind {
  readonly nodes?: readonly string[]
  readonly plain?: { readonly [name: string]: (value: unknown) => boolean }
  /** Values for the database, which are read by `readValue`. */
  readonly value?: string
  readonly values?: string
}

const isFlag = (value: unknown) => typeof value === 'boolean'
const isOneOf =
  (...names: readonly string[]) =>
  (value: unknown) =>
    names.includes(value as string)
const isText = (value: unknown) => typeof value === 'string'
// Kysely writes it into a text, in which some databases give backslashes a meaning.
const isPathLeg = (value: unknown) => (typeof value === 'string' && /^[\p{L}\p{N}_ $#-]*$/u.test(value)) || Number.isInteger(value)

/** A name that Kysely writes as it is, so it has to be one. */
const isPlainName = (value: unknown) => typeof value === 'string' && /^[A-Za-z_]\w*$/.test(value)

const JOINS = ['InnerJoin', 'LeftJoin', 'RightJoin', 'FullJoin', 'CrossJoin', 'LateralInnerJoin', 'LateralLeftJoin', 'LateralCrossJoin']

/** Types that values can be cast to: none that looks something up in the catalog of the database. */
const CAST =
  /^(?:(?:var)?char(?:\(\d+\))?|text|integer|int[248]|smallint|bigint|boolean|real|double precision|float[48]|(?:decimal|numeric)(?:\(\d+(?:, ?\d+)?\))?|date|datetime(?:\([0-6]\))?|time(?:\([0-6]\))?|timestamp(?:tz)?(?:\([0-6]\))?|uuid|jsonb?|signed|unsigned)$/

export function isCastType(text: unknown): boolean {
  return typeof text === 'string' && CAST.test(text)
}

/** Operators, which Kysely writes as they are. */
const OPERATORS: ReadonlySet<unknown> = new Set([
  ...'= == != <> > >= < <= @> <@ ^@ && ? ?& ?| <=> !~ ~ ~* !~* @@ + - * / % || -> ->>'.split(' '),
  ...['in', 'not in', 'is', 'is not', 'like', 'not like', 'ilike', 'not ilike', 'match', 'regexp', 'is distinct from'],
  ...['is not distinct from', 'between', 'between symmetric', 'not', 'exists', 'not exists'],
])

/** The nodes of a SELECT. */
export const NODE_KINDS: { readonly [kind: string]: NodeKind } = {
  AggregateFunctionNode: {
    nodes: ['aggregated', 'orderBy', 'withinGroup', 'filter', 'over'],
    plain: { func: isPlainName, distinct: isFlag },
  },
  AliasNode: { nodes: ['node', 'alias'] },
  AndNode: { nodes: ['left', 'right'] },
  BinaryOperationNode: { nodes: ['leftOperand', 'operator', 'rightOperand'] },
  CaseNode: { nodes: ['value', 'when', 'else'], plain: { isStatement: isFlag } },
  CastNode: { nodes: ['expression', 'dataType'] },
  ColumnNode: { nodes: ['column'] },
  CommonTableExpressionNameNode: { nodes: ['table', 'columns'] },
  CommonTableExpressionNode: { nodes: ['name', 'expression'], plain: { materialized: isFlag } },
  DataTypeNode: { plain: { dataType: isText } },
  FetchNode: { nodes: ['rowCount'], plain: { modifier: isOneOf('only', 'with ties') } },
  FromNode: { nodes: ['froms'] },
  FunctionNode: { nodes: ['arguments'], plain: { func: isPlainName } },
  GroupByItemNode: { nodes: ['groupBy'] },
  GroupByNode: { nodes: ['items'] },
  HavingNode: { nodes: ['having'] },
  IdentifierNode: { plain: { name: isText } },
  JoinNode: { nodes: ['table', 'on'], plain: { joinType: isOneOf(...JOINS) } },
  JSONOperatorChainNode: { nodes: ['operator', 'values'] },
  JSONPathLegNode: { plain: { type: isOneOf('Member', 'ArrayLocation'), value: isPathLeg } },
  JSONPathNode: { nodes: ['inOperator', 'pathLegs'] },
  JSONReferenceNode: { nodes: ['reference', 'traversal'] },
  LimitNode: { nodes: ['limit'] },
  ListNode: { nodes: ['items'] },
  OffsetNode: { nodes: ['offset'] },
  OnNode: { nodes: ['on'] },
  OperatorNode: { plain: { operator: (value) => OPERATORS.has(value) } },
  OrNode: { nodes: ['left', 'right'] },
  OrderByItemNode: { nodes: ['orderBy', 'direction'], plain: { nulls: isOneOf('first', 'last') } },
  OrderByNode: { nodes: ['items'] },
  OverNode: { nodes: ['orderBy', 'partitionBy'] },
  ParensNode: { nodes: ['node'] },
  PartitionByItemNode: { nodes: ['partitionBy'] },
  PartitionByNode: { nodes: ['items'] },
  PrimitiveValueListNode: { values: 'values' },
  RawNode: { nodes: ['parameters'], plain: { sqlFragments: (value) => Array.isArray(value) && value.every(isText) } },
  ReferenceNode: { nodes: ['column', 'table'] },
  SchemableIdentifierNode: { nodes: ['schema', 'identifier'] },
  SelectAllNode: {},
  SelectModifierNode: { plain: { modifier: isOneOf('Distinct') } },
  SelectQueryNode: {
    nodes: [
      ...['from', 'selections', 'distinctOn', 'joins', 'groupBy', 'orderBy', 'where', 'frontModifiers'],
      ...['limit', 'offset', 'with', 'having', 'setOperations', 'fetch'],
    ],
  },
  SelectionNode: { nodes: ['selection'] },
  SetOperationNode: { nodes: ['expression'], plain: { operator: isOneOf('union', 'intersect', 'except'), all: isFlag } },
  SimpleReferenceExpressionNode: { nodes: ['ref'] },
  TableNode: { nodes: ['table'] },
  TupleNode: { nodes: ['values'] },
  UnaryOperationNode: { nodes: ['operator', 'operand'] },
  ValueListNode: { nodes: ['values'] },
  ValueNode: { value: 'value', plain: { immediate: isFlag } },
  WhenNode: { nodes: ['condition', 'result'] },
  WhereNode: { nodes: ['where'] },
  WithNode: { nodes: ['expressions'], plain: { recursive: isFlag } },
}

/** What to say of nodes that people try. */
export const INSTEAD: { readonly [kind: string]: string } = {
  InsertQueryNode: 'only SELECT is asked here: write through the guarded store, as in mine.create(...)',
  UpdateQueryNode: 'only SELECT is asked here: write through the guarded store, as in mine.update(...)',
  DeleteQueryNode: 'only SELECT is asked here: write through the guarded store, as in mine.delete(...)',
  MergeQueryNode: 'only SELECT is asked here: write through the guarded store',
  ExplainNode: 'no EXPLAIN: a plan tells of rows that the person may not see. Explain the text of compile() on a connection of your own',
  CollateNode: 'no collations: a column is compared and ordered by its own',
  TopNode: 'no TOP: use limit(...)',
  ValuesNode: 'no VALUES: pass lists as values of `in`',
}
