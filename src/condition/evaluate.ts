import { type Compared, changedBy, ON_VALUES, same, sameIgnoringCase } from './compared.js'
import { PachterError } from './error.js'
import { type Known, laneFor } from './lanes.js'
import { isSelfContained, joinsOf, lower } from './lower.js'
import type {
  AncestorsNode,
  CompareNode,
  ConditionNode,
  LinkNode,
  ListChangeNode,
  OrElseNode,
  PlaceNode,
  SomeNode,
  TermNode,
} from './nodes.js'
import { isList, typeOf } from './nodes.js'
import { type Comparable, inside, isMissing, proper, properList, type Scalar } from './value.js'

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
  /** The other records, where rules follow links to them. */
  readonly links?: Links | undefined
  /** What a `some` looks at, by its number; and what has been found out in the course of one operation. Made where it is needed. */
  readonly course?: Course
}

/** How other records are found: through indexes, not by looking at each. */
export interface Links {
  /** The records of a type that hold these values at these places, a list holding a value if one of its elements is it. */
  find(type: string, places: readonly PlaceNode[], values: readonly Comparable[]): readonly Row[]
}

/** One operation's course: one instant, one person, one state of the records. */
export interface Course {
  readonly looking: (Row | undefined)[]
  readonly known: Map<object, Map<Comparable, boolean>>
  /** Is told of every record that a `some` looks at. */
  readonly note?: (each: number, row: Row) => void
}

function look(course: Course, each: number, row: Row): void {
  course.looking[each] = row
  course.note?.(each, row)
}

/** The course of a new operation. */
export function newCourse(): Course {
  return { looking: [], known: new Map() }
}

/** Rules follow links to other records, and nobody said where those are. */
export class LinksError extends PachterError {
  constructor(type: string) {
    super(
      'NO_LINKED_RECORDS',
      `the rules look at other records, of type ${type}, and none were given: book.for(person, { records: { ${type}: [...] } }), or ask the store`,
    )
  }
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
 * A part of a condition is told the highest number of a `some` in the whole.
 */
export function predicate(node: ConditionNode, highest = 0): Predicate {
  return lowered(lower(node, highest))
}

function lowered(node: ConditionNode): Predicate {
  switch (node.kind) {
    case 'constant':
      return node.value ? always : never
    case 'named':
      return lowered(node.of)
    case 'not': {
      const inner = lowered(node.of)
      return (record, env) => !inner(record, env)
    }
    case 'allOf':
      return every(node.of.map(lowered))
    case 'anyOf':
      return anyKnown(node.of) ?? some(node.of.map(lowered))
    case 'presence': {
      const missing = missingReader(node.term)
      return node.present ? (record, env) => !missing(record, env) : missing
    }
    case 'compare':
      return knownValues(node) ?? comparison(node)
    case 'listChange':
      return changeOf(node)
    case 'some':
      return someOf(node)
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

/** Whether one list is the other with one occurrence of a value more. An improper value in either equals nothing, and is no match. */
function changeOf({ by, list, from, item }: ListChangeNode): Predicate {
  const type = typeOf(list)
  if (type === 'other') return never
  const [longer, shorter] = (by === 'adds' ? [list, from] : [from, list]).map((term) => wholeList(term, type))
  const wanted = reader(item)
  return (record, env) => {
    const more = longer?.(record, env)
    const less = shorter?.(record, env)
    const value = wanted(record, env)
    if (more === undefined || less === undefined || value === undefined) return false
    return changedBy(more, less, value)
  }
}

function wholeList(term: TermNode, type: Scalar): ListReader {
  const raw = rawReader(term)
  return (record, env) => {
    const values = raw(record, env)
    const proper = properList(values, type)
    return proper !== undefined && proper.length === (values as unknown[]).length ? proper : undefined
  }
}

function someOf(node: SomeNode): Predicate {
  const { each, over } = node
  if (over.kind === 'elements') {
    const fits = lowered(node.of)
    const list = rawReader(over.list)
    return inCourse((record, env, course) => {
      const elements = list(record, env)
      if (!Array.isArray(elements)) return false
      return elements.some((element) => {
        if (typeof element !== 'object' || element === null || Array.isArray(element)) return false
        look(course, each, element)
        return fits(record, env)
      })
    })
  }
  if (over.kind === 'ancestors') return someAbove(node, over)
  const { by, rest } = joinsOf(node as SomeNode & { over: typeof over })
  const fits = lowered(rest)
  const places = by.map(({ to }) => to)
  const wanted = by.map(({ from }) => wantedReader(from))
  const closed = isSelfContained(rest, each)
  return inCourse((record, env, course) => {
    const links = env.links
    if (links === undefined) throw new LinksError(over.type)
    return eachOf(wanted, record, env, (values) => {
      const found = () =>
        links.find(over.type, places, values).some((row) => {
          look(course, each, row)
          return fits(record, env)
        })
      return closed ? once(course, node, values, found) : found()
    })
  })
}

type InCourse = (record: Row, env: Env, course: Course) => boolean

function inCourse(test: InCourse): Predicate {
  return (record, env) => {
    if (env.course !== undefined) return test(record, env, env.course)
    const course = newCourse()
    return test(record, { ...env, course }, course)
  }
}

/** What is found out of one linked record serves all that lead to it: n records with m linked ones cost n + m. */
function once({ known }: Course, node: object, values: readonly Comparable[], find: () => boolean): boolean {
  const found = known.get(node) ?? new Map<Comparable, boolean>()
  known.set(node, found)
  const key = values.length === 1 ? (values[0] as Comparable) : JSON.stringify(values)
  const answer = found.get(key) ?? find()
  found.set(key, answer)
  return answer
}

/** Reads what places have to be equal to: one value, any of a list, or none. */
function wantedReader(from: TermNode): (record: Row, env: Env) => Listed {
  if (isList(from)) {
    const list = listReader(from)
    return (record, env) => list(record, env) ?? []
  }
  const single = reader(from)
  return (record, env) => {
    const value = single(record, env)
    // No record has forever as its value.
    return value === undefined || value === Number.POSITIVE_INFINITY ? [] : [value]
  }
}

/** Whether the test holds for one way to take a value from each of the readers. */
function eachOf(
  wanted: readonly ((record: Row, env: Env) => Listed)[],
  record: Row,
  env: Env,
  test: (values: readonly Comparable[]) => boolean,
): boolean {
  const [first] = wanted
  if (wanted.length === 1) return (first as NonNullable<typeof first>)(record, env).some((value) => test([value]))
  let ways: Listed[] = [[]]
  for (const read of wanted) {
    const values = read(record, env)
    ways = ways.flatMap((way) => values.map((value) => [...way, value]))
  }
  return ways.some(test)
}

/** Walks up a chain, and turns back nowhere: a record met before, or the one it starts from, ends it. */
function someAbove(node: SomeNode, { type, by, link, key, self }: AncestorsNode): Predicate {
  const fits = lowered(node.of)
  const first = by.map(({ from }) => wantedReader(from))
  const places = by.map(({ to }) => to)
  const next = link.by.map(({ from }) => wantedReader({ kind: 'field', of: node.each, ...from }))
  const ownKey = reader(self)
  const keyOf = reader({ kind: 'field', of: node.each, ...key })
  return inCourse((record, env, course) => {
    const links = env.links
    if (links === undefined) throw new LinksError(type)
    const met = new Set([ownKey(record, env)])
    const ahead: (readonly Comparable[])[] = []
    const goOn = (wanted: typeof first) =>
      eachOf(wanted, record, env, (values) => {
        ahead.push(values)
        return false
      })
    goOn(first)
    for (let values = ahead.pop(); values !== undefined; values = ahead.pop()) {
      for (const row of links.find(type, places, values)) {
        // Where the chain comes back to, it is not looked at again, nor at where it began.
        course.looking[node.each] = row
        const own = keyOf(record, env)
        if (met.has(own)) continue
        met.add(own)
        look(course, node.each, row)
        if (fits(record, env)) return true
        goOn(next)
      }
    }
    return false
  })
}

type Listed = readonly Comparable[]

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
      const { of } = term
      if (of === 'after') return (record, env) => inside((env.after ?? record)[name], inner)
      if (typeof of === 'number') return (_record, env) => inside(env.course?.looking[of]?.[name], inner)
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

/**
 * Reads what a term holds for people to see: a missing value is undefined or null, an improper one stays as it is.
 * Links are followed to the first record that there is.
 */
export function shown(term: TermNode): (record: Row, env: Env) => unknown {
  if (term.kind === 'orElse') {
    const first = shown(term.term)
    const otherwise = shown(term.otherwise)
    const type = isList(term.term) ? 'other' : typeOf(term.term)
    return (record, env) => {
      const value = first(record, env)
      return isMissing(value, type) ? otherwise(record, env) : value
    }
  }
  if (term.kind !== 'field' || term.via === undefined) return rawReader(term)
  const { via, of, ...last } = term
  return (record, env) => {
    const start = of === 'record' ? record : of === 'after' ? (env.after ?? record) : env.course?.looking[of]
    let row: Row | undefined = start
    for (const link of via) row = row && linkedBy(link, row, env.links)[0]
    return row && rawReader({ ...last, of: 'record' })(row, env)
  }
}

/** What a link to one goes by in a record, for each of its pairs; undefined where something is missing. */
export function linkValues(by: LinkNode['by'], row: Row): Comparable[] | undefined {
  const values: Comparable[] = []
  for (const { from } of by) {
    const value = proper(inside(row, from.path), from.type)
    if (value === undefined) return undefined
    values.push(value)
  }
  return values
}

/** The records that a link to one leads to from a record: one, or none. */
export function linkedBy({ to, by }: LinkNode, row: Row, links: Links | undefined): readonly Row[] {
  if (links === undefined) throw new LinksError(to)
  const values = linkValues(by, row)
  if (values === undefined) return []
  return links.find(
    to,
    by.map((pair) => pair.to),
    values,
  )
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
