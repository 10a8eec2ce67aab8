import type { CompareNode, Comparison, ConditionNode, TermNode } from './nodes.js'

/** How a description speaks of the parties. */
export interface Wording {
  /** The record, as in "the plot's state". Default `the record`. */
  readonly record?: string
  /** Whose claims: `my` by default, or a name in the possessive, as in "Ines's". */
  readonly person?: string
  /** Writes out what a named condition means, after its name. */
  readonly spelledOut?: boolean
}

const PHRASES: { readonly [C in Comparison]: readonly [yes: string, no: string] } = {
  is: ['is', 'is not'],
  isOneOf: ['is one of', 'is not one of'],
  isLessThan: ['is less than', 'is not less than'],
  isMoreThan: ['is more than', 'is not more than'],
  isAtMost: ['is at most', 'is not at most'],
  isAtLeast: ['is at least', 'is not at least'],
  isBefore: ['is before', 'is not before'],
  isAfter: ['is after', 'is not after'],
  startsWith: ['starts with', 'does not start with'],
  endsWith: ['ends with', 'does not end with'],
  isIgnoringCase: ['is, in any letter case,', 'is not, in any letter case,'],
  has: ['include', 'do not include'],
  hasIgnoringCase: ['include, in any letter case,', 'do not include, in any letter case,'],
  overlaps: ['share a value with', 'share no value with'],
}

/**
 * A condition in plain English.
 *
 * @example
 * describe(node, { record: 'the plot' }) // the plot's holderId is my id, or the plot's state is "vacant"
 */
export function describe(node: ConditionNode, wording: Wording = {}): string {
  return sentence(node, wording, 'top')
}

/** A term in plain English: "the plot's siteId", "my roles", "vacant" in quotes. */
export function describeTerm(term: TermNode, wording: Wording = {}): string {
  switch (term.kind) {
    case 'field':
      return `${possessive(wording.record ?? 'the record')} ${term.path.join('.')}${term.of === 'after' ? ' afterwards' : ''}`
    case 'claim':
      return `${wording.person ?? 'my'} ${term.path.join('.')}`
    case 'literal':
      return describeValue(term.value, term.type === 'time')
    case 'now':
      return 'now'
    case 'forever':
      return 'forever'
    case 'orElse':
      return `${describeTerm(term.term, wording)} (${describeTerm(term.otherwise, wording)} if missing)`
  }
}

/** A value as people read it: text in quotes, times bare, nothing as "missing". */
export function describeValue(value: unknown, bare = false): string {
  if (value === null || value === undefined) return 'missing'
  if (value === Number.POSITIVE_INFINITY) return 'forever'
  if (value instanceof Date) return Number.isNaN(value.getTime()) ? 'an invalid time' : value.toISOString()
  if (Array.isArray(value)) return value.length === 0 ? 'none' : value.map((one) => describeValue(one, bare)).join(', ')
  if (typeof value === 'string') return bare ? value : JSON.stringify(value)
  return typeof value === 'object' ? JSON.stringify(value) : String(value)
}

type Place = 'top' | 'allOf' | 'anyOf'

function sentence(node: ConditionNode, wording: Wording, place: Place): string {
  switch (node.kind) {
    case 'constant':
      return node.value ? 'always' : 'never'
    case 'named':
      return wording.spelledOut ? `${node.name} (${sentence(node.of, wording, 'top')})` : node.name
    case 'compare':
      return comparison(node, wording, true)
    case 'presence':
      return `${describeTerm(node.term, wording)} is ${node.present ? 'present' : 'missing'}`
    case 'allOf':
      return joined(node.of, 'and', wording, place)
    case 'anyOf':
      return joined(node.of, 'or', wording, place)
    case 'not':
      if (node.of.kind === 'compare') return comparison(node.of, wording, false)
      return `not (${sentence(node.of, wording, 'top')})`
  }
}

function comparison(node: CompareNode, wording: Wording, yes: boolean): string {
  const phrase = PHRASES[node.by][yes ? 0 : 1]
  return `${describeTerm(node.left, wording)} ${phrase} ${describeTerm(node.right, wording)}`
}

function joined(of: readonly ConditionNode[], word: 'and' | 'or', wording: Wording, place: Place): string {
  const [only] = of
  if (only === undefined) return word === 'and' ? 'always' : 'never'
  if (of.length === 1) return sentence(only, wording, place)
  const parts = of.map((part) => sentence(part, wording, word === 'and' ? 'allOf' : 'anyOf'))
  const text = parts.length === 2 ? parts.join(` ${word} `) : `${parts.slice(0, -1).join(', ')} ${word} ${parts.at(-1)}`
  return place === 'top' ? text : `(${text})`
}

function possessive(name: string): string {
  return name.endsWith('s') ? `${name}'` : `${name}'s`
}

/** Anything at all in a message, however odd: never throws. */
export function describeOdd(value: unknown): string {
  if (value === undefined) return 'nothing'
  if (typeof value === 'function') return 'a function'
  if (value instanceof Date && Number.isNaN(value.getTime())) return 'an invalid Date'
  try {
    return JSON.stringify(value) ?? String(value)
  } catch {
    return typeof value === 'bigint' ? `${value}n` : 'something odd'
  }
}
