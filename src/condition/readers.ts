import { type Env, type Links, LinksError, type Row } from './context.js'
import { timeOf } from './day.js'
import { inSmallLetters } from './linked.js'
import { type FieldNode, isList, type LinkNode, type NowNode, type OrElseNode, type TermNode, typeOf } from './nodes.js'
import { isReached } from './removal.js'
import { type Comparable, inside, isMissing, type Scalar, toComparable, toComparables } from './value.js'

/** The comparable value of a term; undefined if it equals nothing. */
export type Reader = (record: Row, env: Env) => Comparable | undefined

/** The comparable elements of a list. */
export type Listed = readonly Comparable[]

/** The stored value of a term. */
export function rawReader(term: TermNode): (record: Row, env: Env) => unknown {
  switch (term.kind) {
    case 'field': {
      const [name, ...inner] = term.path as [string, ...string[]]
      const { of } = term
      if (of === 'after') return (record, env) => inside((env.after ?? record)[name], inner)
      if (typeof of === 'number') return (_record, env) => inside(env.context?.looking[of]?.[name], inner)
      return inner.length === 0 ? (record) => record[name] : (record) => inside(record[name], inner)
    }
    case 'claim':
      return (_record, env) => inside(env.me, term.path)
    case 'literal':
      return () => term.value
    case 'now':
      return nowReader(term)
    case 'forever':
      return () => Number.POSITIVE_INFINITY
    case 'orElse':
      return eitherOf(term, rawReader)
  }
}

function nowReader(term: NowNode): (record: Row, env: Env) => number {
  return term.zone === undefined ? (_record, env) => env.now : (_record, env) => timeOf(term, env.now)
}

/** Reads a term, or its alternative if it is missing. */
function eitherOf<T>(term: OrElseNode, readerOf: (term: TermNode) => (record: Row, env: Env) => T): (record: Row, env: Env) => T {
  const missing = missingReader(term.term)
  const first = readerOf(term.term)
  const second = readerOf(term.otherwise)
  return (record, env) => (missing(record, env) ? second(record, env) : first(record, env))
}

/**
 * Reads the value of a term for display: missing is undefined or null, and an improper value stays as it is. Of the records at the end of
 * links, the first one is used.
 */
export function shown(term: TermNode): (record: Row, env: Env) => unknown {
  switch (term.kind) {
    case 'field':
      return term.via === undefined ? rawReader(term) : shownAlong(term, term.via)
    case 'orElse':
      return shownEither(term)
    case 'claim':
    case 'literal':
    case 'now':
    case 'forever':
      return rawReader(term)
  }
}

function shownEither(term: OrElseNode): (record: Row, env: Env) => unknown {
  const first = shown(term.term)
  const otherwise = shown(term.otherwise)
  const type = isList(term.term) ? 'other' : typeOf(term.term)
  return (record, env) => {
    const value = first(record, env)
    return isMissing(value, type) ? otherwise(record, env) : value
  }
}

function shownAlong({ of, via: _via, ...last }: FieldNode, via: readonly LinkNode[]): (record: Row, env: Env) => unknown {
  const read = rawReader({ ...last, of: 'record' })
  return (record, env) => {
    const start = of === 'record' ? record : of === 'after' ? (env.after ?? record) : env.context?.looking[of]
    let row: Row | undefined = start
    for (const link of via) row = row && linkedBy(link, row, env.links)[0]
    return row && read(row, env)
  }
}

/** The values of a record that a link to one joins on, one for each pair. Undefined if one is missing. */
export function linkValues(by: LinkNode['by'], row: Row): Comparable[] | undefined {
  const values: Comparable[] = []
  for (const { from } of by) {
    const value = toComparable(inside(row, from.path), from.type)
    if (value === undefined) return undefined
    values.push(from.ignoringCase ? inSmallLetters(value) : value)
  }
  return values
}

/** The records that a link to one leads to: one or none. */
export function linkedBy(link: LinkNode, row: Row, links: Links | undefined): readonly Row[] {
  const { to, by } = link
  if (links === undefined) throw new LinksError(to)
  const values = linkValues(by, row)
  if (values === undefined) return []
  const found = links.find(
    to,
    by.map((pair) => pair.to),
    values,
  )
  return link.removal === undefined ? found : found.filter((one) => isReached(link, one))
}

/** Whether a term is missing. */
export function missingReader(term: TermNode): (record: Row, env: Env) => boolean {
  switch (term.kind) {
    case 'field':
    case 'claim':
    case 'literal': {
      const raw = rawReader(term)
      const type = term.list ? 'other' : term.type
      return (record, env) => isMissing(raw(record, env), type)
    }
    case 'now':
    case 'forever':
      return () => false
    case 'orElse': {
      const first = missingReader(term.term)
      const second = missingReader(term.otherwise)
      return (record, env) => first(record, env) && second(record, env)
    }
  }
}

/** Reads a single value in comparable form. */
export function reader(term: TermNode): Reader {
  switch (term.kind) {
    case 'field':
    case 'claim':
    case 'literal': {
      const { type } = term
      if (type === 'other' || isList(term)) return () => undefined
      const raw = rawReader(term)
      return (record, env) => toComparable(raw(record, env), type)
    }
    case 'now':
      return nowReader(term)
    case 'forever':
      return () => Number.POSITIVE_INFINITY
    case 'orElse':
      return eitherOf(term, reader)
  }
}

/** Reads the comparable elements of a list; undefined if there is no list. */
export type ListReader = (record: Row, env: Env) => Listed | undefined

/** Reads a list in comparable form. */
export function listReader(term: TermNode): ListReader {
  switch (term.kind) {
    case 'literal': {
      const known = term.list ? toComparables(term.value, term.type) : undefined
      return () => known
    }
    case 'field':
    case 'claim': {
      const { type } = term
      if (type === 'other' || !isList(term)) return () => undefined
      const raw = rawReader(term)
      return (record, env) => toComparables(raw(record, env), type)
    }
    case 'now':
    case 'forever':
      return () => undefined
    case 'orElse':
      return eitherOf(term, listReader)
  }
}

/** Reads a list whose elements are all comparable; undefined if one of them equals nothing. */
export function wholeList(term: TermNode, type: Scalar): ListReader {
  const raw = rawReader(term)
  return (record, env) => {
    const values = raw(record, env)
    const proper = toComparables(values, type)
    return proper !== undefined && proper.length === (values as unknown[]).length ? proper : undefined
  }
}
