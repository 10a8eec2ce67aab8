import {
  type CompareNode,
  type ConditionNode,
  FALSE,
  type FieldNode,
  type ListChangeNode,
  type SomeNode,
  scalarOf,
  type TermNode,
} from './nodes.js'
import { type Binding, bind, bindTerm, presenceOf, UNDECIDED } from './partial.js'
import { sameTerm } from './same.js'
import { anyNode, eachNode, type Looking, someAround, termsOf } from './visit.js'

/** A comparison or `some` that is false because something is missing, and so widens access. */
export interface UnguardedNegation {
  /** The term that can be missing. */
  readonly term: TermNode
  readonly comparison: Comparing
}

/**
 * Finds comparisons that are false when a term is missing, and thereby make the whole condition true. These stand under `not`, and the
 * author has not said what a missing value means (by `orElse`, `isPresent` or `isMissing`). A `some` under `not` that joins on a missing
 * value is reported too; a `some` that finds no records is not, because that is a normal answer.
 * For each term that can be missing, the condition is evaluated partially as if it were missing. If the result still depends on a
 * comparison of that term under `not`, the comparison is reported. If a presence test decides the result, it is not.
 */
export function findUnguardedNegations(node: ConditionNode): UnguardedNegation[] {
  return negated(node).flatMap(({ asked, looking }) => {
    const ways = [
      ...termsOf(asked).flatMap((term) => waysToMiss(term, looking)),
      ...(asked.kind === 'some' ? wayToMissOne(asked, looking) : []),
    ]
    const unguarded = ways.find(({ missing }) => dependsOn(node, asked, missing))
    return unguarded === undefined ? [] : [{ term: unguarded.term, comparison: asked }]
  })
}

/** A condition that is false if a term it reads is missing. */
type Comparing = CompareNode | ListChangeNode | SomeNode

/** The enclosing `some` of each number, at one place in a condition. */
type Around = Looking | undefined

type Missing = (term: TermNode | SomeNode, looking: Around) => boolean

/** One way in which a term can be missing. */
interface Way {
  /** The place without a value. */
  readonly term: TermNode
  readonly missing: Missing
}

function waysToMiss(term: TermNode, looking: Around): readonly Way[] {
  const justThis: Way = {
    term,
    missing: (other, there) => other.kind !== 'some' && sameTerm(other, term) && sameRecord(other, there, term, looking),
  }
  switch (term.kind) {
    case 'field': {
      // The fields of a linked record are all missing if the record does not exist.
      const linked = (term.via ?? []).map((_, at): Way => {
        const steps = (term.via ?? []).slice(0, at + 1).map(({ name }) => name)
        return { term, missing: (other, there) => leadsBy(other, there, { term, looking }, steps) }
      })
      return term.optional ? [justThis, ...linked] : linked
    }
    case 'claim': {
      // Required claims are only missing together: all of them for a visitor, or all of one linked record.
      const visitor: Way = { term, missing: (other) => other.kind === 'claim' }
      const linked = Array.from({ length: term.links ?? 0 }, (_, at): Way => {
        const steps = term.path.slice(0, at + 1)
        return { term, missing: (other) => other.kind === 'claim' && steps.every((step, index) => other.path[index] === step) }
      })
      return [...(term.optional ? [justThis] : []), ...linked, visitor]
    }
    case 'orElse':
      return waysToMiss(term.term, looking).flatMap((first) =>
        waysToMiss(term.otherwise, looking).map((second) => ({
          term: first.term,
          missing: (other: TermNode | SomeNode, there: Around) => first.missing(other, there) || second.missing(other, there),
        })),
      )
    case 'literal':
    case 'now':
    case 'forever':
      return []
  }
}

/** A link to one can lead nowhere even if the field that it joins on has a value. */
function wayToMissOne(node: SomeNode, looking: Around): readonly Way[] {
  const start = startOf(node)
  if (start === undefined) return []
  const { term, steps } = start
  return [{ term, missing: (other, there) => leadsBy(other, there, { term, looking }, steps) }]
}

/** Where a `some` over a link to one starts, as a field of the target record with the links on the way. */
function startOf({ over }: SomeNode): { readonly term: FieldNode; readonly steps: readonly string[] } | undefined {
  const first = over.kind === 'records' && over.one ? over.by[0] : undefined
  if (first?.from.kind !== 'field' || over.kind !== 'records' || over.name === undefined) return undefined
  const { of, via = [], ...place } = first.from
  const link = { name: over.name, to: over.type, by: [{ to: first.to, from: { path: place.path, type: first.to.type } }] }
  const term: FieldNode = { kind: 'field', of, via: [...via, link], path: first.to.path, type: first.to.type }
  return { term, steps: [...via.map(({ name }) => name), over.name] }
}

/** Whether a field or a `some` is reached through these links from the same record. */
function leadsBy(
  other: TermNode | SomeNode,
  there: Around,
  start: { readonly term: FieldNode; readonly looking: Around },
  steps: readonly string[],
): boolean {
  const field = other.kind === 'some' ? startOf(other)?.term : other
  if (field?.kind !== 'field' || !sameRecord(field, there, start.term, start.looking)) return false
  return steps.every((step, at) => field.via?.[at]?.name === step)
}

function sameRecord(a: TermNode, ofA: Around, b: TermNode, ofB: Around): boolean {
  if (a.kind !== 'field' || b.kind !== 'field') return true
  return a.of === b.of && (typeof a.of !== 'number' || someAround(ofA, a.of) === someAround(ofB, a.of))
}

/** Comparisons and `some` nodes under an odd number of `not`. */
function negated(node: ConditionNode): { readonly asked: Comparing; readonly looking: Around }[] {
  const found: { asked: Comparing; looking: Around }[] = []
  eachNode(node, (part, { negative, looking }) => {
    if (negative && isComparing(part)) found.push({ asked: part, looking })
  })
  return found
}

function isComparing(node: ConditionNode): node is Comparing {
  switch (node.kind) {
    case 'compare':
    case 'listChange':
    case 'some':
      return true
    case 'constant':
    case 'presence':
    case 'allOf':
    case 'anyOf':
    case 'not':
    case 'named':
      return false
  }
}

/** Whether the condition still depends on a comparison under `not` when its term is missing. */
function dependsOn(node: ConditionNode, asked: Comparing, missing: Missing): boolean {
  const binding: Binding = {
    leaf: (leaf, { looking }) => (missing(leaf, looking) ? { kind: 'literal', type: scalarOf(leaf), value: null } : leaf),
    replace(part, around) {
      const absent = (term: TermNode) => presenceOf(bindTerm(term, binding, around)) === false
      if (!isComparing(part)) return undefined
      const isFalse = (part.kind === 'some' && missing(part, around.looking)) || termsOf(part).some(absent)
      if (!isFalse) return undefined
      return around.negative && part === asked ? UNDECIDED : FALSE
    },
  }
  return anyNode(bind(node, binding), (part) => part === UNDECIDED)
}
