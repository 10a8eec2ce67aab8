import { todayNode } from '../condition/day.js'
import { describeOdd, describeTerm } from '../condition/describe.js'
import { comparisonProblem, listChangeProblem, orElseProblem } from '../condition/json.js'
import {
  type ClaimNode,
  type ConditionNode,
  compareNode,
  type FieldNode,
  FOREVER,
  type LinkNode,
  type LiteralNode,
  listChangeNode,
  NOW,
  notNode,
  type OverNode,
  presenceNode,
  type RecordRef,
  type SomeNode,
  someNode,
  type TermNode,
  TRUE,
  typeOf,
} from '../condition/nodes.js'
import { COMPARISONS, type Comparison, listSides, operatorOf, TAKES } from '../condition/operators.js'
import { instant, instantText } from '../condition/time.js'
import { isBlank, isHoldable, literalType, type Scalar } from '../condition/value.js'
import { here } from './build-context.js'
import { toCondition, useCondition } from './conditions.js'
import { RulebookError, unknownName } from './error.js'
import { NODE, termNode } from './node.js'
import type { Field, Fields } from './shape.js'
import { strict } from './strict.js'
import type { Forever, TimeTerm } from './term-types.js'

/** The values that a term may be compared with, if its shape lists them. */
type KnownValues = Field['values']

/** A term for authors, with all operators. Each checks its arguments. */
function toTerm(node: TermNode, known: KnownValues, wording: string, isDay = false, words: object = {}): object {
  const term: Record<string | symbol, unknown> = {
    ...words,
    isMissing: () => toCondition(presenceNode(node, false)),
    isPresent: () => toCondition(presenceNode(node, true)),
    orElse(value: unknown) {
      const otherwise = dayOperand(value, isDay, wording) ?? operand(value, node, known, wording, isListTerm(node), 'orElse')
      const problem = orElseProblem(node, otherwise)
      if (problem !== undefined) throw new RulebookError(here(), `${wording}: ${problem}`)
      return toTerm(Object.freeze({ kind: 'orElse', term: node, otherwise }), known, wording, isDay)
    },
  }
  for (const by of ['adds', 'removes'] as const) {
    term[by] = (before: unknown, value: unknown) => {
      const from = termNode(before)
      if (from === undefined)
        throw new RulebookError(here(), `${wording}.${by}(...): needs the list as it is, and a value: after.tags.${by}(plot.tags, x)`)
      const item = operand(value, node, known, wording, false, 'has')
      const problem = listChangeProblem(node, from, item)
      if (problem !== undefined) throw new RulebookError(here(), `${wording}.${by}(...): ${problem}`)
      return toCondition(listChangeNode(by, node, from, item))
    }
  }
  for (const by of COMPARISONS) {
    term[by] = (value: unknown) => {
      const right = dayOperand(value, isDay, wording) ?? operand(value, node, known, wording, listSides(by)[1], by)
      const problem = comparisonProblem(node, by, right)
      if (problem !== undefined) throw new RulebookError(here(), `${wording}: ${problem}${timeHint(node, by)}`)
      return toCondition(compareNode(node, by, right))
    }
  }
  Object.defineProperty(term, NODE, { value: node })
  if (isDay) Object.defineProperty(term, DAY, { value: true })
  return strict(Object.freeze(term), (name) => {
    throw new RulebookError(here(), `${wording}: ${unknownName('operator', name, Object.keys(term))}`)
  })
}

const DAY: unique symbol = Symbol('day')
const DAY_TEXT = /^\d{4}-\d{2}-\d{2}$/

/** The other side of a comparison of days; undefined if it is a text. A day and an instant are never compared. */
function dayOperand(value: unknown, isDay: boolean, wording: string): TermNode | undefined {
  const node = termNode(value)
  if (node === undefined) {
    if (isDay && !(typeof value === 'string' && DAY_TEXT.test(value)))
      throw new RulebookError(here(), `${wording} is a day: compare it with today, another day, or a text such as "2026-05-31"`)
    return undefined
  }
  const isOther = (value as { [DAY]?: true })[DAY] === true
  if (isOther !== isDay && node.kind !== 'forever' && typeOf(node) === 'time')
    throw new RulebookError(here(), `${wording}: a day and an instant cannot be compared. Compare days with today, and instants with now.`)
  return node
}

/** The day that it is in the time zone of the rulebook. */
export function todayTerm(zone: string, days = 0): object {
  const fail = (problem: string): never => {
    throw new RulebookError(here(), `today.plusDays(...) ${problem}`)
  }
  const plusDays = (more: unknown) => {
    todayNode(zone, more, fail)
    return todayTerm(zone, days + (more as number))
  }
  return toTerm(todayNode(zone, days, fail), undefined, 'today', true, { plusDays })
}

function isListTerm(node: TermNode): boolean {
  return 'list' in node && node.list === true
}

function timeHint(node: TermNode, by: Comparison): string {
  if (!['time', 'order'].includes(TAKES[by]) || node.kind !== 'field') return ''
  return `. If "${node.path.join('.')}" holds an instant, add times: ['${node.path[0]}'] to its record type.`
}

/** The right side of an operator: another term, or a value that fits the left side. */
function operand(value: unknown, left: TermNode, known: KnownValues, wording: string, list: boolean, by: Comparison | 'orElse'): TermNode {
  const term = termNode(value)
  if (term !== undefined) return term
  const type = typeOf(left)
  const fail = (problem: string): never => {
    throw new RulebookError(here(), `${wording}.${by}(...): ${problem}`)
  }
  if (type === 'other')
    return fail('a bigint, bytes, or a value that the shape does not describe: only isMissing() and isPresent() can be used')
  if (list) {
    if (!Array.isArray(value)) return fail(`needs a list, not ${describeOdd(value)}`)
    return Object.freeze({
      kind: 'literal',
      type: literalType(type),
      list: true,
      value: Object.freeze(value.map((one) => literalValue(one, type, known, by, fail))),
    })
  }
  return Object.freeze({ kind: 'literal', type: literalType(type), value: literalValue(value, type, known, by, fail) })
}

/** The node of a term, or a literal of the field's type. */
export function literalFor(value: unknown, field: Field, at: string): TermNode {
  const type = field.type === 'group' ? 'other' : field.type
  const node: TermNode = { kind: 'field', of: 'record', path: [at], type, ...(field.list ? { list: true as const } : {}) }
  return operand(value, node, field.values, at, field.list === true, 'is')
}

function literalValue(
  value: unknown,
  type: Scalar,
  known: KnownValues,
  by: Comparison | 'orElse',
  fail: (problem: string) => never,
): LiteralNode['value'] & (string | number | boolean) {
  if (value === null || value === undefined) return fail(`nothing is equal to ${value}: use isMissing() or isPresent()`)
  if (type === 'time') {
    const time = instant(value)
    return time === undefined ? fail(`${describeOdd(value)} is not an instant between the years 0 and 9999`) : instantText(time)
  }
  const wanted = type === 'boolean' ? 'boolean' : type === 'text' || type === 'id' ? 'string' : 'number'
  const found = value as string | number | boolean
  if (typeof found !== wanted) return fail(`${describeOdd(value)} is not a value of type ${type}`)
  if (typeof found === 'string' && !isHoldable(found)) return fail('a text with NUL or half a surrogate pair equals nothing')
  if (typeof found === 'string' && type === 'id' && isBlank(found)) return fail('a blank id equals nothing')
  if (typeof found === 'number' && !Number.isFinite(found)) return fail(`${found} equals nothing`)
  if (typeof found === 'number' && type === 'integer' && !Number.isSafeInteger(found)) return fail(`${found} is not a safe integer`)
  if (known !== undefined && comparesEquality(by) && !known.includes(found as string)) {
    return fail(unknownName('value', found, known.map(String)))
  }
  return found as string | number | boolean
}

/** Whether the compared value must be one that the field can have. */
function comparesEquality(by: Comparison | 'orElse'): boolean {
  return by !== 'orElse' && operatorOf(by).lookup === 'equality'
}

/** How to create terms for a group of fields. */
export interface GroupOptions {
  readonly name: string
  readonly ids?: readonly string[]
  readonly within?: readonly string[]
  readonly optional?: boolean
  readonly of?: RecordRef
  readonly via?: readonly LinkNode[]
  /** How many of the steps in `within` are links. */
  readonly linked?: number
  /** Further properties of the whole. */
  readonly words?: { readonly [word: string]: unknown }
  /** Links by name. */
  readonly links?: { readonly [name: string]: () => object }
}

/** Terms for all fields of a record or of the claims: `plot` or `me` in rules. */
export function groupTerms(kind: 'field' | 'claim', fields: Fields, options: GroupOptions): object {
  const { name, ids = [], within = [], optional = false, of = 'record', via = [], linked = 0, words = {}, links = {} } = options
  const start = kind === 'field' ? { kind, of, ...(via.length > 0 ? { via } : {}) } : { kind, ...(linked > 0 ? { links: linked } : {}) }
  const unknown = (field: unknown): never => {
    throw new RulebookError(here(), `${name}: ${unknownName(kind, field, [...Object.keys(fields), ...Object.keys(links)])}`)
  }
  const term = (field: string): object => {
    const found = typeof field === 'string' && Object.hasOwn(fields, field) ? fields[field] : undefined
    if (found === undefined) return unknown(field)
    const path = Object.freeze([...within, field])
    const missable = optional || found.optional === true
    if (found.type === 'group' && !found.list) {
      return groupTerms(kind, found.fields ?? {}, { name: `${name}.${field}`, within: path, optional: missable, of, via, linked })
    }
    const type = found.type === 'group' ? 'other' : found.type === 'text' && ids.includes(field) ? 'id' : found.type
    const place = {
      path,
      type,
      ...(found.list && type !== 'other' ? { list: true as const } : {}),
      ...(missable ? { optional: true as const } : {}),
    }
    const node = Object.freeze({ ...start, ...place }) as FieldNode | ClaimNode
    return found.type === 'group'
      ? elementsTerm(node, found.fields ?? {}, `${name}.${field}`)
      : toTerm(node, found.values, `${name}.${field}`, found.held === 'day')
  }
  const terms: Record<string | symbol, unknown> = { field: term, ...words }
  if (within.length > linked) {
    const whole = Object.freeze({
      ...start,
      path: Object.freeze([...within]),
      type: 'other',
      ...(optional ? { optional: true as const } : {}),
    }) as TermNode
    terms.isMissing = () => toCondition(presenceNode(whole, false))
    terms.isPresent = () => toCondition(presenceNode(whole, true))
  }
  const taken = Object.keys(terms)
  for (const field of Object.keys(fields)) {
    if (!taken.includes(field)) Object.defineProperty(terms, field, { get: () => term(field), enumerable: true })
  }
  for (const [link, get] of Object.entries(links)) Object.defineProperty(terms, link, { get, enumerable: true })
  return strict(Object.freeze(terms), unknown)
}

/** A list of objects in a record: presence and `some`. */
function elementsTerm(node: FieldNode | ClaimNode, fields: Fields, name: string): object {
  const presence = {
    isMissing: () => toCondition(presenceNode(node, false)),
    isPresent: () => toCondition(presenceNode(node, true)),
  }
  if (node.kind === 'claim') return strict(Object.freeze(presence), (word) => unknownWord(name, word, Object.keys(presence)))
  const { some } = someTerm(
    () => Object.freeze({ kind: 'elements', list: node }),
    (each) => groupTerms('field', fields, { name: 'it', of: each }),
    name,
  ) as { some: unknown }
  const words = { ...presence, some }
  return strict(Object.freeze(words), (word) => unknownWord(name, word, Object.keys(words)))
}

function unknownWord(name: string, word: string, known: readonly string[]): never {
  throw new RulebookError(here(), `${name}: ${unknownName('word', word, known)}`)
}

// Every `some` gets a unique number until the whole condition exists and is numbered by depth.
let lastSome = 1_000_000

/** A new unique number for a `some`. */
export function newEach(): number {
  lastSome += 1
  return lastSome
}

/** How many there can be: more than a database holds, and still exact. */
const MOST_COUNTED = 1_000_000

/** The object with the method `some`, which receives the terms of one record. */
export function someTerm(over: () => OverNode, looking: (each: number) => object, named: string): object {
  return manyWords({ some: (fits?: unknown) => toCondition(someOf(over, looking, `${named}.some`, fits)) }, named)
}

/** The same for linked records, which can be counted too. `there` adds what must hold on every record. */
export function countedTerm(
  over: () => OverNode,
  looking: (each: number) => object,
  named: string,
  there: (each: number, of: ConditionNode) => ConditionNode,
): object {
  const found = (word: string, least: number, fits: unknown) => {
    const { each, over: from, of } = someOf(over, looking, `${named}.${word}`, fits)
    return someNode(each, from, there(each, of), least)
  }
  const counted = (word: string, count: unknown, from: number) => {
    if (!Number.isSafeInteger(count) || (count as number) < from || (count as number) > MOST_COUNTED)
      throw new RulebookError(here(), `${named}.${word}(...) needs a whole number from ${from} on, not ${describeOdd(count)}`)
    return count as number
  }
  const words = {
    some: (fits?: unknown) => toCondition(found('some', 1, fits)),
    atLeast: (count: unknown, fits?: unknown) => toCondition(found('atLeast', counted('atLeast', count, 1), fits)),
    atMost: (count: unknown, fits?: unknown) => toCondition(notNode(found('atMost', counted('atMost', count, 0) + 1, fits))),
  }
  return manyWords(words, named)
}

function someOf(over: () => OverNode, looking: (each: number) => object, word: string, fits: unknown): SomeNode {
  const each = newEach()
  if (fits !== undefined && typeof fits !== 'function')
    throw new RulebookError(here(), `${word}(...) takes a function: (one) => one.field.is(...)`)
  return someNode(each, over(), fits === undefined ? TRUE : useCondition((fits as (one: object) => unknown)(looking(each)), 'some'))
}

function manyWords(words: object, named: string): object {
  return strict(Object.freeze(words), (word) => {
    throw new RulebookError(here(), `${named} leads to many: ${unknownName('word', word, Object.keys(words))}`)
  })
}

/** The time of the operation. */
export const now: TimeTerm = toTerm(NOW, undefined, 'now') as TimeTerm

/** Later than any time: the meaning of an open end, as in `share.until.orElse(forever)`. */
export const forever: Forever = toTerm(FOREVER, undefined, describeTerm(FOREVER)) as Forever
