import {
  type AncestorsNode,
  type ClaimNode,
  type CompareNode,
  type ConditionNode,
  FALSE,
  type FieldNode,
  type NamedNode,
  NOT_REMOVED,
  type OverNode,
  type PresenceNode,
  type RecordsNode,
  type SomeNode,
  type TermNode,
  TRUE,
} from './nodes.js'
import { PHRASES } from './operators.js'
import { fieldNodesIn } from './walk.js'

/** How a description refers to the record and the person. */
export interface Wording {
  /** The record, as in "the plot's state". Default `the record`. */
  readonly record?: string
  /** Whose claims: `my` by default, or a possessive such as "Ines's". */
  readonly person?: string
  /** Adds the definition of a named condition after its name. */
  readonly spelledOut?: boolean
  /** What to call the records of an enclosing `some`. */
  readonly looking?: { readonly [each: number]: string }
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
      return `${possessive(ownerOf(term, wording))} ${term.path.join('.')}${term.of === 'after' ? ' afterwards' : ''}`
    case 'claim':
      return claimText(term, wording.person ?? 'my')
    case 'literal':
      return describeValue(term.value, term.type === 'time')
    case 'now':
      return term.zone === undefined ? 'now' : dayText(term.days ?? 0)
    case 'forever':
      return 'forever'
    case 'orElse':
      return `${describeTerm(term.term, wording)} (${describeTerm(term.otherwise, wording)} if missing)`
  }
}

function dayText(days: number): string {
  if (days === 0) return 'today'
  return `${Math.abs(days)} ${Math.abs(days) === 1 ? 'day' : 'days'} ${days < 0 ? 'before' : 'after'} today`
}

function claimText({ path, links = 0 }: ClaimNode, person: string): string {
  const owners = path.slice(0, links).map((name, at) => possessive(at === 0 ? `${person} ${name}` : name))
  return [...(links > 0 ? owners : [person]), path.slice(links).join('.')].join(' ')
}

/** The record that a standing belongs to, if it is one of a `some`: "helper of that share". */
function ofWhom(node: ConditionNode, { looking = {} }: Wording): string {
  const each = fieldNodesIn(node).find(({ of }) => typeof of === 'number' && Object.hasOwn(looking, of))?.of
  return typeof each === 'number' ? ` of ${looking[each]}` : ''
}

/** A condition that the library adds where records are removed. The names of standings have no spaces. */
function isNotRemoved(node: ConditionNode): node is NamedNode & { readonly of: PresenceNode & { readonly term: FieldNode } } {
  return node.kind === 'named' && node.name === NOT_REMOVED && node.of.kind === 'presence' && node.of.term.kind === 'field'
}

/** The record that a field belongs to: "the entry", "the entry's plot". */
function ownerOf({ of, via = [] }: FieldNode, { record = 'the record', looking = {} }: Wording): string {
  return via.reduce((owner, { name }) => `${possessive(owner)} ${name}`, typeof of === 'number' ? (looking[of] ?? 'it') : record)
}

/** The records of a `some`, and what to call one of them. */
export function describeOver(over: OverNode, wording: Wording): { readonly all: string; readonly one: string } {
  switch (over.kind) {
    case 'elements':
      return { all: `one of ${describeTerm(over.list, wording)}`, one: 'it' }
    case 'ancestors':
      return { all: `one of the ${over.type}s above ${startOf(over, wording) ?? 'it'}`, one: `that ${over.type}` }
    case 'records': {
      const one = `that ${over.type}`
      if (over.name === undefined) return { all: `some ${over.type}`, one }
      const owner = startOf(over, wording)
      const whose = owner === undefined ? (wording.person ?? 'my') : possessive(owner)
      return over.one ? { all: `${whose} ${over.name}`, one: `${whose} ${over.name}` } : { all: `one of ${whose} ${over.name}`, one }
    }
  }
}

/** The record that a `some` starts from. Undefined if it starts from the person or from no record. */
function startOf(over: RecordsNode | AncestorsNode, wording: Wording): string | undefined {
  const [claim, field] = ['claim', 'field'].map((kind) => over.by.findIndex(({ from }) => from.kind === kind)) as [number, number]
  return field < 0 || (claim >= 0 && claim < field) ? undefined : ownerOf(over.by[field]?.from as FieldNode, wording)
}

function someText({ each, over, of, least }: SomeNode, wording: Wording, place: Nesting): string {
  if (least !== undefined) return countText({ each, over, of }, `at least ${least}`, wording, place)
  const { all, one } = describeOver(over, wording)
  if (of === TRUE || of === FALSE) return of === TRUE ? `there is ${all}` : 'never'
  if (isNotRemoved(of)) return `there is ${all}, not removed`
  if (of.kind === 'named' && !wording.spelledOut) return `${of.name} of ${all}`
  const inner = { ...wording, looking: { ...wording.looking, [each]: one } }
  const text = `for ${all}: ${sentence(of, inner, 'top')}`
  return place === 'top' ? text : `(${text})`
}

/** "for at most 2 of the student's loans: its status is open" */
function countText({ each, over, of }: Pick<SomeNode, 'each' | 'over' | 'of'>, many: string, wording: Wording, place: Nesting): string {
  const { all, one } = describeOver(over, wording)
  const counted = `${many} of ${all.replace(/^one of /, '')}`
  if (of.kind === 'constant') return of.value ? `there are ${counted}` : 'never'
  const inner = { ...wording, looking: { ...wording.looking, [each]: one } }
  const text = `for ${counted}: ${sentence(of, inner, 'top')}`
  return place === 'top' ? text : `(${text})`
}

/** A value as people read it: text in quotes, plain times, null as "missing". */
export function describeValue(value: unknown, bare = false): string {
  if (value === null || value === undefined) return 'missing'
  if (value === Number.POSITIVE_INFINITY) return 'forever'
  if (value instanceof Date) return Number.isNaN(value.getTime()) ? 'an invalid time' : value.toISOString()
  if (Array.isArray(value)) return value.length === 0 ? 'none' : value.map((one) => describeValue(one, bare)).join(', ')
  if (typeof value === 'string') return bare ? value : JSON.stringify(value)
  return typeof value === 'object' ? JSON.stringify(value) : String(value)
}

type Nesting = 'top' | 'allOf' | 'anyOf'

function sentence(node: ConditionNode, wording: Wording, place: Nesting): string {
  switch (node.kind) {
    case 'constant':
      return node.value ? 'always' : 'never'
    case 'named':
      if (isNotRemoved(node)) return `${ownerOf(node.of.term, wording)} is not removed`
      return wording.spelledOut ? `${node.name} (${sentence(node.of, wording, 'top')})` : `${node.name}${ofWhom(node.of, wording)}`
    case 'compare':
      return comparison(node, wording, true)
    case 'presence':
      return `${describeTerm(node.term, wording)} is ${node.present ? 'present' : 'missing'}`
    case 'allOf':
      return joined(node.of, 'and', wording, place)
    case 'anyOf':
      return joined(node.of, 'or', wording, place)
    case 'listChange':
      return `${describeTerm(node.list, wording)} ${node.by === 'adds' ? 'are the same with' : 'are the same without'} ${describeTerm(node.item, wording)}`
    case 'some':
      return someText(node, wording, place)
    case 'not':
      if (node.of.kind === 'compare') return comparison(node.of, wording, false)
      if (node.of.kind === 'some' && node.of.least !== undefined) return countText(node.of, `at most ${node.of.least - 1}`, wording, place)
      return `not (${sentence(node.of, wording, 'top')})`
  }
}

function comparison(node: CompareNode, wording: Wording, yes: boolean): string {
  const phrase = PHRASES[node.by][yes ? 0 : 1]
  return `${describeTerm(node.left, wording)} ${phrase} ${describeTerm(node.right, wording)}`
}

function joined(of: readonly ConditionNode[], word: 'and' | 'or', wording: Wording, place: Nesting): string {
  const [only] = of
  if (only === undefined) return word === 'and' ? 'always' : 'never'
  if (of.length === 1) return sentence(only, wording, place)
  const parts = of.map((part) => sentence(part, wording, word === 'and' ? 'allOf' : 'anyOf'))
  const text = parts.length === 2 ? parts.join(` ${word} `) : `${parts.slice(0, -1).join(', ')} ${word} ${parts.at(-1)}`
  return place === 'top' ? text : `(${text})`
}

function possessive(name: string): string {
  if (name === 'it') return 'its'
  return name.endsWith('s') ? `${name}'` : `${name}'s`
}

/** Formats any value for a message. Never throws. */
export function describeOdd(value: unknown): string {
  if (value === undefined) return 'nothing'
  if (typeof value === 'function') return 'a function'
  if (value instanceof Date && Number.isNaN(value.getTime())) return 'an invalid Date'
  try {
    return JSON.stringify(value) ?? String(value)
  } catch {
    return typeof value === 'bigint' ? `${value}n` : 'an unknown value'
  }
}
