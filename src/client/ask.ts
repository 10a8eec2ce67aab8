import {
  type Comparable,
  type CompareNode,
  type ConditionNode,
  changedBy,
  comparedAs,
  inside,
  isList,
  isMissing,
  type JoinNode,
  joinsOf,
  proper,
  properList,
  type Row,
  type Scalar,
  type SomeNode,
  type TermNode,
  typeOf,
  waysAt,
} from '../condition/index.js'
import type { PageCondition } from './rules.js'

/** True, false, or undefined where what is known does not tell. */
export type Answer = boolean | undefined

/** A record, of which a part may not be known. */
export interface Known {
  readonly row: Row
  /** Whether a field that is not there is missing; otherwise it is not known. */
  readonly isMissing: (field: string) => boolean
}

/** What a condition is asked with. */
export interface Asked {
  readonly record: Known
  readonly after: Known
  readonly now: number
  /** Records that links may lead to: some of those that there are. */
  readonly linked: { readonly [type: string]: readonly Row[] | undefined }
  readonly looking: { [each: number]: Known }
}

const UNKNOWN = Symbol('unknown')
type Maybe<T> = T | typeof UNKNOWN

/**
 * Asks a condition of what is known. In three values, by Kleene's logic: what is not known is never taken for missing, and an
 * answer is given where it would be the same whatever is not known.
 */
export function ask(node: PageCondition, asked: Asked): Answer {
  switch (node.kind) {
    case 'ask':
      return undefined
    case 'constant':
      return node.value
    case 'named':
      return ask(node.of, asked)
    case 'not': {
      const inner = ask(node.of, asked)
      return inner === undefined ? undefined : !inner
    }
    case 'allOf':
      return every(node.of.map((part) => ask(part, asked)))
    case 'anyOf':
      return some(node.of.map((part) => ask(part, asked)))
    case 'presence': {
      const missing = missingOf(node.term, asked)
      return missing === UNKNOWN ? undefined : missing !== node.present
    }
    case 'compare':
      return compare(node, asked)
    case 'listChange': {
      const type = typeOf(node.list)
      if (type === 'other') return false
      const [list, from] = [node.list, node.from].map((term) => wholeList(raw(term, asked), type))
      const item = value(node.item, asked)
      if (list === undefined || from === undefined || item === undefined) return false
      if (list === UNKNOWN || from === UNKNOWN || item === UNKNOWN) return undefined
      return node.by === 'adds'
        ? changedBy(list as Comparable[], from as Comparable[], item)
        : changedBy(from as Comparable[], list as Comparable[], item)
    }
    case 'some':
      return someOf(node, asked)
  }
}

/** Whether all of them hold. */
export function every(answers: readonly Answer[]): Answer {
  return answers.includes(false) ? false : answers.includes(undefined) ? undefined : true
}

/** Whether any of them holds. */
export function some(answers: readonly Answer[]): Answer {
  return answers.includes(true) ? true : answers.includes(undefined) ? undefined : false
}

function someOf(node: SomeNode, asked: Asked): Answer {
  const { over, each } = node
  const within = (row: Row, missing: Known['isMissing'], of: ConditionNode) =>
    ask(of, { ...asked, looking: { ...asked.looking, [each]: { row, isMissing: missing } } })
  if (over.kind === 'elements') {
    const list = raw(over.list, asked)
    if (list === UNKNOWN) return undefined
    if (!Array.isArray(list)) return false
    const objects = list.filter((one) => typeof one === 'object' && one !== null && !Array.isArray(one))
    return some(objects.map((one) => within(one as Row, () => true, node.of)))
  }
  // Of a chain, the page has a link here and there.
  if (over.kind === 'ancestors') return undefined
  const { by, rest } = joinsOf(node as SomeNode & { over: typeof over })
  const wanted = by.map((join) => wantedBy(join, asked))
  if (wanted.some((values) => values !== UNKNOWN && values.length === 0)) return false
  if (wanted.includes(UNKNOWN)) return undefined
  const places = by.map(({ to }) => to)
  const found = (asked.linked[over.type] ?? []).filter((row) =>
    waysAt(row, places).some((way) => way.every((one, at) => (wanted[at] as readonly Comparable[]).includes(one))),
  )
  const answers = found.map((row) => within(row, () => false, rest))
  // There may be others, unless there is one at most, and here it is.
  return some(over.one && found.length > 0 ? answers : [...answers, undefined])
}

function wantedBy({ from }: JoinNode, asked: Asked): Maybe<readonly Comparable[]> {
  if (isList(from)) return list(from, asked) ?? []
  const one = value(from, asked)
  return one === UNKNOWN ? UNKNOWN : one === undefined || one === Number.POSITIVE_INFINITY ? [] : [one]
}

function compare({ by, left, right }: CompareNode, asked: Asked): Answer {
  const [a, b] = [left, right].map((term) => (isList(term) ? list(term, asked) : value(term, asked)))
  // Nothing is equal to nothing, whatever the other side is.
  if (a === undefined || b === undefined) return false
  if (a === UNKNOWN || b === UNKNOWN) return undefined
  return comparedAs(by, a as Comparable, b as Comparable)
}

/** What a term holds; undefined where nothing is there. */
function raw(term: TermNode, asked: Asked): Maybe<unknown> {
  switch (term.kind) {
    case 'field': {
      const { of } = term
      const known = of === 'record' ? asked.record : of === 'after' ? asked.after : asked.looking[of]
      const [name, ...inner] = term.path as [string, ...string[]]
      if (known === undefined) return UNKNOWN
      if (!Object.hasOwn(known.row, name)) return known.isMissing(name) ? undefined : UNKNOWN
      return inside(known.row[name], inner)
    }
    case 'literal':
      return term.value
    case 'now':
      return asked.now
    case 'forever':
      return Number.POSITIVE_INFINITY
    case 'orElse':
      return eitherOf(term, asked, raw)
    case 'claim':
      return UNKNOWN
  }
}

function eitherOf<T>(term: TermNode & { kind: 'orElse' }, asked: Asked, read: (term: TermNode, asked: Asked) => Maybe<T>): Maybe<T> {
  const missing = missingOf(term.term, asked)
  return missing === UNKNOWN ? UNKNOWN : read(missing ? term.otherwise : term.term, asked)
}

function missingOf(term: TermNode, asked: Asked): Maybe<boolean> {
  if (term.kind === 'orElse') {
    const both = [missingOf(term.term, asked), missingOf(term.otherwise, asked)]
    return both.includes(false) ? false : both.includes(UNKNOWN) ? UNKNOWN : true
  }
  if (term.kind === 'now' || term.kind === 'forever') return false
  const found = raw(term, asked)
  return found === UNKNOWN ? UNKNOWN : isMissing(found, term.list ? 'other' : term.type)
}

function value(term: TermNode, asked: Asked): Maybe<Comparable | undefined> {
  if (term.kind === 'orElse') return eitherOf(term, asked, value)
  const found = raw(term, asked)
  if (found === UNKNOWN || term.kind === 'now' || term.kind === 'forever') return found as Maybe<Comparable>
  const type = typeOf(term)
  return type === 'other' || isList(term) ? undefined : proper(found, type)
}

function list(term: TermNode, asked: Asked): Maybe<readonly Comparable[] | undefined> {
  if (term.kind === 'orElse') return eitherOf(term, asked, list)
  const found = raw(term, asked)
  const type = typeOf(term)
  return found === UNKNOWN ? UNKNOWN : type === 'other' ? undefined : properList(found, type)
}

function wholeList(found: Maybe<unknown>, type: Scalar): Maybe<readonly Comparable[] | undefined> {
  if (found === UNKNOWN) return UNKNOWN
  const values = properList(found, type)
  return values !== undefined && values.length === (found as unknown[]).length ? values : undefined
}
