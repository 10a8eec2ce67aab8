import { isTimeZone, todayNode } from './day.js'
import { ConditionError } from './error.js'
import {
  allOfNode,
  anyOfNode,
  type ConditionNode,
  compareNode,
  constant,
  type FieldNode,
  FOREVER,
  isList,
  type LinkNode,
  listChangeNode,
  NOW,
  type NowNode,
  notNode,
  type OverNode,
  type PlaceNode,
  presenceNode,
  type RecordRef,
  someNode,
  type TermNode,
  typeOf,
} from './nodes.js'
import { type Comparison, listSides, OPERATORS, TAKES } from './operators.js'
import { sameTerm } from './same.js'
import { comparable, family, isMissing, type Scalar, toComparable } from './value.js'

const DEEPEST = 64
const SCALARS: readonly unknown[] = ['text', 'id', 'integer', 'number', 'boolean', 'time']

/**
 * Reads a condition from its JSON form, which is the node itself (`JSON.stringify(node)` writes it). Everything is checked: kinds, fields,
 * the types on both sides of a comparison, and depth.
 * @throws ConditionError `BAD_CONDITION`, with the path to the fault.
 */
export function conditionFromJson(json: unknown): ConditionNode {
  return condition(json, '$', 0, new Set())
}

/** The numbers of the enclosing `some` nodes. */
type Bound = ReadonlySet<number>

function condition(json: unknown, at: string, depth: number, bound: Bound): ConditionNode {
  const node = object(json, at, depth)
  switch (node.kind) {
    case 'constant':
      allowed(node, at, 'value')
      return constant(boolean(node.value, `${at}.value`))
    case 'not':
      allowed(node, at, 'of')
      return notNode(condition(node.of, `${at}.of`, depth + 1, bound))
    case 'named':
      allowed(node, at, 'name', 'of')
      return Object.freeze({ kind: 'named', name: text(node.name, `${at}.name`), of: condition(node.of, `${at}.of`, depth + 1, bound) })
    case 'allOf':
    case 'anyOf': {
      allowed(node, at, 'of')
      if (!Array.isArray(node.of)) throw new ConditionError(`${at}.of`, 'needs a list of conditions')
      const of = node.of.map((part, index) => condition(part, `${at}.of[${index}]`, depth + 1, bound))
      return node.kind === 'allOf' ? allOfNode(of) : anyOfNode(of)
    }
    case 'presence':
      allowed(node, at, 'term', 'present')
      return presenceNode(term(node.term, `${at}.term`, depth + 1, bound), boolean(node.present, `${at}.present`))
    case 'compare': {
      allowed(node, at, 'by', 'left', 'right')
      const left = term(node.left, `${at}.left`, depth + 1, bound)
      const right = term(node.right, `${at}.right`, depth + 1, bound)
      const problem = comparisonProblem(left, node.by, right)
      if (problem !== undefined) throw new ConditionError(`${at}.by`, problem)
      return compareNode(left, node.by as Comparison, right)
    }
    case 'listChange': {
      allowed(node, at, 'by', 'list', 'from', 'item')
      if (node.by !== 'adds' && node.by !== 'removes') throw new ConditionError(`${at}.by`, 'needs adds or removes')
      const list = term(node.list, `${at}.list`, depth + 1, bound)
      const from = term(node.from, `${at}.from`, depth + 1, bound)
      const item = term(node.item, `${at}.item`, depth + 1, bound)
      const problem = listChangeProblem(list, from, item)
      if (problem !== undefined) throw new ConditionError(at, problem)
      return listChangeNode(node.by, list, from, item)
    }
    case 'some': {
      allowed(node, at, 'least', 'each', 'over', 'of')
      const { each } = node
      if (!Number.isSafeInteger(each) || (each as number) < 1) throw new ConditionError(`${at}.each`, 'needs a whole number from 1 on')
      if (bound.has(each as number)) throw new ConditionError(`${at}.each`, `the number ${each} is used by an enclosing "some"`)
      const over = overFromJson(node.over, `${at}.over`, depth + 1, bound)
      const of = condition(node.of, `${at}.of`, depth + 1, new Set([...bound, each as number]))
      return someNode(each as number, over, of, leastFromJson(node.least, over, at))
    }
    default:
      throw new ConditionError(`${at}.kind`, `${JSON.stringify(node.kind)} is not a kind of condition`)
  }
}

/** How many records a `some` needs. */
function leastFromJson(least: unknown, over: OverNode, at: string): number {
  if (least === undefined) return 1
  if (!Number.isSafeInteger(least) || (least as number) < 2) throw new ConditionError(`${at}.least`, 'needs a whole number from 2 on')
  if (over.kind === 'elements') throw new ConditionError(`${at}.least`, 'only linked records are counted, not objects in a list')
  return least as number
}

/** The reason why two terms cannot be compared with this operator; undefined if they can. */
export function comparisonProblem(left: TermNode, by: unknown, right: TermNode): string | undefined {
  if (typeof by !== 'string' || !Object.hasOwn(OPERATORS, by)) return `${JSON.stringify(by)} is not a comparison`
  const takes = TAKES[by as Comparison]
  const [leftIsList, rightIsList] = listSides(by as Comparison)
  const leftType = typeOf(left)
  const rightType = typeOf(right)
  if (leftType === 'other' || rightType === 'other')
    return `${by} cannot be used on a bigint, on bytes, or on a value that the shape does not describe`
  if (isList(left) !== leftIsList) return `${by} needs ${isList(left) ? 'a single value' : 'a list'} on its left`
  if (isList(right) !== rightIsList) return `${by} needs ${isList(right) ? 'a single value' : 'a list'} on its right`
  if (!comparable(leftType, rightType)) return `${by} cannot compare ${leftType} with ${rightType}`
  const fits: readonly string[] = takes === 'order' ? ['number', 'time'] : [takes]
  if (takes !== 'any' && !fits.includes(family(leftType)))
    return `${by} compares ${fits.map((kind) => `${kind}s`).join(' or ')}, not ${leftType}`
  return undefined
}

function nowFromJson(node: Json, at: string): NowNode {
  allowed(node, at, 'zone', 'days')
  const { zone, days } = node
  if (zone === undefined && days === undefined) return NOW
  if (!isTimeZone(zone)) throw new ConditionError(`${at}.zone`, `${JSON.stringify(zone)} is not the name of a time zone`)
  return todayNode(zone, days ?? 0, (problem) => {
    throw new ConditionError(`${at}.days`, problem)
  })
}

function term(json: unknown, at: string, depth: number, bound: Bound): TermNode {
  const node = object(json, at, depth)
  switch (node.kind) {
    case 'now':
      return nowFromJson(node, at)
    case 'forever':
      allowed(node, at)
      return FOREVER
    case 'field':
      return fieldFromJson(node, at, bound)
    case 'claim': {
      allowed(node, at, 'path', 'type', 'list', 'optional', 'links')
      const found = place(node, at)
      const { links } = node
      if (links === undefined) return Object.freeze({ kind: 'claim', ...found })
      if (!Number.isSafeInteger(links) || (links as number) < 1 || (links as number) >= found.path.length)
        throw new ConditionError(`${at}.links`, 'needs a number of steps, fewer than the path has')
      return Object.freeze({ kind: 'claim', links: links as number, ...found })
    }
    case 'literal':
      allowed(node, at, 'type', 'list', 'value')
      return literal(node, at)
    case 'orElse': {
      allowed(node, at, 'term', 'otherwise')
      const first = term(node.term, `${at}.term`, depth + 1, bound)
      const otherwise = term(node.otherwise, `${at}.otherwise`, depth + 1, bound)
      const problem = orElseProblem(first, otherwise)
      if (problem !== undefined) throw new ConditionError(`${at}.otherwise`, problem)
      return Object.freeze({ kind: 'orElse', term: first, otherwise })
    }
    default:
      throw new ConditionError(`${at}.kind`, `${JSON.stringify(node.kind)} is not a kind of term`)
  }
}

function fieldFromJson(node: Json, at: string, bound: Bound): FieldNode {
  allowed(node, at, 'of', 'via', 'path', 'type', 'list', 'optional')
  const { of } = node
  if (of !== 'record' && of !== 'after' && !bound.has(of as number))
    throw new ConditionError(`${at}.of`, `${JSON.stringify(of)} is not a record that can be used here`)
  const via = node.via === undefined ? {} : { via: many(node.via, `${at}.via`, linkFromJson) }
  return Object.freeze({ kind: 'field', of: of as RecordRef, ...via, ...place(node, at) })
}

function overFromJson(json: unknown, at: string, depth: number, bound: Bound): OverNode {
  const node = object(json, at, depth)
  const joins = () =>
    many(node.by, `${at}.by`, (join, where) => {
      const pair = pairFromJson(join, where)
      const to = placeFromJson(pair.to, `${where}.to`)
      const from = term(pair.from, `${where}.from`, depth + 1, bound)
      const problem = joinProblem(to, from)
      if (problem !== undefined) throw new ConditionError(where, problem)
      return Object.freeze({ to, from })
    })
  switch (node.kind) {
    case 'elements': {
      allowed(node, at, 'list')
      const list = term(node.list, `${at}.list`, depth + 1, bound)
      if (list.kind !== 'field' || list.type !== 'other') throw new ConditionError(`${at}.list`, 'needs a field with a list of objects')
      return Object.freeze({ kind: 'elements', list })
    }
    case 'records': {
      allowed(node, at, 'type', 'name', 'one', 'mine', 'by')
      const name = node.name === undefined ? {} : { name: text(node.name, `${at}.name`) }
      const flags = { ...flag(node, 'one', at), ...flag(node, 'mine', at) }
      return Object.freeze({ kind: 'records', type: fieldName(node.type, `${at}.type`), ...name, ...flags, by: joins() })
    }
    case 'ancestors': {
      allowed(node, at, 'type', 'by', 'link', 'keys', 'self')
      return Object.freeze({
        kind: 'ancestors',
        type: fieldName(node.type, `${at}.type`),
        by: joins(),
        link: linkFromJson(node.link, `${at}.link`),
        keys: many(node.keys, `${at}.keys`, placeFromJson),
        self: many(node.self, `${at}.self`, (one, at) => term(one, at, depth + 1, bound)),
      })
    }
    default:
      throw new ConditionError(`${at}.kind`, `${JSON.stringify(node.kind)} is not something that a "some" can search`)
  }
}

function linkFromJson(json: unknown, at: string): LinkNode {
  const node = object(json, at, 0)
  allowed(node, at, 'name', 'to', 'by', 'removal')
  const by = many(node.by, `${at}.by`, (join, where) => {
    const pair = pairFromJson(join, where)
    return Object.freeze({ to: placeFromJson(pair.to, `${where}.to`), from: placeFromJson(pair.from, `${where}.from`) })
  })
  const removal = node.removal === undefined ? {} : { removal: placeFromJson(node.removal, `${at}.removal`) }
  return Object.freeze({ name: text(node.name, `${at}.name`), to: fieldName(node.to, `${at}.to`), by, ...removal })
}

function pairFromJson(json: unknown, at: string): Json {
  const pair = object(json, at, 0)
  allowed(pair, at, 'to', 'from')
  return pair
}

function placeFromJson(json: unknown, at: string): PlaceNode {
  const node = object(json, at, 0)
  allowed(node, at, 'path', 'type', 'list', 'ignoringCase')
  const { path, type, list } = place(node, at)
  if (type === 'other')
    throw new ConditionError(`${at}.type`, 'a bigint, bytes, or a value that the shape does not describe cannot be compared')
  return Object.freeze({ path, type, ...(list ? { list } : {}), ...flag(node, 'ignoringCase', at) })
}

/** The reason why it cannot be asked whether one list becomes the other by a value; undefined if it can. */
export function listChangeProblem(list: TermNode, from: TermNode, item: TermNode): string | undefined {
  const is = (term: TermNode, of: 'record' | 'after') => term.kind === 'field' && term.of === of && term.via === undefined
  const same = is(list, 'after') && is(from, 'record') && sameTerm({ ...list, of: 'record' } as FieldNode, from)
  if (!same || !isList(list) || !isList(from))
    return 'compares a list as it becomes with the same list as it is, as in after.tags.adds(plot.tags, x)'
  return comparisonProblem(list, 'has', item)
}

/** The reason why a term cannot be joined with a place; undefined if it can. */
export function joinProblem(to: PlaceNode, from: TermNode): string | undefined {
  const type = typeOf(from)
  if (type === 'other' || !comparable(type, to.type)) return `${type} is never equal to ${to.type}`
  return to.list && isList(from) ? 'a list cannot contain a list' : undefined
}

function many<T>(json: unknown, at: string, read: (one: unknown, at: string) => T): readonly T[] {
  if (!Array.isArray(json)) throw new ConditionError(at, 'needs a list')
  return Object.freeze(json.map((one, index) => read(one, `${at}[${index}]`)))
}

/** The reason why one term cannot replace the other; undefined if it can. */
export function orElseProblem(first: TermNode, otherwise: TermNode): string | undefined {
  const type = typeOf(first)
  const other = typeOf(otherwise)
  if (isList(first) !== isList(otherwise)) return `orElse needs ${isList(first) ? 'a list' : 'a single value'}`
  if (type === 'other' || other === 'other' || !comparable(type, other)) return `orElse needs a value of type ${type}, not ${other}`
  if (isList(first) && type !== other && otherwise.kind !== 'literal') return `orElse needs a list of ${type}, not of ${other}`
  return undefined
}

function place(node: Json, at: string) {
  if (!Array.isArray(node.path) || node.path.length === 0) throw new ConditionError(`${at}.path`, 'needs a list of field names')
  const path = Object.freeze(node.path.map((step, index) => fieldName(step, `${at}.path[${index}]`)))
  if (node.type !== 'other' && !SCALARS.includes(node.type))
    throw new ConditionError(`${at}.type`, `${JSON.stringify(node.type)} is not a type`)
  return {
    path,
    type: node.type as Scalar | 'other',
    ...flag(node, 'list', at),
    ...flag(node, 'optional', at),
  }
}

function literal(node: Json, at: string): TermNode {
  if (!SCALARS.includes(node.type)) throw new ConditionError(`${at}.type`, `${JSON.stringify(node.type)} is not a type`)
  const type = node.type as Scalar
  const list = flag(node, 'list', at)
  if (list.list) {
    if (!Array.isArray(node.value)) throw new ConditionError(`${at}.value`, 'needs a list')
    const values = node.value.map((value, index) => checked(value, type, `${at}.value[${index}]`))
    return Object.freeze({ kind: 'literal', type, list: true, value: Object.freeze(values) })
  }
  return Object.freeze({ kind: 'literal', type, value: node.value === null ? null : checked(node.value, type, `${at}.value`) })
}

function checked(value: unknown, type: Scalar, at: string) {
  if (isMissing(value, type) || toComparable(value, type) === undefined)
    throw new ConditionError(at, `${JSON.stringify(value)} is not a valid ${type}`)
  return value as string | number | boolean
}

type Json = Readonly<Record<string, unknown>>

function object(json: unknown, at: string, depth: number): Json {
  if (depth > DEEPEST) throw new ConditionError(at, `a condition may be nested at most ${DEEPEST} levels deep`)
  if (typeof json !== 'object' || json === null || Array.isArray(json)) throw new ConditionError(at, 'needs an object')
  return json as Json
}

function allowed(node: Json, at: string, ...names: string[]): void {
  const odd = Object.keys(node).find((name) => name !== 'kind' && !names.includes(name))
  if (odd !== undefined) throw new ConditionError(`${at}.${odd}`, `${JSON.stringify(node.kind)} has no property ${JSON.stringify(odd)}`)
}

function boolean(value: unknown, at: string): boolean {
  if (typeof value !== 'boolean') throw new ConditionError(at, 'needs true or false')
  return value
}

function text(value: unknown, at: string): string {
  if (typeof value !== 'string' || value === '') throw new ConditionError(at, 'needs a name')
  return value
}

function fieldName(value: unknown, at: string): string {
  const name = text(value, at)
  if (name in Object.prototype) throw new ConditionError(at, `"${name}" cannot be a field name: every object has a property of this name`)
  return name
}

function flag<N extends string>(node: Json, name: N, at: string): { readonly [P in N]?: true } {
  const value = node[name]
  if (value === undefined) return {}
  if (value !== true) throw new ConditionError(`${at}.${name}`, 'only true is allowed here')
  return { [name]: true } as { readonly [P in N]?: true }
}
