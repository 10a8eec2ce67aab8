import {
  allOfNode,
  anyOfNode,
  type Comparable,
  type CompareNode,
  type ConditionNode,
  compareNode,
  describe,
  FIRST_INSTANT,
  type FieldNode,
  family,
  isBlank,
  isList,
  LAST_INSTANT,
  type LiteralNode,
  lowerAscii,
  predicate,
  presenceNode,
  proper,
  properList,
  type Scalar,
  scalarOf,
  type TermNode,
} from '../condition/index.js'
import { DocumentError } from './error.js'

/** A filter document, in the query language of MongoDB. */
export type FilterDocument = { readonly [word: string]: unknown }

/** What a document filter needs to know of its surroundings. */
export interface Written {
  /** The instant of the operation, in milliseconds since 1970. */
  readonly now: number
  /** How a field is named in the document. */
  readonly name: (field: string) => string
}

const ALL: FilterDocument = Object.freeze({})
const NONE: FilterDocument = Object.freeze({ $nor: [{}] })
// The end of a text: $ would let a line break follow.
const END = '(?![\\s\\S])'
const LARGEST: { readonly [T in 'integer' | 'number']: number } = { integer: Number.MAX_SAFE_INTEGER, number: Number.MAX_VALUE }
const FIRST = new Date(FIRST_INSTANT)
const LAST = new Date(LAST_INSTANT)
const ORDERS = { isLessThan: '$lt', isMoreThan: '$gt', isAtMost: '$lte', isAtLeast: '$gte', isBefore: '$lt', isAfter: '$gt' } as const
const EQUALITIES: ReadonlySet<string> = new Set(['is', 'has', 'isIgnoringCase', 'hasIgnoringCase'])
const MIRRORED = { $lt: '$gt', $gt: '$lt', $lte: '$gte', $gte: '$lte' } as const
const TYPES = { text: 'string', number: 'number', boolean: 'bool', time: 'date' } as const

/**
 * A condition without links as a filter document. Each comparison is of one type and of no list: what does not fit the shape
 * equals nothing. @throws DocumentError
 */
export function write(node: ConditionNode, written: Written, within?: number): FilterDocument {
  const to = (part: ConditionNode) => write(part, written, within)
  switch (node.kind) {
    case 'constant':
      return node.value ? ALL : NONE
    case 'named':
      return to(node.of)
    case 'allOf':
      return all(node.of.map(to))
    case 'anyOf':
      return any(node.of.map(to))
    case 'not':
      return not(to(node.of))
    case 'presence': {
      const missing = isMissing(node.term, written, within)
      return node.present ? not(missing) : missing
    }
    case 'compare':
      return compared(node, written, within)
    case 'listChange':
      return NONE
    case 'some': {
      const { over } = node
      if (over.kind !== 'elements') throw new DocumentError('a link that was not resolved')
      const path = pathOf(over.list, written, within)
      return all([
        { [path.at(-1) as string]: { $elemMatch: { $and: [write(node.of, written, node.each)] } } },
        ...apartFromLists(path.slice(0, -1)),
      ])
    }
  }
}

function all(parts: readonly FilterDocument[]): FilterDocument {
  const rest = parts.filter((part) => part !== ALL)
  if (rest.includes(NONE)) return NONE
  return rest.length === 0 ? ALL : rest.length === 1 ? (rest[0] as FilterDocument) : { $and: rest }
}

function any(parts: readonly FilterDocument[]): FilterDocument {
  const rest = parts.filter((part) => part !== NONE)
  if (rest.includes(ALL)) return ALL
  return rest.length === 0 ? NONE : rest.length === 1 ? (rest[0] as FilterDocument) : { $or: rest }
}

function not(part: FilterDocument): FilterDocument {
  return part === ALL ? NONE : part === NONE ? ALL : { $nor: [part] }
}

/** The places that lead to a field, from the outermost to its own: `a`, `a.b`. */
function pathOf({ of, path, type }: FieldNode, { name }: Written, within: number | undefined): string[] {
  const own = within === undefined ? of !== 'record' && of !== 'after' : of !== within
  if (own) throw new DocumentError('a comparison of an element of a list with what lies outside the list')
  if (type === 'time' && path.length === 0) throw new DocumentError('a list of lists')
  const steps = path.map((step, at) => (at === 0 && within === undefined ? name(step) : step))
  if (steps.some((step) => step.includes('.') || step.startsWith('$') || step === ''))
    throw new DocumentError(`the field ${path.join('.')}`)
  return steps.map((_, at) => steps.slice(0, at + 1).join('.'))
}

/** A path is looked for in each element of a list: here it is not. */
function apartFromLists(places: readonly string[]): FilterDocument[] {
  return places.map((place) => ({ [place]: { $not: { $type: 'array' } } }))
}

function isMissing(term: TermNode, written: Written, within: number | undefined): FilterDocument {
  switch (term.kind) {
    case 'field': {
      const path = pathOf(term, written, within)
      const own = path.at(-1) as string
      const outer = path.slice(0, -1)
      const empty: FilterDocument[] = [{ [own]: null }]
      if (term.type === 'id' && !term.list) empty.push({ [own]: { $regex: `^ *${END}` } })
      return any([...outer.map((place) => ({ [place]: { $type: 'array' } })), all([any(empty), ...apartFromLists(path)])])
    }
    case 'orElse':
      return all([isMissing(term.term, written, within), isMissing(term.otherwise, written, within)])
    case 'literal':
      return term.value === null ? ALL : NONE
    case 'now':
    case 'forever':
      return NONE
    case 'claim':
      throw new DocumentError(`the claim ${term.path.join('.')}`)
  }
}

function compared(node: CompareNode, written: Written, within: number | undefined): FilterDocument {
  const { left, by, right } = node
  // A stand-in counts where the first is missing.
  for (const [side, other, put] of [
    [left, right, (one: TermNode) => compareNode(one, by, right)],
    [right, left, (one: TermNode) => compareNode(left, by, one)],
  ] as const) {
    if (side.kind !== 'orElse' || other === undefined) continue
    const first = allOfNode([presenceNode(side.term, true), put(side.term)])
    return write(anyOfNode([first, allOfNode([presenceNode(side.term, false), put(side.otherwise)])]), written, within)
  }
  if (left.kind === 'claim' || right.kind === 'claim') throw new DocumentError('a claim')
  if (left.kind !== 'field' && right.kind !== 'field') return predicate(node)({}, { me: null, now: written.now }) ? ALL : NONE
  if (left.kind === 'field' && right.kind === 'field') return twoFields(node, left, right, written, within)
  if (left.kind === 'field') return beside(node, left, right, written, within)
  return mirrored(node, left, right as FieldNode, written, within)
}

/** A field on the left, something known on the right. */
function beside({ by }: CompareNode, field: FieldNode, right: TermNode, written: Written, within: number | undefined): FilterDocument {
  const path = pathOf(field, written, within)
  const own = path.at(-1) as string
  const type = scalarOf(field)
  const matches = (test: unknown, ...more: FilterDocument[]) => all([{ [own]: test }, ...more, ...apartFromLists(path)])
  // An element that is a list is none of the values, even if one is in it.
  const inList = (test: FilterDocument) =>
    all([{ [own]: { $elemMatch: { ...test, $not: { $type: 'array' } } } }, ...apartFromLists(path.slice(0, -1))])
  if (right.kind === 'forever') return by === 'isBefore' ? matches(range(type)) : NONE
  if (isList(right)) {
    const values = valuesOf(right as LiteralNode, type)
    if (values.length === 0) return NONE
    return by === 'overlaps' ? inList({ $in: values }) : matches({ $in: values })
  }
  const value = knownValue(right, written)
  if (value === undefined || (EQUALITIES.has(by) && !fits(value, type))) return NONE
  switch (by) {
    case 'is':
      return matches({ $eq: value })
    case 'has':
      return inList({ $eq: value })
    case 'isIgnoringCase':
      return matches({ $regex: `^${ignoringCase(value as string)}${END}` })
    case 'hasIgnoringCase':
      return inList({ $regex: `^${ignoringCase(value as string)}${END}` })
    case 'startsWith':
      return matches({ $regex: `^${escaped(value as string)}` }, ...sound(own, type))
    case 'endsWith':
      return matches({ $regex: `${escaped(value as string)}${END}` }, ...sound(own, type))
    case 'isOneOf':
    case 'overlaps':
      return NONE
    default:
      return matches(narrowed(range(type), ORDERS[by], value))
  }
}

/** Within the bounds, and in that order to the value besides. */
function narrowed(bounds: FilterDocument, order: '$lt' | '$gt' | '$lte' | '$gte', value: unknown): FilterDocument {
  if (order === '$lt' || order === '$gt') return { ...bounds, [order]: value }
  const bound = bounds[order] as number | Date
  const inside = order === '$lte' ? (value as number | Date) < bound : (value as number | Date) > bound
  return { ...bounds, [order]: inside ? value : bound }
}

/** Something known on the left, a field on the right. */
function mirrored(node: CompareNode, left: TermNode, field: FieldNode, written: Written, within: number | undefined): FilterDocument {
  const { by } = node
  const turned = (how: CompareNode['by']) => beside(compareNode(field, how, left), field, left, written, within)
  if (by === 'is' || by === 'overlaps' || by === 'isIgnoringCase') return turned(by)
  if (by === 'has') return turned('isOneOf')
  if (by === 'isOneOf') return turned('has')
  if (by === 'hasIgnoringCase') {
    const values = valuesOf(left as LiteralNode, 'text') as string[]
    return any(values.map((value) => beside(compareNode(field, 'isIgnoringCase', text(value)), field, text(value), written, within)))
  }
  if (by === 'startsWith' || by === 'endsWith') {
    const value = knownValue(left, written)
    if (value === undefined) return NONE
    // The field is one of the starts, or ends, of the known text.
    const letters = [...(value as string)]
    const parts = [letters, ...letters.map((_, at) => (by === 'startsWith' ? letters.slice(0, at) : letters.slice(at + 1)))]
    const literal: LiteralNode = { kind: 'literal', type: 'text', list: true, value: parts.map((one) => one.join('')) }
    return beside(compareNode(field, 'isOneOf', literal), field, literal, written, within)
  }
  if (left.kind === 'forever') {
    const path = pathOf(field, written, within)
    return by === 'isAfter' ? all([{ [path.at(-1) as string]: range('time') }, ...apartFromLists(path)]) : NONE
  }
  const opposite = Object.entries(ORDERS).find(([how, order]) => order === MIRRORED[ORDERS[by]] && sideOf(how) === sideOf(by))
  return turned(opposite?.[0] as CompareNode['by'])
}

function sideOf(by: string): 'time' | 'number' {
  return by === 'isBefore' || by === 'isAfter' ? 'time' : 'number'
}

function text(value: string): LiteralNode {
  return { kind: 'literal', type: 'text', value }
}

/** Two fields of a document, compared by an expression. */
function twoFields(node: CompareNode, left: FieldNode, right: FieldNode, written: Written, within: number | undefined): FilterDocument {
  if (within !== undefined) throw new DocumentError(`"${describe(node)}" within a list`)
  const places = [pathOf(left, written, within), pathOf(right, written, within)] as const
  const [a, b] = places.map((path) => `$${path.at(-1)}`) as [string, string]
  const guards = ([left, right] as const).flatMap((field, at) => {
    const path = places[at] as string[]
    if (field.list) return apartFromLists(path.slice(0, -1))
    return [
      { [path.at(-1) as string]: { $type: TYPES[family(scalarOf(field))] } },
      ...sound(path.at(-1) as string, scalarOf(field)),
      ...apartFromLists(path),
    ]
  })
  const expression = (of: unknown) => all([...guards, { $expr: of }])
  switch (node.by) {
    case 'is':
      return expression({ $eq: [a, b] })
    // What equals an element has to be sound as an element is, too.
    case 'has':
      return all([...sound(b.slice(1), scalarOf(left)), expression({ $and: [{ $isArray: a }, { $in: [b, a] }] })])
    case 'isOneOf':
      return all([...sound(a.slice(1), scalarOf(right)), expression({ $and: [{ $isArray: b }, { $in: [a, b] }] })])
    case 'startsWith':
      // It fails on what is no text, and which part of a filter is looked at first is not said.
      return expression({ $and: [isText(a), isText(b), { $eq: [{ $indexOfBytes: [a, b] }, 0] }] })
    case 'isIgnoringCase':
    case 'hasIgnoringCase':
    case 'endsWith':
    case 'overlaps':
      throw new DocumentError(`"${describe(node)}"`)
    default:
      return expression({ [ORDERS[node.by]]: [a, b] })
  }
}

function isText(place: string): FilterDocument {
  return { $eq: [{ $type: place }, 'string'] }
}

/** What a value has to fulfil to equal or exceed anything at all. */
function sound(place: string, type: Scalar): FilterDocument[] {
  if (type === 'boolean') return []
  if (type !== 'text' && type !== 'id') return [{ [place]: range(type) }]
  const whole = { [place]: { $not: { $regex: '\\x00' } } }
  return type === 'id' ? [whole, { [place]: { $not: { $regex: `^ *${END}` } } }] : [whole]
}

function range(type: Scalar): FilterDocument {
  if (type === 'time') return { $gte: FIRST, $lte: LAST }
  const largest = LARGEST[type === 'integer' ? 'integer' : 'number']
  // Some order NaN below every number.
  return { $gte: -largest, $lte: largest, $ne: Number.NaN }
}

/** A known value as documents hold it; undefined where a field of the type equals it never. */
function knownValue(term: TermNode, { now }: Written): unknown {
  if (term.kind === 'now') return new Date(now)
  if (term.kind !== 'literal' || term.value === null) return undefined
  const value = proper(term.value, term.type)
  return value === undefined ? undefined : held(value, term.type)
}

function valuesOf({ value, type: own }: LiteralNode, type: Scalar): unknown[] {
  return (properList(value, own) ?? []).map((one) => held(one, own)).filter((one) => one !== undefined && fits(one, type))
}

function held(value: Comparable, own: Scalar): unknown {
  return own === 'time' ? new Date(value as number) : value
}

/** Whether a field of the type can equal the value at all: a blank id is missing, and a whole number is no half. */
function fits(value: unknown, type: Scalar): boolean {
  if (type === 'id') return !isBlank(value as string)
  return type !== 'integer' || Number.isSafeInteger(value)
}

function escaped(value: string): string {
  return value.replace(/[\\^$.*+?()[\]{}|/-]/g, '\\$&')
}

/** A text in either case of A to Z, and of no other letter. */
function ignoringCase(value: string): string {
  return [...lowerAscii(value)].map((letter) => (/[a-z]/.test(letter) ? `[${letter}${letter.toUpperCase()}]` : escaped(letter))).join('')
}
