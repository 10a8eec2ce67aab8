import { INSTEAD, NODE_KINDS, type NodeKind } from './node-kinds.js'
import { OwnQueryError } from './refused.js'
import { checkLiteral, readValue } from './values.js'

/** A node of a query, made here: what Kysely writes is what was checked. */
export interface PlainNode {
  readonly kind: string
  readonly [part: string]: unknown
}

/** How deep and how large a query may be. */
const DEEPEST = 100
const MOST_NODES = 5_000

/**
 * A copy of a query with nothing in it but what a SELECT may have. The nodes of a query are objects of the application, which could be
 * anything, and change after they were looked at.
 * @throws OwnQueryError
 */
export function plainCopy(root: unknown): PlainNode {
  return copyOf(root, 0, { left: MOST_NODES })
}

function copyOf(given: unknown, depth: number, count: { left: number }): PlainNode {
  const node = (typeof given === 'object' && given !== null ? given : {}) as { readonly [part: string]: unknown }
  const { kind } = node
  count.left -= 1
  if (count.left < 0 || depth > DEEPEST) throw new OwnQueryError(`a query has at most ${MOST_NODES} parts, ${DEEPEST} deep`)
  if (typeof kind !== 'string' || !Object.hasOwn(NODE_KINDS, kind)) throw kindProblem(kind)
  const what = NODE_KINDS[kind] as NodeKind
  const made: Record<string, unknown> = { kind }
  for (const name of Object.keys(node)) {
    // Read once: another look could find something else.
    const found = node[name]
    if (name === 'kind' || found === undefined) continue
    const part = Array.isArray(found) ? [...found] : found
    const copied = partOf(what, name, part, (inner) => copyOf(inner, depth + 1, count))
    if (copied !== undefined) made[name] = copied
    else if (!Array.isArray(part) || part.length > 0) throw new OwnQueryError(partProblem(kind, name, part))
  }
  if (what.value !== undefined && !Object.hasOwn(made, what.value)) readValue(undefined)
  if (made.immediate === true) checkLiteral(made.value)
  return made as PlainNode
}

/** A part of a node; undefined if it may not have one of that name. */
function partOf({ nodes, plain, value, values }: NodeKind, name: string, part: unknown, copy: (node: unknown) => PlainNode): unknown {
  if (nodes?.includes(name)) return Array.isArray(part) ? part.map(copy) : copy(part)
  if (name === value || name === values) return readPart(part, name === values)
  return plain?.[name]?.(part) === true ? part : undefined
}

function readPart(part: unknown, isList: boolean): unknown {
  return isList && Array.isArray(part) ? part.map(readValue) : readValue(part)
}

function kindProblem(kind: unknown): OwnQueryError {
  const name = String(kind)
  return new OwnQueryError((Object.hasOwn(INSTEAD, name) ? INSTEAD[name] : undefined) ?? `only SELECT is asked here, without ${name}`)
}

function partProblem(kind: string, name: string, part: unknown): string {
  if (kind === 'SelectQueryNode' && name === 'explain') return INSTEAD.ExplainNode as string
  if (kind === 'SelectQueryNode' && name === 'endModifiers') return 'no locks and no other endings of a query: it reads only'
  if (kind === 'SelectModifierNode') return 'of the words after SELECT, only DISTINCT is allowed'
  if (kind.endsWith('FunctionNode') && name === 'func') return `"${String(part)}" cannot be the name of a function`
  if (kind === 'OrderByItemNode' && name === 'collation') return INSTEAD.CollateNode as string
  return `${name} of ${kind} cannot be guarded`
}

const NONE: readonly string[] = []
const namesOfParts = (node: PlainNode) => (NODE_KINDS[node.kind] as NodeKind).nodes ?? NONE

/** The nodes inside a node. */
export function partsOf(node: PlainNode): readonly PlainNode[] {
  const parts: PlainNode[] = []
  for (const name of namesOfParts(node)) {
    const part = node[name] as PlainNode | readonly PlainNode[] | undefined
    if (Array.isArray(part)) parts.push(...part)
    else if (part !== undefined) parts.push(part as PlainNode)
  }
  return parts
}

/** The same node with other nodes inside. */
export function withParts(node: PlainNode, change: (part: PlainNode) => PlainNode): PlainNode {
  const made: Record<string, unknown> = { ...node }
  for (const name of namesOfParts(node)) {
    const part = node[name] as PlainNode | readonly PlainNode[] | undefined
    if (part !== undefined) made[name] = Array.isArray(part) ? part.map(change) : change(part as PlainNode)
  }
  return made as PlainNode
}

/** The text of an identifier. */
export function nameOf(node: unknown): string {
  return (node as { readonly name: string }).name
}
