import { type Known, laneFor } from './lanes.js'
import type { CompareNode, ConditionNode, OrElseNode, TermNode } from './nodes.js'
import { isList, typeOf } from './nodes.js'
import { lowerAscii } from './text.js'
import { type Comparable, isMissing, proper, properList } from './value.js'

/** A record as rules read it. */
export type Row = Readonly<Record<string, unknown>>

/** What a condition is judged with besides the record. */
export interface Env {
  /** The person's claims; null for a visitor. */
  readonly me: Row | null
  /** The instant of the operation, in milliseconds since 1970. */
  readonly now: number
  /** The record as it would become. Where nothing is about to change, the record as it is stands for it. */
  readonly after?: Row | undefined
}

/** A condition made ready to be asked about many records. */
export type Predicate = (record: Row, env: Env) => boolean

/** A term's value as comparisons see it: undefined where it equals nothing. */
export type Reader = (record: Row, env: Env) => Comparable | undefined

const never: Predicate = () => false
const always: Predicate = () => true

/**
 * Makes a condition into a function: the one evaluator that every in-memory answer comes from.
 * Two-valued: a comparison with a missing or improper value is false, and `not` is the exact complement.
 */
export function predicate(node: ConditionNode): Predicate {
  switch (node.kind) {
    case 'constant':
      return node.value ? always : never
    case 'named':
      return predicate(node.of)
    case 'not': {
      const inner = predicate(node.of)
      return (record, env) => !inner(record, env)
    }
    case 'allOf':
      return every(node.of.map(predicate))
    case 'anyOf':
      return anyKnown(node.of) ?? some(node.of.map(predicate))
    case 'presence': {
      const missing = missingReader(node.term)
      return node.present ? (record, env) => !missing(record, env) : missing
    }
    case 'compare':
      return knownValues(node) ?? comparison(node)
  }
}

function every(parts: Predicate[]): Predicate {
  const [a, b] = parts
  if (a === undefined) return always
  if (b === undefined) return a
  if (parts.length === 2) return (record, env) => a(record, env) && b(record, env)
  return (record, env) => {
    for (const part of parts) if (!part(record, env)) return false
    return true
  }
}

function some(parts: Predicate[]): Predicate {
  const [a, b] = parts
  if (a === undefined) return never
  if (b === undefined) return a
  if (parts.length === 2) return (record, env) => a(record, env) || b(record, env)
  return (record, env) => {
    for (const part of parts) if (part(record, env)) return true
    return false
  }
}

/** The commonest leaves, a field against values known beforehand: no checks are left, since only a proper value is equal to one. */
function knownField(node: ConditionNode): { readonly name: string; readonly values: readonly Comparable[] } | undefined {
  if (node.kind !== 'compare' || (node.by !== 'is' && node.by !== 'isOneOf' && node.by !== 'has')) return undefined
  const [field, known] = node.by === 'has' ? [node.right, node.left] : [node.left, node.right]
  if (field.kind !== 'field' || field.of !== 'record' || field.path.length !== 1 || field.list || field.type === 'time') return undefined
  if (known.kind !== 'literal' || known.value === null) return undefined
  const given = known.list ? properList(known.value, known.type) : [proper(known.value, known.type)]
  const { type } = field
  if (type === 'other') return undefined
  const values = (given ?? []).filter((value): value is Comparable => value !== undefined && proper(value, type) !== undefined)
  return { name: field.path[0] as string, values }
}

function knownValues(node: ConditionNode): Predicate | undefined {
  const field = knownField(node)
  if (field === undefined) return undefined
  const { name, values } = field
  if (values.length === 0) return never
  return values.length > 2 ? laneFor(name).among(name, new Set(values)) : laneFor(name).any1(knownOf(name, values))
}

function knownOf(name: string, values: readonly Comparable[]): Known {
  return { name, one: values[0], other: values[1] ?? values[0] }
}

/** Two or three such leaves, of which any may hold: what most rules come down to for one person. */
function anyKnown(of: readonly ConditionNode[]): Predicate | undefined {
  if (of.length !== 2 && of.length !== 3) return undefined
  const fields = of.map(knownField)
  if (!fields.every((field) => field !== undefined && (field.values.length === 1 || field.values.length === 2))) return undefined
  const [a, b, c] = fields.map((field) => field && knownOf(field.name, field.values)) as [Known, Known, Known | undefined]
  return c === undefined ? laneFor(`${a.name} ${b.name}`).any2(a, b) : laneFor(`${a.name} ${b.name} ${c.name}`).any3(a, b, c)
}

type Compared = (left: Comparable, right: Comparable) => boolean
type Listed = readonly Comparable[]

const same: Compared = (a, b) => a === b
const sameIgnoringCase: Compared = (a, b) => lowerAscii(a as string) === lowerAscii(b as string)
const less: Compared = (a, b) => a < b
const more: Compared = (a, b) => a > b

const ON_VALUES: Partial<Record<CompareNode['by'], Compared>> = {
  is: same,
  isLessThan: less,
  isMoreThan: more,
  isAtMost: (a, b) => a <= b,
  isAtLeast: (a, b) => a >= b,
  isBefore: less,
  isAfter: more,
  startsWith: (a, b) => (a as string).startsWith(b as string),
  endsWith: (a, b) => (a as string).endsWith(b as string),
  isIgnoringCase: sameIgnoringCase,
}

function comparison(node: CompareNode): Predicate {
  const { left, right, by } = node
  if (by === 'isOneOf') return inList(reader(left), listReader(right), same)
  if (by === 'has') return inList(reader(right), listReader(left), same)
  if (by === 'hasIgnoringCase') return inList(reader(right), listReader(left), sameIgnoringCase)
  if (by === 'overlaps') return inBoth(listReader(left), listReader(right))
  const compare = ON_VALUES[by] as Compared
  const readLeft = reader(left)
  const readRight = reader(right)
  return (record, env) => {
    const a = readLeft(record, env)
    if (a === undefined) return false
    const b = readRight(record, env)
    return b !== undefined && compare(a, b)
  }
}

function inList(item: Reader, list: ListReader, compare: Compared): Predicate {
  return (record, env) => {
    const wanted = item(record, env)
    return wanted !== undefined && (list(record, env)?.some((one) => compare(one, wanted)) ?? false)
  }
}

function inBoth(left: ListReader, right: ListReader): Predicate {
  return (record, env) => {
    const others = right(record, env)
    return others !== undefined && (left(record, env)?.some((one) => others.includes(one)) ?? false)
  }
}

/** What the term holds, as stored. */
function rawReader(term: TermNode): (record: Row, env: Env) => unknown {
  switch (term.kind) {
    case 'field': {
      const [name, ...inner] = term.path as [string, ...string[]]
      if (term.of === 'after') return (record, env) => inside((env.after ?? record)[name], inner)
      return inner.length === 0 ? (record) => record[name] : (record) => inside(record[name], inner)
    }
    case 'claim':
      return (_record, env) => inside(env.me, term.path)
    case 'literal':
      return () => term.value
    case 'now':
      return (_record, env) => env.now
    case 'forever':
      return () => Number.POSITIVE_INFINITY
    case 'orElse':
      return eitherOf(term, rawReader)
  }
}

/** Reads a term, or its stand-in where it is missing. */
function eitherOf<T>(term: OrElseNode, readerOf: (term: TermNode) => (record: Row, env: Env) => T): (record: Row, env: Env) => T {
  const missing = missingReader(term.term)
  const first = readerOf(term.term)
  const second = readerOf(term.otherwise)
  return (record, env) => (missing(record, env) ? second(record, env) : first(record, env))
}

function inside(value: unknown, path: readonly string[]): unknown {
  let found = value
  for (const step of path) {
    if (typeof found !== 'object' || found === null || Array.isArray(found)) return undefined
    found = (found as Row)[step]
  }
  return found
}

/** Reads what a term holds for people to see: a missing value is undefined or null, an improper one stays as it is. */
export function shown(term: TermNode): (record: Row, env: Env) => unknown {
  return rawReader(term)
}

function missingReader(term: TermNode): Predicate {
  if (term.kind === 'now' || term.kind === 'forever') return never
  if (term.kind === 'orElse') {
    const first = missingReader(term.term)
    const second = missingReader(term.otherwise)
    return (record, env) => first(record, env) && second(record, env)
  }
  const raw = rawReader(term)
  const type = term.list ? 'other' : term.type
  return (record, env) => isMissing(raw(record, env), type)
}

/** Reads a single value, ready to be compared. */
export function reader(term: TermNode): Reader {
  if (term.kind === 'now') return (_record, env) => env.now
  if (term.kind === 'forever') return () => Number.POSITIVE_INFINITY
  if (term.kind === 'orElse') return eitherOf(term, reader)
  const type = typeOf(term)
  if (type === 'other' || isList(term)) return () => undefined
  const raw = rawReader(term)
  return (record, env) => proper(raw(record, env), type)
}

type ListReader = (record: Row, env: Env) => Listed | undefined

function listReader(term: TermNode): ListReader {
  if (term.kind === 'orElse') return eitherOf(term, listReader)
  const type = typeOf(term)
  if (type === 'other' || !isList(term)) return () => undefined
  if (term.kind === 'literal') {
    const known = properList(term.value, type)
    return () => known
  }
  const raw = rawReader(term)
  return (record, env) => properList(raw(record, env), type)
}
