import { describeOdd, describeTerm } from '../condition/describe.js'
import { comparisonProblem, orElseProblem } from '../condition/json.js'
import {
  COMPARISONS,
  type Comparison,
  compareNode,
  FOREVER,
  type LiteralNode,
  NOW,
  presenceNode,
  type TermNode,
  typeOf,
} from '../condition/nodes.js'
import { instant, instantText } from '../condition/time.js'
import { isBlank, isHoldable, type Scalar } from '../condition/value.js'
import { toCondition } from './conditions.js'
import { RulebookError, unknownName } from './error.js'
import { NODE, termNode } from './node.js'
import type { Field, Fields } from './shape.js'
import { strict } from './strict.js'
import type { Operand, TimeTerm } from './term-types.js'
import { here } from './upkeep.js'

/** The values a term may be compared with, where its shape lists them. */
type Known = Field['values']

/** A term that authors hold in the hand: every operator, each checking what it is given. */
function toTerm(node: TermNode, known: Known, wording: string): object {
  const term: Record<string | symbol, unknown> = {
    isMissing: () => toCondition(presenceNode(node, false)),
    isPresent: () => toCondition(presenceNode(node, true)),
    orElse(value: unknown) {
      const otherwise = operand(value, node, known, wording, isListTerm(node), 'orElse')
      const problem = orElseProblem(node, otherwise)
      if (problem !== undefined) throw new RulebookError(here(), `${wording}: ${problem}`)
      return toTerm(Object.freeze({ kind: 'orElse', term: node, otherwise }), known, wording)
    },
  }
  for (const by of Object.keys(COMPARISONS) as Comparison[]) {
    term[by] = (value: unknown) => {
      const { lists } = COMPARISONS[by]
      const right = operand(value, node, known, wording, lists === 'right' || lists === 'both', by)
      const problem = comparisonProblem(node, by, right)
      if (problem !== undefined) throw new RulebookError(here(), `${wording}: ${problem}${timeHint(node, by)}`)
      return toCondition(compareNode(node, by, right))
    }
  }
  Object.defineProperty(term, NODE, { value: node })
  return strict(Object.freeze(term), (name) => {
    throw new RulebookError(here(), `${wording}: ${unknownName('operator', name, Object.keys(term))}`)
  })
}

function isListTerm(node: TermNode): boolean {
  return 'list' in node && node.list === true
}

function timeHint(node: TermNode, by: Comparison): string {
  if (COMPARISONS[by].takes !== 'time' || node.kind !== 'field') return ''
  return `; if "${node.path.join('.')}" holds an instant, say so beside its shape: times: ['${node.path[0]}']`
}

/** What stands on the right of an operator: another term, or a value that fits the one on the left. */
function operand(value: unknown, left: TermNode, known: Known, wording: string, list: boolean, by: string): TermNode {
  const term = termNode(value)
  if (term !== undefined) return term
  const type = typeOf(left)
  const fail = (problem: string): never => {
    throw new RulebookError(here(), `${wording}.${by}(...): ${problem}`)
  }
  if (type === 'other') return fail('the shape says nothing of what is inside it, so it can only be asked isMissing() or isPresent()')
  if (list) {
    if (!Array.isArray(value)) return fail(`a list is needed, not ${describeOdd(value)}`)
    return Object.freeze({
      kind: 'literal',
      type: literalType(type),
      list: true,
      value: Object.freeze(value.map((one) => literalValue(one, type, known, by, fail))),
    })
  }
  return Object.freeze({ kind: 'literal', type: literalType(type), value: literalValue(value, type, known, by, fail) })
}

/** A term as it is, or a value as a literal of the field's type. */
export function literalFor(value: unknown, field: Field, at: string): TermNode {
  const type = field.type === 'group' ? 'other' : field.type
  const node: TermNode = { kind: 'field', of: 'record', path: [at], type, ...(field.list ? { list: true as const } : {}) }
  return operand(value, node, field.values, at, field.list === true, 'is')
}

// A literal is text or a number as it stands; whether the field is an id or an integer is the field's affair.
function literalType(type: Scalar): Scalar {
  if (type === 'id') return 'text'
  return type === 'integer' ? 'number' : type
}

function literalValue(
  value: unknown,
  type: Scalar,
  known: Known,
  by: string,
  fail: (problem: string) => never,
): LiteralNode['value'] & (string | number | boolean) {
  if (value === null || value === undefined) return fail(`nothing is equal to ${value}: ask isMissing() or isPresent()`)
  if (type === 'time') {
    const time = instant(value)
    return time === undefined ? fail(`${describeOdd(value)} is no instant between the years 0 and 9999`) : instantText(time)
  }
  const wanted = type === 'boolean' ? 'boolean' : type === 'text' || type === 'id' ? 'string' : 'number'
  const found = value as string | number | boolean
  if (typeof found !== wanted) return fail(`${describeOdd(value)} is no ${type}`)
  if (typeof found === 'string' && !isHoldable(found)) return fail('a text with NUL or half a surrogate pair equals nothing')
  if (typeof found === 'string' && type === 'id' && isBlank(found)) return fail('a blank id equals nothing')
  if (typeof found === 'number' && !Number.isFinite(found)) return fail(`${found} equals nothing`)
  if (typeof found === 'number' && type === 'integer' && !Number.isSafeInteger(found)) return fail(`${found} is no safe integer`)
  const wholeValue = by !== 'startsWith' && by !== 'endsWith' && by !== 'isIgnoringCase' && by !== 'hasIgnoringCase'
  if (wholeValue && known !== undefined && !COMPARES_ORDER.has(by) && !known.includes(found as string)) {
    return fail(unknownName('value', found, known.map(String)))
  }
  return found as string | number | boolean
}

const COMPARES_ORDER: ReadonlySet<string> = new Set(['isLessThan', 'isMoreThan', 'isAtMost', 'isAtLeast', 'orElse'])

/** Terms for all fields of a record, or of the claims: what authors know as `plot` or `me`. */
export function groupTerms(
  kind: 'field' | 'claim',
  fields: Fields,
  options: {
    readonly name: string
    readonly ids?: readonly string[]
    readonly within?: readonly string[]
    readonly optional?: boolean
    readonly of?: 'record' | 'after'
  },
): object {
  const { name, ids = [], within = [], optional = false, of = 'record' } = options
  const term = (field: string): object => {
    const found = typeof field === 'string' && Object.hasOwn(fields, field) ? fields[field] : undefined
    if (found === undefined) {
      throw new RulebookError(here(), `${name}: ${unknownName(kind, field, Object.keys(fields))}`)
    }
    const path = Object.freeze([...within, field])
    const missable = optional || found.optional === true
    if (found.type === 'group') {
      return groupTerms(kind, found.fields ?? {}, { name: `${name}.${field}`, within: path, optional: missable, of })
    }
    const type = found.type === 'text' && ids.includes(field) ? 'id' : found.type
    const place = {
      path,
      type,
      ...(found.list ? { list: true as const } : {}),
      ...(missable ? { optional: true as const } : {}),
    }
    const node: TermNode = Object.freeze(kind === 'field' ? { kind, of, ...place } : { kind, ...place })
    return toTerm(node, found.values, `${name}.${field}`)
  }
  const terms: Record<string | symbol, unknown> = { field: term }
  if (within.length > 0) {
    const whole: TermNode = Object.freeze({
      ...(kind === 'field' ? { kind, of } : { kind }),
      path: Object.freeze([...within]),
      type: 'other',
      ...(optional ? { optional: true as const } : {}),
    })
    terms.isMissing = () => toCondition(presenceNode(whole, false))
    terms.isPresent = () => toCondition(presenceNode(whole, true))
  }
  const words = Object.keys(terms)
  for (const field of Object.keys(fields)) {
    if (!words.includes(field)) Object.defineProperty(terms, field, { get: () => term(field), enumerable: true })
  }
  return strict(Object.freeze(terms), (field) => {
    throw new RulebookError(here(), `${name}: ${unknownName(kind, field, Object.keys(fields))}`)
  })
}

/** The instant of the operation. */
export const now: TimeTerm = toTerm(NOW, undefined, 'now') as TimeTerm

/** Later than any instant: what an open end means, as in `share.until.orElse(forever)`. */
export const forever: Operand<Date> = toTerm(FOREVER, undefined, describeTerm(FOREVER)) as Operand<Date>
