import { predicate, type Row } from './evaluate.js'
import {
  type AllOfNode,
  type AnyOfNode,
  type ClaimNode,
  type CompareNode,
  type ConditionNode,
  compareNode,
  constant,
  FALSE,
  frozen,
  isList,
  type ListChangeNode,
  type LiteralNode,
  type OverNode,
  type PresenceNode,
  type SomeNode,
  sameCondition,
  type TermNode,
} from './nodes.js'
import { instantText } from './time.js'
import { type Comparable, IMPROPER, inside, isMissing, proper, properList, type Scalar } from './value.js'
import { leavesOfOver, mapOver } from './walk.js'

/**
 * Folds away everything that can be decided beforehand. Given somebody's claims (null for a visitor), every claim becomes
 * its value, so that what remains speaks of the record alone: often `TRUE` or `FALSE`, else a few comparisons.
 * Without claims, only what holds for everybody is folded. Never changes the answer for any record.
 */
export function simplify(node: ConditionNode, claims?: Row | null): ConditionNode {
  if (claims === undefined) {
    const prepared = prepare(node, false)
    return prepared.kind === 'settled' ? frozen(prepared.node) : node
  }
  return frozen(specialiser(node)(person(claims)))
}

/** Somebody's claims, each turned into a literal once, however many rules ask for it. */
export interface PersonClaims {
  readonly me: Row | null
  readonly known: Map<string, KnownClaim>
  /** Standings, which many rules speak of, as they stand for this person. */
  readonly standing: Map<ConditionNode, ConditionNode>
}

/** Readies claims for specialisers. */
export function person(me: Row | null): PersonClaims {
  return { me, known: new Map(), standing: new Map() }
}

/** The same as `simplify` with claims, made ready for many people. What it gives is not frozen yet, for speed. */
export function specialiser(node: ConditionNode): (who: PersonClaims) => ConditionNode {
  const prepared = prepare(node, true)
  if (prepared.kind === 'settled') return () => prepared.node
  return prepared.kind === 'personal' ? (who) => constant(prepared.test(who)) : prepared.build
}

// A rule is asked again for every person, so what does not depend on the person is worked out once and kept with the rule:
// parts without claims are simplified, parts of nothing but claims become a test, and only what mixes both is built anew.
type Prepared =
  | { readonly kind: 'settled'; readonly node: ConditionNode }
  | { readonly kind: 'personal'; readonly test: (who: PersonClaims) => boolean }
  | { readonly kind: 'mixed'; readonly build: (who: PersonClaims) => ConditionNode }

const NO_RECORD: Row = Object.freeze({})

/** A condition on claims alone, as a test of somebody's claims. */
function personal(node: ConditionNode): Prepared {
  const test = predicate(node)
  return { kind: 'personal', test: (who) => test(NO_RECORD, { me: who.me, now: 0 }) }
}

/** Readies a condition; `known` says that claims will be, and else they are as open as a record's fields. */
function prepare(node: ConditionNode, known: boolean): Prepared {
  switch (node.kind) {
    case 'constant':
      return { kind: 'settled', node }
    case 'named':
      return known ? preparedOnce(node.of) : prepare(node.of, known)
    case 'not': {
      const of = prepare(node.of, known)
      if (of.kind === 'settled') return { kind: 'settled', node: complement(of.node) }
      if (of.kind === 'personal') return { kind: 'personal', test: (who) => !of.test(who) }
      return { kind: 'mixed', build: (who) => complement(of.build(who)) }
    }
    case 'allOf':
    case 'anyOf':
      return prepareMany(node, known)
    case 'presence':
      if (!known || !hasClaim(node.term)) return { kind: 'settled', node: presence(node, node.term) }
      if (!hasRecord(node.term)) return personal(node)
      return { kind: 'mixed', build: (who) => presence(node, resolve(node.term, who)) }
    case 'listChange':
      return prepareChange(node, known)
    case 'some':
      return prepareSome(node, known)
    case 'compare':
      return known ? prepareCompare(node) : { kind: 'settled', node: compare(node, node.left, node.right) }
  }
}

const prepared = new WeakMap<ConditionNode, Prepared>()

/** A standing is specialised once for each person, however many rules speak of it. */
function preparedOnce(node: ConditionNode): Prepared {
  const there = prepared.get(node)
  if (there !== undefined) return there
  const made = prepare(node, true)
  const once: Prepared =
    made.kind !== 'mixed'
      ? made
      : {
          kind: 'mixed',
          build(who) {
            const known = who.standing.get(node)
            if (known !== undefined) return known
            const built = made.build(who)
            who.standing.set(node, built)
            return built
          },
        }
  prepared.set(node, once)
  return once
}

function prepareChange(node: ListChangeNode, known: boolean): Prepared {
  if (!known || !hasClaim(node.item)) return { kind: 'settled', node: change(node) }
  return { kind: 'mixed', build: (who) => change({ ...node, item: resolve(node.item, who) }) }
}

function change(node: ListChangeNode): ConditionNode {
  const terms = [node.list, node.from, node.item]
  if (equalsNothing(node.item) || terms.some((term) => presenceOf(term) === false)) return FALSE
  return terms.every(isSettled) ? constant(predicate(node)(NO_RECORD, { me: null, now: 0 })) : node
}

function prepareSome(node: SomeNode, known: boolean): Prepared {
  const of = prepare(node.of, known)
  const claims = known && leavesOfOver(node.over).some(hasClaim)
  if (of.kind === 'settled' && !claims) return { kind: 'settled', node: some(node, node.over, of.node) }
  return {
    kind: 'mixed',
    build(who) {
      const inner = of.kind === 'mixed' ? of.build(who) : of.kind === 'settled' ? of.node : constant(of.test(who))
      return some(node, claims ? mapOver(node.over, (leaf) => resolve(leaf, who)) : node.over, inner)
    },
  }
}

/** A `some` that cannot find any is false: where nothing fits, or where it goes by something that equals nothing. */
function some(node: SomeNode, over: OverNode, of: ConditionNode): ConditionNode {
  if (of.kind === 'constant' && !of.value) return FALSE
  if (over.kind !== 'elements' && over.by.some(({ from }) => equalsNothing(from))) return FALSE
  return over === node.over && of === node.of ? node : { kind: 'some', each: node.each, over, of }
}

function prepareMany(node: AllOfNode | AnyOfNode, known: boolean): Prepared {
  const decisive = node.kind === 'anyOf'
  const parts = node.of.map((part) => prepare(part, known))
  const tests = parts.flatMap((part) => (part.kind === 'personal' ? [part.test] : []))
  const others = parts.filter((part) => part.kind !== 'personal')
  const settled = others.flatMap((part) => (part.kind === 'settled' ? [part.node] : []))
  const folded = combine(node.kind, settled)
  if (folded.kind === 'constant' && folded.value === decisive) return { kind: 'settled', node: folded }
  if (others.length === settled.length) {
    if (tests.length === 0) return { kind: 'settled', node: folded }
    if (folded.kind === 'constant') {
      return { kind: 'personal', test: (who) => tests.some((test) => test(who) === decisive) === decisive }
    }
  }
  return {
    kind: 'mixed',
    build(who) {
      for (const test of tests) if (test(who) === decisive) return constant(decisive)
      const built: ConditionNode[] = []
      for (const part of others) {
        const simple = part.kind === 'mixed' ? part.build(who) : (part as { node: ConditionNode }).node
        if (simple.kind === 'constant' && simple.value === decisive) return simple
        built.push(simple)
      }
      return combine(node.kind, built)
    },
  }
}

/** Joins simplified conditions into a simplified one: flat, without repetition, decided where one part decides. */
export function combine(kind: 'allOf' | 'anyOf', simple: readonly ConditionNode[]): ConditionNode {
  // The value that decides the whole alone: false for allOf, true for anyOf.
  const decisive = kind === 'anyOf'
  const parts: ConditionNode[] = []
  const texts = simple.length > FEW ? new Set<string>() : undefined
  for (const part of simple) {
    if (part.kind === 'constant') {
      if (part.value === decisive) return part
    } else if (part.kind === kind) {
      for (const inner of part.of) addOnce(parts, inner, texts)
    } else addOnce(parts, part, texts)
  }
  if (parts.length === 0) return constant(!decisive)
  if (parts.length === 1) return parts[0] as ConditionNode
  return { kind, of: parts }
}

/** So many parts are compared each with each; of more, only those whose JSON is the same. */
const FEW = 16

function addOnce(parts: ConditionNode[], one: ConditionNode, texts: Set<string> | undefined): void {
  if (texts !== undefined) {
    const text = JSON.stringify(one)
    if (!texts.has(text)) {
      texts.add(text)
      parts.push(one)
      return
    }
  }
  for (const part of parts) if (sameCondition(part, one)) return
  parts.push(one)
}

/** The complement of a simplified condition, simplified. */
export function complement(of: ConditionNode): ConditionNode {
  if (of.kind === 'constant') return constant(!of.value)
  return of.kind === 'not' ? of.of : { kind: 'not', of }
}

function prepareCompare(node: CompareNode): Prepared {
  const { left, by, right } = node
  const claims = hasClaim(left) || hasClaim(right)
  if (!claims) return { kind: 'settled', node: compare(node, left, right) }
  if (!hasRecord(left) && !hasRecord(right))
    return left.kind === 'claim' && right.kind === 'literal' ? ownClaim(node, left, right) : personal(node)
  // The commonest of all, a field beside a claim, without a detour.
  if (right.kind === 'claim' && left.kind === 'field')
    return { kind: 'mixed', build: (who) => beside(who, right, (it) => ({ kind: 'compare', by, left, right: it })) }
  if (left.kind === 'claim' && right.kind === 'field')
    return { kind: 'mixed', build: (who) => beside(who, left, (it) => ({ kind: 'compare', by, left: it, right })) }
  return { kind: 'mixed', build: (who) => compare(node, resolve(left, who), resolve(right, who)) }
}

/** A claim beside a value: a role, above all, which many rules ask for. */
function ownClaim(node: CompareNode, claim: ClaimNode, { value }: LiteralNode): Prepared {
  if (node.by !== 'has' || claim.type !== 'text') return personal(node)
  return {
    kind: 'personal',
    test(who) {
      const { literal } = knownClaim(claim, who)
      return Array.isArray(literal.value) && literal.value.includes(value)
    },
  }
}

function beside(who: PersonClaims, claim: ClaimNode, make: (literal: LiteralNode) => CompareNode): ConditionNode {
  const { literal, nothing } = knownClaim(claim, who)
  return nothing ? FALSE : make(literal)
}

function presence(node: PresenceNode, term: TermNode): ConditionNode {
  const found = presenceOf(term)
  if (found !== undefined) return constant(found === node.present)
  return term === node.term ? node : { kind: 'presence', term, present: node.present }
}

function compare(node: CompareNode, given: TermNode, other: TermNode): ConditionNode {
  const left = compared(given)
  const right = compared(other)
  if (equalsNothing(left) || equalsNothing(right)) return FALSE
  if (isSettled(left) && isSettled(right)) return constant(predicate(compareNode(left, node.by, right))(NO_RECORD, { me: null, now: 0 }))
  return left === node.left && right === node.right ? node : { kind: 'compare', by: node.by, left, right }
}

/** The term without stand-ins that equal nothing: in a comparison it says no more than that the term is missing. */
function compared(term: TermNode): TermNode {
  if (term.kind !== 'orElse') return term
  const there = presenceOf(term.term)
  if (there !== undefined) return compared(there ? term.term : term.otherwise)
  const otherwise = compared(term.otherwise)
  if (equalsNothing(otherwise)) return compared(term.term)
  return otherwise === term.otherwise ? term : Object.freeze({ kind: 'orElse', term: term.term, otherwise })
}

/** A term with its claims turned into literals. */
function resolve(term: TermNode, who: PersonClaims): TermNode {
  if (term.kind === 'claim') return knownClaim(term, who).literal
  if (term.kind !== 'orElse') return term
  const first = resolve(term.term, who)
  const there = presenceOf(first)
  if (there === true) return first
  const otherwise = resolve(term.otherwise, who)
  if (there === false) return otherwise
  return first === term.term && otherwise === term.otherwise ? term : Object.freeze({ kind: 'orElse', term: first, otherwise })
}

function hasClaim(term: TermNode): boolean {
  return term.kind === 'claim' || (term.kind === 'orElse' && (hasClaim(term.term) || hasClaim(term.otherwise)))
}

/** Whether the term's value depends on the record or the instant. */
function hasRecord(term: TermNode): boolean {
  if (term.kind === 'orElse') return hasRecord(term.term) || hasRecord(term.otherwise)
  return term.kind === 'field' || term.kind === 'now'
}

/** Whether the term is there, where that is known without a record. */
function presenceOf(term: TermNode): boolean | undefined {
  switch (term.kind) {
    case 'literal':
      return !isMissing(term.value, term.list ? 'other' : term.type)
    case 'now':
    case 'forever':
      return true
    case 'orElse':
      return presenceOf(term.term) || presenceOf(term.otherwise) || undefined
    case 'field':
    case 'claim':
      return undefined
  }
}

function equalsNothing(term: TermNode): boolean {
  if (term.kind !== 'literal') return false
  if (isList(term)) return (properList(term.value, term.type)?.length ?? 0) === 0
  return proper(term.value, term.type) === undefined
}

function isSettled(term: TermNode): boolean {
  return term.kind === 'literal' || term.kind === 'forever'
}

interface KnownClaim {
  readonly literal: LiteralNode
  readonly nothing: boolean
  readonly list: true | undefined
}

function knownClaim(term: ClaimNode, who: PersonClaims): KnownClaim {
  const [only] = term.path
  const id = term.path.length === 1 ? (only as string) : term.path.join('\n')
  const found = who.known.get(id)
  if (found !== undefined && found.literal.type === (term.type === 'other' ? 'text' : term.type) && found.list === term.list) return found
  const literal = claimValue(term, who.me)
  const fresh = { literal, nothing: equalsNothing(literal), list: term.list }
  who.known.set(id, fresh)
  return fresh
}

/** A claim as a literal. A claim that is improper stays present and equals nothing, as everywhere. */
function claimValue(term: ClaimNode, claims: Row | null): LiteralNode {
  const found = inside(claims, term.path)
  const type: Scalar = term.type === 'other' ? 'text' : term.type
  if (found === null || found === undefined) return Object.freeze({ kind: 'literal', type, value: null })
  if (term.list) return Object.freeze({ kind: 'literal', type, list: true, value: Object.freeze(literalList(found, type)) })
  const value = proper(found, type)
  if (value === undefined) return Object.freeze({ kind: 'literal', type, value: isMissing(found, type) ? null : IMPROPER })
  return Object.freeze({ kind: 'literal', type, value: type === 'time' ? instantText(value as number) : value })
}

function literalList(found: unknown, type: Scalar): Comparable[] {
  const values = properList(found, type) ?? []
  return type === 'time' ? values.map((value) => instantText(value as number)) : values
}
